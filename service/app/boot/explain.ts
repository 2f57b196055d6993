/** What a device would be told if it booted now: the same decision as for a packet, with nothing taken or written. */
import { decide, type Decision } from '@zpine/core/dhcp/decide';
import { ipv4Bytes } from '@zpine/core/dhcp/ipv4';
import {
  codeNamed,
  codeOf,
  decodeOption,
  messageTypes,
  optionName,
  showOption,
  usuallyAsked,
  type SiteTypes,
} from '@zpine/core/dhcp/options';
import type { Look } from '@zpine/core/dhcp/look';
import { typesOfOwn } from '@zpine/core/dhcp/ownOptions';
import { usualClass } from '@zpine/core/dhcp/profiles';
import { decodeMessage, typeOfMessage, type Message } from '@zpine/core/dhcp/message';
import { mustParse } from '@zpine/core/fault';
import { Refusal } from '@zpine/contract/errors';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byId, find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { dialectIdOf, sitesOf } from '../devices/inForce.ts';
import { mainAddress } from '../addressing/management.ts';
import { mustFind } from '../records/refs.ts';
import { dialectOf } from '../fleet/dialects.ts';
import { memoryFor } from './gather.ts';
import { bootProfiles } from './profiles.ts';

const hex = (bytes: Uint8Array): string => Array.from(bytes, (b) => b.toString(16).padStart(2, '0')).join(' ');
const utf8 = (text: string): Uint8Array => new TextEncoder().encode(text);

/** What a DISCOVER of a box shows; its serial where nothing else tells whose it is. */
export type Shown = { serial: string | null; mac: string | null };

