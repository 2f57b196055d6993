/**
 * The DHCP message (RFC 2131, section 2), as bytes and as values.
 *
 *   op htype hlen hops | xid | secs flags | ciaddr | yiaddr | siaddr | giaddr | chaddr (16) | sname (64) | file (128) |
 *   99 130 83 99 | options ... 255
 *
 * Options may run on into `file` and `sname` (option 52), and a long option may come in several pieces (RFC 3396).
 */
import { fail, ok, type Parsed } from '../fault.ts';
import { written, type Areas } from './areas.ts';
import { macOf } from './hex.ts';
import { ipv4Number, ipv4Text } from './ipv4.ts';
import { messageTypes, type MessageType } from './options.ts';

export type MessageFault =
  | 'dhcp-short'
  | 'dhcp-cookie'
  | 'dhcp-hardware'
  | 'dhcp-op'
  | 'dhcp-option-cut'
  | 'dhcp-no-end'
  | 'dhcp-no-type'
  | 'dhcp-too-large';

export { messageTypes, type MessageType } from './options.ts';

export interface Message {
  op: 'request' | 'reply';
  hardwareType: number;
  hops: number;
  xid: number;
  secs: number;
  broadcast: boolean;
  clientAddress: string;
  yourAddress: string;
  serverAddress: string;
  relayAddress: string;
  /** As `00:00:5e:00:53:a1`; as long as the hardware's addresses are. */
  hardwareAddress: string;
  serverName: string;
  file: string;
  /** Options by code, pieces put together, in the order of their first appearance. */
  options: Map<number, Uint8Array>;
}

const FIXED = 236;
const COOKIE = [99, 130, 83, 99] as const;
const PAD = 0;
const END = 255;
const OVERLOAD = 52;
/** BOOTP's smallest message; some clients drop anything shorter. */
const SMALLEST = 300;

const text = (bytes: Uint8Array): string => {
  const end = bytes.indexOf(0);
  return String.fromCharCode(...bytes.subarray(0, end < 0 ? bytes.length : end));
};

export function decodeMessage(bytes: Uint8Array): Parsed<Message, MessageFault> {
  if (bytes.length < FIXED + 4) return fail('dhcp-short', { length: bytes.length, least: FIXED + 4 });
  if (COOKIE.some((byte, i) => bytes[FIXED + i] !== byte)) return fail('dhcp-cookie');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const op = view.getUint8(0);
  if (op !== 1 && op !== 2) return fail('dhcp-op', { op });
  const hardwareLength = view.getUint8(2);
  if (hardwareLength > 16) return fail('dhcp-hardware', { length: hardwareLength });
  const sname = bytes.subarray(44, 108);
  const file = bytes.subarray(108, FIXED);

  const options = new Map<number, Uint8Array>();
  const main = readOptions(bytes.subarray(FIXED + 4), options, true);
  if (!main.ok) return main;
  const overload = options.get(OVERLOAD)?.[0] ?? 0;
  for (const [bit, area] of [
    [1, file],
    [2, sname],
  ] as const) {
    if ((overload & bit) === 0) continue;
    const more = readOptions(area, options, false);
    if (!more.ok) return more;
  }
  return ok({
    op: op === 1 ? 'request' : 'reply',
    hardwareType: view.getUint8(1),
    hops: view.getUint8(3),
    xid: view.getUint32(4),
    secs: view.getUint16(8),
    broadcast: (view.getUint16(10) & 0x8000) !== 0,
    clientAddress: ipv4Text(bytes, 12),
    yourAddress: ipv4Text(bytes, 16),
    serverAddress: ipv4Text(bytes, 20),
    relayAddress: ipv4Text(bytes, 24),
    hardwareAddress: macOf(bytes.subarray(28, 28 + hardwareLength)),
    serverName: (overload & 2) === 0 ? text(sname) : '',
    file: (overload & 1) === 0 ? text(file) : '',
    options,
  });
}

/** Reads one area of options; a code that comes again is the next piece of the same option (RFC 3396, section 7). */
function readOptions(
  area: Uint8Array,
  options: Map<number, Uint8Array>,
  wantsEnd: boolean,
): Parsed<null, MessageFault> {
  for (let at = 0; at < area.length;) {
    const code = area[at] ?? END;
    at += 1;
    if (code === PAD) continue;
    if (code === END) return ok(null);
    const length = area[at];
    if (length === undefined || at + 1 + length > area.length) return fail('dhcp-option-cut', { code });
    const piece = area.subarray(at + 1, at + 1 + length);
    const before = options.get(code);
    options.set(code, before ? Uint8Array.of(...before, ...piece) : Uint8Array.from(piece));
    at += 1 + length;
  }
  return wantsEnd ? fail('dhcp-no-end') : ok(null);
}

export interface EncodeOptions {
  /** The largest message that the client takes (option 57), without IP and UDP headers; 548 when it did not say. */
  largest?: number;
}

/** Writes a message. Options come in the order of the map; the relay's own goes last (RFC 3046, section 2.2). */
export function encodeMessage(
  message: Message,
  { largest = 1472 }: EncodeOptions = {},
): Parsed<Uint8Array, MessageFault> {
  const options = [...message.options].filter(([code]) => code !== OVERLOAD);
  const main = written([...options.filter(([code]) => code !== RELAY), ...options.filter(([code]) => code === RELAY)]);
  return encodeAreas(message, { main }, largest);
}

/** Writes a message whose options have their places already. */
export function encodeAreas(
  message: Omit<Message, 'options'>,
  { main, sname, file }: Areas,
  largest: number,
): Parsed<Uint8Array, MessageFault> {
  const hardware =
    message.hardwareAddress === '' ? [] : message.hardwareAddress.split(':').map((pair) => parseInt(pair, 16));
  if (hardware.length > 16 || hardware.some((b) => Number.isNaN(b)))
    return fail('dhcp-hardware', { length: hardware.length });
  const size = Math.max(SMALLEST, FIXED + 4 + main.length);
  if (size > largest) return fail('dhcp-too-large', { length: size, largest });
  const bytes = new Uint8Array(size);
  const view = new DataView(bytes.buffer);
  view.setUint8(0, message.op === 'request' ? 1 : 2);
  view.setUint8(1, message.hardwareType);
  view.setUint8(2, hardware.length);
  view.setUint8(3, message.hops);
  view.setUint32(4, message.xid);
  view.setUint16(8, message.secs);
  view.setUint16(10, message.broadcast ? 0x8000 : 0);
  view.setUint32(12, ipv4Number(message.clientAddress) ?? 0);
  view.setUint32(16, ipv4Number(message.yourAddress) ?? 0);
  view.setUint32(20, ipv4Number(message.serverAddress) ?? 0);
  view.setUint32(24, ipv4Number(message.relayAddress) ?? 0);
  bytes.set(hardware, 28);
  bytes.set(sname ?? latin(message.serverName, 63), 44);
  bytes.set(file ?? latin(message.file, 127), 108);
  bytes.set(COOKIE, FIXED);
  bytes.set(main, FIXED + 4);
  return ok(bytes);
}

const latin = (words: string, most: number): number[] =>
  Array.from(words.slice(0, most), (sign) => sign.charCodeAt(0) & 255);

const RELAY = 82;

export function typeOfMessage(message: Message): Parsed<MessageType, MessageFault> {
  const type = messageTypes[message.options.get(53)?.[0] ?? 0];
  return type ? ok(type) : fail('dhcp-no-type');
}
