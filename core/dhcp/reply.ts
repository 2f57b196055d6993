/**
 * What a client is told: a pure function from the message, and what the records say about its sender, to the reply with
 * a reason for every part. Nothing here reads a clock or a database.
 */
import { fail, ok, type Parsed } from '../fault.ts';
import { placed, type Entry } from './areas.ts';
import { hexOf } from './hex.ts';
import {
  codeOf,
  encodeOption,
  optionName,
  showOption,
  type OptionFault,
  type OptionName,
  type OptionValue,
  type SiteTypes,
} from './options.ts';
import { encodeAreas, messageTypes, type Message, type MessageFault, type MessageType } from './message.ts';

/** One option that could be told, and where it comes from: `prefix 10.77.16.0/24, gateway`. */
export interface Offerable {
  code: number;
  value: OptionValue;
  from: string;
  /** Told even when the client did not ask for it. */
  always?: boolean;
  /** Not told, even when the client asks for it. */
  withheld?: boolean;
  /** Who says that. */
  withheldBy?: string;
}

/** What the records say about a client. */
export interface Told {
  address: string;
  addressFrom: string;
  leaseSeconds: number;
  /** Where that comes from. */
  leaseFrom: string;
  /** What the client knows this server by: option 54. */
  serverAddress: string;
  /** Where that comes from; left out, it is the address of the server itself. */
  serverFrom?: string;
  /** The boot file, if this client is given one. */
  file?: { name: string; server: string; from: string };
  options: Offerable[];
  siteTypes?: SiteTypes;
  /** Options whose values cannot be written. */
  unwritten?: readonly { code: number; name: string; why: string }[];
}

/** One line of an explanation: what stands in the reply, as value and as bytes, and why. */
interface Line {
  code: number;
  name: string;
  value: string;
  bytes: Uint8Array;
  from: string;
}

/** An option on its way into a reply. */
type Wanted = Entry & { value: OptionValue; from: string };

export class Reply {
  readonly message: Message;
  readonly bytes: Uint8Array;
  /** What was not told, and why: not asked for, or no room. */
  readonly untold: readonly { code: number; name: string; why: string }[];
  private readonly told: readonly Wanted[];
  private readonly siteTypes: SiteTypes | undefined;

  constructor(
    message: Message,
    bytes: Uint8Array,
    told: readonly Wanted[],
    untold: Reply['untold'],
    siteTypes: SiteTypes | undefined,
  ) {
    this.message = message;
    this.bytes = bytes;
    this.told = told;
    this.untold = untold;
    this.siteTypes = siteTypes;
  }

  /** Made when somebody wants to read them. */
  get lines(): Line[] {
    return this.told.map(({ code, value, bytes, from }) => ({
      code,
      name: optionName(code, this.siteTypes),
      value: showOption(code, value, this.siteTypes),
      bytes,
      from,
    }));
  }
}

type Untold = Reply['untold'][number];

/** With the NUL behind it (RFC 2131, section 2). */
export const LONGEST_FILE = 127;

const ALWAYS = new Set([codeOf('subnet-mask'), codeOf('routers')]);

