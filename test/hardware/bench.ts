/** A small landing: models with ports, a chassis with cards, a panel, VLANs; and words for what a call is refused with. */
import type { Client } from '@zpine/contract/client';
import type { AnyRecord } from '@zpine/contract/kind';
import type { KindName } from '@zpine/contract/kinds';
import { refusal } from '../service.ts';

export async function makeHardware(client: Client): Promise<void> {
  await client.add('vendor', { name: 'larkfield' });
  const model = (name: string, fields: object) => client.add('model', { vendor: 'larkfield', name, ...fields });
  await model('lf-4', { ports: '1/{1..4} 1000base-t; con console; pwr power-inlet' });
  await model('lf-6', { ports: '1/{1..6} 1000base-t; con console; pwr power-inlet' });
  await model('c4', { heightU: 4, ports: 'con console', slots: '{1..4} c4-card' });
  await model('c4-4t', { fits: 'c4-card', ports: '{slot}/{1..4} 1000base-t' });
  await model('c4-2x', { fits: 'c4-card', ports: '{slot}/{1..2} 10gbase-r' });
  await model('c4-bay', { fits: 'c4-card', slots: '{1..2} c4-half' });
  await model('c4-half', { fits: 'c4-half', ports: '{slot}/{1..2} 10gbase-r' });
  await model('p-4', { ports: '{1..4} panel-copper' });
  for (const code of ['ard', 'cob']) {
    await client.add('site', { code });
    for (const number of [304, 316]) await client.add('vlan', { site: code, number });
  }
  await client.add('vlan', { site: 'ard', number: 328 });
}

/** What a call is refused with: `code pointer`, of each fault. */
export async function faultsOf(call: Promise<unknown>): Promise<string> {
  const { code, errors } = await refusal(call);
  return errors ? errors.map((fault) => `${fault.code} ${fault.pointer}`).join(', ') : code;
}

export async function allOf(client: Client, kind: KindName, query: Record<string, string>): Promise<AnyRecord[]> {
  const items: AnyRecord[] = [];
  for await (const record of client.all(kind, query)) items.push(record);
  return items;
}

export const namesOf = async (client: Client, kind: 'port' | 'interface', device: string): Promise<string[]> =>
  (await allOf(client, kind, { device })).map((record) => String(record.name));
