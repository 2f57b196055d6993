/** What a device would be told if it booted now: the same decision as for a packet, with nothing written. */
import { codeOf, usuallyAsked } from '@zpine/core/dhcp/options';
import { type Message } from '@zpine/core/dhcp/message';
import { buildReply } from '@zpine/core/dhcp/reply';
import { Refusal } from '@zpine/contract/errors';
import { type QueryOf, type ReplyOf } from '@zpine/contract/routes';
import { type Stored } from '@zpine/contract/kinds';
import { find } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { managementOf } from '../addressing/management.ts';
import { mustFind } from '../records/refs.ts';
import { dialectOf } from '../fleet/dialects.ts';
import { linkOf } from './identify.ts';
import { isDeclaredRelay } from './relays.ts';
import { fixedAddress, poolAddress } from './leases.ts';
import { answerForDevice } from './tell.ts';

const hex = (bytes: Uint8Array): string => Array.from(bytes, (b) => b.toString(16).padStart(2, '0')).join(' ');

/** A DISCOVER as this device would send it. */
function pretended(mac: string, relay: string | null, vendorClass: string | undefined): Message {
  const options = new Map<number, Uint8Array>([
    [codeOf('message-type'), Uint8Array.of(1)],
    [codeOf('parameter-request-list'), Uint8Array.from(usuallyAsked)],
  ]);
  if (vendorClass) options.set(codeOf('vendor-class'), new TextEncoder().encode(vendorClass));
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
    hardwareAddress: mac,
    serverName: '',
    file: '',
    options,
  };
}

type Explained = ReplyOf<'device.dhcp'>;

export async function explainDhcp(tx: Tx, ref: string, query: QueryOf<'device.dhcp'>): Promise<Explained> {
  const device = await mustFind(tx, 'device', ref);
  const [box] = await find(tx, 'box', { device_id: device.id });
  const relay = query.relay ?? (await usualRelay(tx, device));
  const link = await linkOf(tx, relay);
  const out: Explained = {
    device: device.key,
    client: box ? [box.serial, box.mac].filter(Boolean).join(', MAC ') : null,
    relay,
    prefix: link?.key ?? null,
    address: null,
    addressFrom: null,
    silent: null,
    noFile: null,
    nextServer: null,
    file: null,
    options: [],
    untold: [],
  };
  const silent = (why: string): Explained => ({ ...out, silent: why });
  if (!box) return silent('it has no box: whoever boots there is taken for a stranger');
  if (!link)
    return silent(
      relay === null
        ? 'no prefix of the default VRF holds the boot address of the service'
        : `no prefix of the default VRF holds ${relay}`,
    );
  if (relay !== null && !(await isDeclaredRelay(tx, link, relay)))
    return silent(`relay ${relay} is not declared: it is neither the gateway of ${link.key} nor on an interface`);
  const place =
    (await fixedAddress(tx, device, link)) ??
    (await poolAddress(tx, link, 'pool', { word: box.serial, mac: box.mac ?? '', device: device.id, stranger: null }));
  if (!place) return silent(`there is no address for it in ${link.key}: none of its own, and no free one in the pool`);
  const { told, noFile } = await answerForDevice(tx, device, link, place);
  const vendorClass = (await dialectOf(tx, device))?.sheet.boot?.vendorClass;
  const reply = buildReply(pretended(box.mac ?? '00:00:00:00:00:00', relay, vendorClass), 'OFFER', told);
  if (!reply.ok) throw new Refusal(reply.fault.code, reply.fault.params);
  return {
    ...out,
    address: place.address,
    addressFrom: place.from,
    noFile,
    nextServer: told.file?.server ?? null,
    file: told.file?.name ?? null,
    options: reply.value.lines
      .map(({ code, name, value, bytes, from }) => ({ code, name, value, bytes: hex(bytes), from }))
      .sort((a, b) => a.code - b.code),
    untold: reply.value.untold,
  };
}

/** The gateway of its management prefix: there most devices boot. */
async function usualRelay(tx: Tx, device: Stored<'device'>): Promise<string | null> {
  return (await managementOf(tx, device, 4))?.prefix.gateway ?? null;
}
