/** What a device would be told if it booted now: the same decision as for a packet, with nothing taken or written. */
import { decide } from '@zpine/core/dhcp/decide';
import { codeOf, messageTypes, usuallyAsked } from '@zpine/core/dhcp/options';
import type { Message } from '@zpine/core/dhcp/message';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byId, find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { mainAddress } from '../addressing/management.ts';
import { mustFind } from '../records/refs.ts';
import { dialectOf } from '../fleet/dialects.ts';
import { memoryFor } from './gather.ts';

const hex = (bytes: Uint8Array): string => Array.from(bytes, (b) => b.toString(16).padStart(2, '0')).join(' ');

/** What a DISCOVER of a box shows; its serial where nothing else tells whose it is. */
export type Shown = { serial: string; mac: string | null };

/** A DISCOVER as this box would send it. */
export function discoverOf({ serial, mac }: Shown, relay: string | null, vendorClass: string | undefined): Message {
  const options = new Map<number, Uint8Array>([
    [codeOf('message-type'), Uint8Array.of(messageTypes.indexOf('DISCOVER'))],
    [codeOf('parameter-request-list'), Uint8Array.from(usuallyAsked)],
  ]);
  if (vendorClass) options.set(codeOf('vendor-class'), new TextEncoder().encode(vendorClass));
  // RFC 2132, 9.14: type 0 is a name and not a hardware address.
  if (mac === null) options.set(codeOf('client-identifier'), Uint8Array.of(0, ...new TextEncoder().encode(serial)));
  return {
    op: 'request',
    hardwareType: 1,
    hops: 0,
    xid: 0,
    secs: 0,
    broadcast: false,
    clientAddress: '0.0.0.0',
    yourAddress: '0.0.0.0',
    serverAddress: '0.0.0.0',
    relayAddress: relay ?? '0.0.0.0',
    hardwareAddress: mac ?? '00:00:00:00:00:00',
    serverName: '',
    file: '',
    options,
  };
}

type Explained = ReplyOf<'device.dhcp'>;

export async function explainDhcp(tx: Tx, ref: string, query: QueryOf<'device.dhcp'>): Promise<Explained> {
  const device = await mustFind(tx, 'device', ref);
  const [box] = await find(tx, 'box', { device_id: device.id });
  const relay = query.relay ?? (await usualRelayOf(tx, device));
  const out: Explained = {
    device: device.key,
    client: box ? [box.serial, box.mac].filter(Boolean).join(', MAC ') : null,
    relay,
    prefix: null,
    address: null,
    addressFrom: null,
    silent: null,
    noFile: null,
    nextServer: null,
    file: null,
    options: [],
    untold: [],
  };
  const source = relay ?? tx.place.address;
  // By the dialect's class; on the service's own wire as a broadcast, behind a relay as the relay hands it on.
  const vendorClass = (await dialectOf(tx, device))?.sheet.boot?.vendorClass;
  const message = discoverOf(box ?? { serial: '-', mac: null }, relay, vendorClass);
  const look = await memoryFor(tx, message, source);
  const decision = decide(look, message, { source, broadcast: relay === null }, (await tx.now()).ms);
  if (!box)
    return {
      ...out,
      prefix: decision.link?.key ?? null,
      silent: 'it has no box: whoever boots there is taken for a stranger',
    };
  const { link, reply, told, noFile = null, detail } = decision;
  const seen = { ...out, prefix: link?.key ?? null };
  if (!reply || !told) return { ...seen, silent: detail };
  // Somebody else's hardware address leads to somebody else.
  if (decision.device?.id !== device.id) return { ...seen, silent: `it is not taken for ${device.key}: ${detail}` };
  return {
    ...seen,
    address: told.address,
    addressFrom: told.addressFrom,
    noFile,
    nextServer: told.file?.server ?? null,
    file: told.file?.name ?? null,
    options: reply.lines
      .map(({ code, name, value, bytes, from }) => ({ code, name, value, bytes: hex(bytes), from }))
      .sort((a, b) => a.code - b.code),
    untold: [...reply.untold],
  };
}

/** The gateway of the prefix that a device is managed in: there most devices boot. */
export function usualRelay(
  device: Stored<'device'>,
  addresses: readonly Stored<'address'>[],
  prefixOf: (id: number) => Stored<'prefix'> | undefined,
): string | null {
  const on = addresses.filter((one) => one.interface === device.management && !one.address.includes(':'));
  const main = device.management === null ? undefined : mainAddress(on);
  return (main && prefixOf(main.prefix)?.gateway) ?? null;
}

async function usualRelayOf(tx: Tx, device: Stored<'device'>): Promise<string | null> {
  if (device.management === null) return null;
  const addresses = await find(tx, 'address', { interface_id: device.management }, { order: ['sort_key'] });
  const main = mainAddress(addresses.filter((one) => !one.address.includes(':')));
  const prefix = main && (await byId(tx, 'prefix', main.prefix));
  return usualRelay(device, addresses, () => prefix);
}