/** OFFER to a DISCOVER, ACK to a REQUEST; to an INFORM an ACK without a lease (RFC 2131, 4.3.5). */
export function buildReply(
  request: Message,
  type: 'OFFER' | 'ACK',
  told: Told,
): Parsed<Reply, OptionFault | MessageFault> {
  const informs = typeName(request) === 'INFORM';
  const lines: Wanted[] = [];
  const untold: Untold[] = (told.unwritten ?? []).map((one) => ({
    ...one,
    why: `its value cannot be written: ${one.why}`,
  }));
  const nameOf = (code: number) => optionName(code, told.siteTypes);
  const put = (code: number, value: OptionValue, from: string, must: boolean): OptionFault | undefined => {
    const bytes = encodeOption(code, value, told.siteTypes);
    if (!bytes.ok) return bytes.fault.code;
    lines.push({ code, value, bytes: bytes.value, from, must });
    return undefined;
  };
  const lease: [OptionName, OptionValue, string, boolean][] = [
    ['lease-time', told.leaseSeconds, told.leaseFrom, true],
    // RFC 2131, 4.4.5: half and seven eighths.
    ['renewal-time', Math.floor(told.leaseSeconds / 2), 'half of the lease', false],
    ['rebinding-time', Math.floor((told.leaseSeconds * 7) / 8), 'seven eighths of the lease', false],
  ];
  const fixed: [OptionName, OptionValue, string, boolean][] = [
    ['message-type', messageTypes.indexOf(type), `the answer to a ${typeName(request)}`, true],
    ['server-identifier', told.serverAddress, told.serverFrom ?? 'this server', true],
    ...(informs ? [] : lease),
  ];
  for (const [name, value, from, must] of fixed) {
    const fault = put(codeOf(name), value, from, must);
    if (fault) return fail(fault, { code: codeOf(name) });
  }
  const asked = [...(request.options.get(codeOf('parameter-request-list')) ?? [])];
  for (const { code, value, from, always, withheld, withheldBy } of inOrder(told.options, asked)) {
    const needed = always || ALWAYS.has(code);
    if (withheld || (!needed && !asked.includes(code))) {
      untold.push({
        code,
        name: nameOf(code),
        why: withheld ? `it is withheld${withheldBy ? `: ${withheldBy}` : ''}` : 'the client did not ask for it',
      });
      continue;
    }
    // One that cannot be written keeps nobody from the others.
    const fault = put(code, value, from, code === codeOf('subnet-mask'));
    if (fault) untold.push({ code, name: nameOf(code), why: `its value cannot be written: ${fault}` });
  }
  lines.push(...echoed(request));
  return written(replyTo(request, told), lines, untold, largestOf(request), told.siteTypes);
}

const typeName = (request: Message): string => messageTypes[request.options.get(53)?.[0] ?? 0] ?? '';

/** RFC 2132, 9.8: in the order of the request list; what nobody asked for comes behind it. */
function inOrder(options: readonly Offerable[], asked: readonly number[]): Offerable[] {
  const places = new Map(asked.map((code, at) => [code, at]));
  const place = ({ code }: Offerable) => places.get(code) ?? asked.length;
  const sorted = [...options].sort((a, b) => place(a) - place(b));
  // RFC 2132, 3.3: a mask goes before the routers.
  const mask = sorted.findIndex(({ code }) => code === codeOf('subnet-mask'));
  const routers = sorted.findIndex(({ code }) => code === codeOf('routers'));
  if (routers >= 0 && mask > routers) sorted.splice(routers, 0, ...sorted.splice(mask, 1));
  return sorted;
}

/** IP and UDP headers. */
const HEADERS = 28;
const FIELDS = 240;
const SMALLEST_MESSAGE = 576;
const LARGEST_MESSAGE = 1500;

/** The largest message that the client takes (RFC 2132, 9.10), without its headers; less than 576 is not believed. */
function largestOf(request: Message): number {
  const bytes = request.options.get(codeOf('maximum-message-size'));
  const said = bytes?.length === 2 ? (bytes[0] ?? 0) * 256 + (bytes[1] ?? 0) : SMALLEST_MESSAGE;
  return Math.min(LARGEST_MESSAGE, Math.max(SMALLEST_MESSAGE, said)) - HEADERS;
}

function written(
  message: Message,
  lines: Wanted[],
  untold: Untold[],
  largest: number,
  siteTypes: SiteTypes | undefined,
): Parsed<Reply, MessageFault> {
  const fields = { main: largest - FIELDS, sname: message.serverName === '', file: message.file === '' };
  let fits = placed(lines, fields);
  const bootfile = codeOf('bootfile-name');
  const twice = lines.some(({ code }) => code === bootfile) && message.file !== '';
  if (fits.left.length > 0 && twice) {
    // RFC 2132, 9.5: option 67 says the name where the field has options in it.
    const freed = placed(lines, { ...fields, file: true });
    if (freed.left.length < fits.left.length && !freed.left.includes(bootfile)) {
      fits = freed;
      if (freed.areas.file) message.file = '';
    }
  }
  const { areas, left } = fits;
  const missing = lines.find(({ code, must }) => must && left.includes(code));
  if (missing) return fail('dhcp-too-large', { length: largest + missing.bytes.length, largest });
  const bytes = encodeAreas(message, areas, largest);
  if (!bytes.ok) return bytes;
  const why = `no room: the client takes messages of ${largest + HEADERS} bytes`;
  for (const { code } of lines) if (left.includes(code)) untold.push({ code, name: optionName(code, siteTypes), why });
  const told = left.length === 0 ? lines : lines.filter(({ code }) => !left.includes(code));
  for (const line of told) message.options.set(line.code, line.bytes);
  return ok(new Reply(message, bytes.value, told, untold, siteTypes));
}

