/** Loads the Brackwater scenario through the API, as any client would. */
import { readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { parse } from 'yaml';
import type { Client } from '@zpine/contract/client';
import { refsOf } from '@zpine/contract/kind';
import { kindNames, kindOf, type KindName } from '@zpine/contract/kinds';
import type { BodyIn } from '@zpine/contract/routes';

type Scenario = Partial<Record<KindName, Record<string, unknown>[]>> & {
  /** What images consist of: a first line that says what it is, and made-up bytes behind it. */
  content: { image: string; head: string; bytes: number }[];
  value: BodyIn<'value.put'>[];
  view: BodyIn<'view.save'>[];
  main: string[];
  /** Of the VLAN of its site, or of another prefix. */
  management: (string | { device: string; prefix: string })[];
  prepare: string[];
  stage: Record<string, string[]>;
};

/** Kinds of which records come along with devices: some of these stand already. */
const brought = new Set<KindName>(['interface']);

const WINDOW_HOURS = 72;

/** Gives the number of records made. */
export async function loadDemo(
  client: Client,
  say: (text: string) => void,
  file = 'demo/brackwater.yaml',
): Promise<number> {
  const scenario = parse(readFileSync(file, 'utf8')) as Scenario;
  const reason = 'the Brackwater demo';
  let count = 0;
  for (const kind of kindNames) {
    const records = (scenario[kind] ?? []).map((record) =>
      'source' in kindOf(kind).fields ? withSource(record, dirname(file)) : record,
    );
    if (records.length === 0) continue;
    // A record may refer to one of its own kind only when that stands already.
    const among = refsOf(kindOf(kind)).some(([, field]) => field.to === kind);
    if (brought.has(kind)) {
      const text = JSON.stringify({ [kind]: records });
      const { faults } = await client.call('import.run', { body: { text, as: 'json', apply: true }, reason });
      if (faults[0]) throw new Error(`${kind}: ${faults[0].detail}`);
    } else if (among) for (const record of records) await client.add(kind, record, { reason });
    else await client.addAll(kind, records, { reason });
    count += records.length;
  }
  for (const { image, head, bytes } of scenario.content)
    await client.putImage(image, {}, new Blob([contentOf(head, bytes)]), { reason });
  for (const body of scenario.value) await client.call('value.put', { body, reason });
  await client.call('check.takeShipped', { body: { hour: 6 }, reason });
  for (const view of scenario.view) await client.call('view.save', { body: { ...view, shared: true } });
  for (const one of scenario.management) {
    const { device: ref, ...body } = typeof one === 'string' ? { device: one } : one;
    await client.call('device.assignManagement', { params: { ref }, body, reason });
    count += 2;
  }
  for (const main of scenario.main) await client.edit('device', main.split(':')[0] ?? '', { main }, { reason });
  for (const ref of scenario.prepare) {
    const edition = await client.call('edition.make', { params: { ref }, body: {}, reason });
    const params = { ref, number: String(edition.number) };
    await client.call('edition.publish', { params, body: { openHours: WINDOW_HOURS }, reason });
  }
  for (const [device, moves] of Object.entries(scenario.stage)) {
    for (const stage of moves) await client.call('device.stage', { params: { ref: device }, body: { stage }, reason });
  }
  say(`loaded ${file}`);
  return count;
}

/** Always the same, so that its digest is, too. */
export function contentOf(head: string, bytes: number): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(bytes);
  let state = 1;
  for (let i = 0; i < bytes; i += 1) out[i] = (state = (state * 48271) % 2147483647) & 255;
  out.set(new TextEncoder().encode(`${head}\n`));
  return out;
}

/** Long texts lie in files of their own beside the scenario. */
function withSource({ file, ...record }: Record<string, unknown>, folder: string): Record<string, unknown> {
  return typeof file === 'string' ? { ...record, source: readFileSync(join(folder, file), 'utf8') } : record;
}