/** A DISCOVER as this box would send it. */
export function discoverOf({ serial, mac }: Shown, relay: string | null, vendorClass: string | undefined): Message {
  const options = new Map<number, Uint8Array>([
    [codeOf('message-type'), Uint8Array.of(messageTypes.indexOf('DISCOVER'))],
    [codeOf('parameter-request-list'), Uint8Array.from(usuallyAsked)],
  ]);
  if (vendorClass) sayClass(options, vendorClass);
  // RFC 2132, 9.14: type 0 is a name and not a hardware address.
  if (mac === null) options.set(codeOf('client-identifier'), Uint8Array.of(0, ...utf8(serial ?? '-')));
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

/** `4711:loader` is that of an enterprise (RFC 3925, section 3): its number, the length of what follows, each class with its own. */
function sayClass(options: Map<number, Uint8Array>, said: string): void {
  const [, enterprise, word] = /^([0-9]{1,10}):(.+)$/.exec(said) ?? [];
  if (enterprise === undefined || word === undefined || Number(enterprise) > 0xffff_ffff)
    return void options.set(codeOf('vendor-class'), utf8(said));
  const bytes = utf8(word);
  const head = new DataView(new ArrayBuffer(4));
  head.setUint32(0, Number(enterprise));
  const number = new Uint8Array(head.buffer);
  options.set(codeOf('vendor-class-by-enterprise'), Uint8Array.of(...number, bytes.length + 1, bytes.length, ...bytes));
}

/** Of who is told nothing. */
const nothing = {
  address: null,
  addressFrom: null,
  noFile: null,
  nextServer: null,
  file: null,
  options: [],
  untold: [],
};

type Query = QueryOf<'device.dhcp'>;
type Explained = ReplyOf<'device.dhcp'>;

export async function explainDhcp(tx: Tx, ref: string, query: Query): Promise<Explained> {
  const device = await mustFind(tx, 'device', ref);
  const [box] = await find(tx, 'box', { device_id: device.id });
  const usual = await usualRelayOf(tx, device);
  // Where the service itself is the gateway, it hears its devices on its own wire.
  const relay = query.relay ?? (usual === tx.place.address ? null : usual);
  const source = relay ?? tx.place.address;
  const vendorClass = query.class ?? (await usualClassOf(tx, device));
  const message = discoverOf(box ?? { serial: '-', mac: null }, relay, vendorClass);
  asAsked(message, query);
  if (query.message === 'REQUEST' || query.message === 'INFORM') await asHolder(tx, message, source, relay === null);
  const look = await memoryFor(tx, message, source);
  const decision = decide(look, message, { source, broadcast: relay === null }, (await tx.now()).ms);
  const seen = { ...explained(decision), device: device.key, relay, client: box ? clientWords(box) : null };
  if (!box) return { ...seen, ...nothing, silent: 'it has no box: whoever boots there is taken for a stranger' };
  const nowhere = query.relay === undefined && bootsNowhere(look, usual, (await sitesOf(tx, [device])).get(device.id));
  if (nowhere) return { ...seen, ...nothing, prefix: null, silent: nowhere };
  // Somebody else's hardware address leads to somebody else.
  if (decision.reply && decision.device?.id !== device.id)
    return { ...seen, ...nothing, silent: `it is not taken for ${device.key}: ${decision.detail}` };
  return seen;
}

/** How the device calls itself, as far as its boot profile or its sheet says. */
async function usualClassOf(tx: Tx, device: Stored<'device'>): Promise<string | undefined> {
  const of = { dialect: await dialectIdOf(tx, device), model: device.model, duty: device.duty };
  return usualClass(await bootProfiles(tx), of, (await dialectOf(tx, device))?.sheet);
}

const clientWords = ({ serial, mac }: Stored<'box'>): string => [serial, mac].filter(Boolean).join(', MAC ');

/** What the query says of the packet, put into it. */
function asAsked(message: Message, { asked, userClass, circuit, size, message: type }: Query): void {
  const put = (name: Parameters<typeof codeOf>[0], bytes: Uint8Array) => message.options.set(codeOf(name), bytes);
  if (type !== undefined) put('message-type', Uint8Array.of(messageTypes.indexOf(type)));
  if (asked !== undefined) put('parameter-request-list', Uint8Array.from(codesOf(asked)));
  if (userClass !== undefined) {
    const classes = userClass.split(',').map((one) => utf8(one.trim()));
    // RFC 3004, section 4: each with its length before it.
    put('user-class', Uint8Array.from(classes.flatMap((one) => [one.length, ...one])));
  }
  if (size !== undefined) put('maximum-message-size', Uint8Array.of(size >> 8, size & 255));
  if (circuit !== undefined) {
    const bytes = utf8(circuit);
    put('relay-agent-information', Uint8Array.of(1, bytes.length, ...bytes));
  }
}

/** `6, 67, ntp-servers` */
function codesOf(text: string): number[] {
  return text.split(',').map((part) => {
    const word = part.trim();
    const code = /^\d{1,3}$/.test(word) ? Number(word) : codeNamed(word);
    if (code === undefined || code < 1 || code > 254)
      throw Refusal.at(['asked'], 'dhcp-option-unknown', { option: word });
    return code;
  });
}

/** A client that has an address asks for that one: what it would be offered stands for it. */
async function asHolder(tx: Tx, message: Message, source: string, broadcast: boolean): Promise<void> {
  const discover = { ...message, options: new Map(message.options) };
  discover.options.set(codeOf('message-type'), Uint8Array.of(messageTypes.indexOf('DISCOVER')));
  const offered = decide(await memoryFor(tx, discover, source), discover, { source, broadcast }, (await tx.now()).ms);
  const address = offered.told?.address;
  if (address === undefined) return;
  const type = typeOfMessage(message);
  if (type.ok && type.value === 'INFORM') message.clientAddress = address;
  else message.options.set(codeOf('requested-address'), ipv4Bytes(address) ?? new Uint8Array());
}

/** Why nobody can say where a device boots: it has no address that tells, and is not where the service is. */
export function bootsNowhere(
  look: Pick<Look, 'server' | 'linksAround'>,
  usual: string | null,
  site: number | undefined,
): string | undefined {
  const here = look.linksAround(look.server)[0]?.site ?? null;
  return usual === null && site !== undefined && site !== here
    ? 'nothing says where it boots: it has no management address, and stands at another site than the service; name its relay'
    : undefined;
}

/** A decision, for people. */
function explained({
  link,
  reply,
  told,
  noFile = null,
  detail,
}: Decision): Omit<Explained, 'device' | 'client' | 'relay'> {
  if (!reply || !told) return { ...nothing, prefix: link?.key ?? null, silent: detail };
  return {
    prefix: link?.key ?? null,
    silent: null,
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

/** An exchange that was kept, decided anew by the records as they are now, beside what was answered then. */
export async function replayDhcp(tx: Tx, id: string): Promise<ReplyOf<'boot.replay'>> {
  const row = /^[1-9][0-9]{0,15}$/.test(id)
    ? await tx.one<KeptRow>(
        'SELECT id, last_at, what, detail, request, reply, source, broadcast FROM boot_record WHERE id = ?',
        [Number(id)],
      )
    : undefined;
  if (!row) throw new Refusal('not-found', { kind: 'boot record', ref: id });
  if (!row.request || row.source === null) throw new Refusal('boot-record-bare', { id });
  const message = mustParse(decodeMessage(row.request));
  const look = await memoryFor(tx, message, row.source);
  const now = decide(look, message, { source: row.source, broadcast: Boolean(row.broadcast) }, (await tx.now()).ms);
  const then = row.reply ? decodeMessage(row.reply) : undefined;
  const seen = explained(now);
  return {
    id: Number(row.id),
    at: row.last_at.toISOString(),
    what: row.what,
    then: { detail: row.detail },
    now: { ...seen, detail: now.detail },
    changes: changesBetween(then?.ok ? then.value : undefined, now.reply?.message, typesOfOwn(look.ownOptions)),
  };
}

interface KeptRow {
  id: number;
  last_at: Date;
  what: string;
  detail: string;
  request: Buffer | null;
  reply: Buffer | null;
  source: string | null;
  broadcast: number;
}

type Changes = ReplyOf<'boot.replay'>['changes'];

const FIELDS = ['yourAddress', 'serverAddress', 'file'] as const;
const fieldNames = { yourAddress: 'address', serverAddress: 'next server', file: 'file' };

/** What of the answer is another one now; options by their codes. */
function changesBetween(then: Message | undefined, now: Message | undefined, types: SiteTypes): Changes {
  const out: Changes = [];
  const shownField = (of: Message | undefined, field: (typeof FIELDS)[number]) => {
    const value = of?.[field];
    return value === undefined || value === '' || value === '0.0.0.0' ? null : value;
  };
  for (const field of FIELDS) {
    const [before, after] = [shownField(then, field), shownField(now, field)];
    if (before !== after) out.push({ code: null, name: fieldNames[field], then: before, now: after });
  }
  const codes = new Set([...(then?.options.keys() ?? []), ...(now?.options.keys() ?? [])]);
  for (const code of [...codes].sort((a, b) => a - b)) {
    const [before, after] = [then, now]
      .map((of) => of?.options.get(code))
      .map((bytes) => bytes && shownBytes(code, bytes, types));
    if (before !== after) out.push({ code, name: optionName(code, types), then: before ?? null, now: after ?? null });
  }
  return out;
}

function shownBytes(code: number, bytes: Uint8Array, types: SiteTypes): string {
  const value = decodeOption(code, bytes, types);
  return value.ok ? showOption(code, value.value, types) : hex(bytes);
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