/** The client identifier comes back (RFC 6842), and the relay's information, last of all (RFC 3046, section 2.2). */
function echoed(request: Message): Wanted[] {
  const from: [OptionName, string][] = [
    ['client-identifier', 'as the client sent it'],
    ['relay-agent-information', 'as the relay sent it'],
  ];
  return from.flatMap(([name, why]) => {
    const code = codeOf(name);
    const bytes = request.options.get(code);
    return bytes ? [{ code, value: hexOf(bytes), bytes, from: why, must: true }] : [];
  });
}

const replyTo = (request: Message, told: Pick<Told, 'address' | 'file'>): Message => ({
  op: 'reply',
  hardwareType: request.hardwareType,
  hops: 0,
  xid: request.xid,
  secs: 0,
  broadcast: request.broadcast,
  clientAddress: ['REQUEST', 'INFORM'].includes(typeName(request)) ? request.clientAddress : '0.0.0.0',
  yourAddress: typeName(request) === 'INFORM' ? '0.0.0.0' : told.address,
  serverAddress: told.file?.server ?? '0.0.0.0',
  relayAddress: request.relayAddress,
  hardwareAddress: request.hardwareAddress,
  serverName: '',
  // What is longer stands in option 67 alone.
  file: told.file && told.file.name.length <= LONGEST_FILE ? told.file.name : '',
  options: new Map(),
});

/** "No": the address that the client wants is not its own here (RFC 2131, 4.3.2). */
export function buildNak(request: Message, serverAddress: string, words: string): Parsed<Uint8Array, MessageFault> {
  const entries: Entry[] = [];
  for (const [name, value] of [
    ['message-type', messageTypes.indexOf('NAK')],
    ['server-identifier', serverAddress],
    ['message', words],
  ] as const) {
    const bytes = encodeOption(codeOf(name), value);
    if (bytes.ok) entries.push({ code: codeOf(name), bytes: bytes.value, must: name !== 'message' });
  }
  entries.push(...echoed(request));
  const largest = largestOf(request);
  const { areas } = placed(entries, { main: largest - FIELDS, sname: true, file: true });
  // A relay must broadcast it: the client cannot be reached at an address that is not its own.
  const nak = { ...replyTo(request, { address: '0.0.0.0' }), clientAddress: '0.0.0.0', broadcast: true };
  return encodeAreas(nak, areas, largest);
}

/** Where a reply goes (RFC 2131, 4.1). */
export type Destination = { to: 'relay' | 'client'; address: string; port: 67 | 68 } | { to: 'broadcast'; port: 68 };

/** `onWire`: the client is on the service's own wire, where it hears broadcasts. */
export function destinationOf(request: Message, type: MessageType, onWire: boolean): Destination {
  const own = request.clientAddress;
  // RFC 2131, 4.3.5: parameters go to the address that the client has.
  if (typeName(request) === 'INFORM' && own !== '0.0.0.0') return { to: 'client', address: own, port: 68 };
  if (request.relayAddress !== '0.0.0.0') return { to: 'relay', address: request.relayAddress, port: 67 };
  // Of a client behind a router nobody on this wire has asked anything.
  if (type === 'NAK' && (onWire || own === '0.0.0.0')) return { to: 'broadcast', port: 68 };
  if (own !== '0.0.0.0') return { to: 'client', address: own, port: 68 };
  // A unicast to an address that the client does not have yet would need an ARP entry; every client takes a broadcast.
  return { to: 'broadcast', port: 68 };
}

/** What a REQUEST is about (RFC 2131, table 4). */
export type RequestState = 'selecting' | 'rebooting' | 'renewing';

export function requestState(request: Message): RequestState {
  if (request.options.has(codeOf('server-identifier'))) return 'selecting';
  return request.options.has(codeOf('requested-address')) ? 'rebooting' : 'renewing';
}

/** The address that a client asks for: option 50, or the one that it uses already. */
export const wantedAddress = (request: Message): string | undefined => {
  const bytes = request.options.get(codeOf('requested-address'));
  if (bytes?.length === 4) return Array.from(bytes).join('.');
  return request.clientAddress === '0.0.0.0' ? undefined : request.clientAddress;
};
