/**
 * TFTP packets (RFC 1350) with options (RFC 2347).
 *
 *   RRQ, WRQ  01|02  name 0 mode 0 [option 0 value 0]...      DATA  03  block(2)  bytes
 *   ACK       04  block(2)      ERROR  05  code(2)  message 0      OACK  06  [option 0 value 0]...
 */
import { fail, ok, type Parsed } from '../fault.ts';
import { utf8Bytes, utf8Text } from '../text/utf8.ts';

export type PacketFault = 'tftp-short' | 'tftp-opcode' | 'tftp-string' | 'tftp-mode' | 'tftp-option-twice';

type TransferMode = 'octet' | 'netascii';

export const errorCodes = {
  undefined: 0,
  notFound: 1,
  access: 2,
  full: 3,
  illegal: 4,
  unknownTransfer: 5,
  exists: 6,
  noUser: 7,
  options: 8,
} as const;

export type Packet =
  | { kind: 'read' | 'write'; name: string; mode: TransferMode; options: Record<string, string> }
  | { kind: 'data'; block: number; bytes: Uint8Array }
  | { kind: 'ack'; block: number }
  | { kind: 'error'; code: number; message: string }
  | { kind: 'options'; options: Record<string, string> };

const opcodes = { read: 1, write: 2, data: 3, ack: 4, error: 5, options: 6 } as const;

/** Texts that each end in a zero byte; undefined when the last does not, or one is no UTF-8. */
function strings(bytes: Uint8Array): string[] | undefined {
  if (bytes.length > 0 && bytes.at(-1) !== 0) return undefined;
  const out: string[] = [];
  for (let at = 0; at < bytes.length;) {
    const end = bytes.indexOf(0, at);
    const text = utf8Text(bytes.subarray(at, end));
    if (text === undefined) return undefined;
    out.push(text);
    at = end + 1;
  }
  return out;
}

/** Options by lower-case name (RFC 2347: names are not sensitive to case; none may come twice). */
function optionsOf(texts: string[]): Parsed<Record<string, string>, PacketFault> {
  const options: Record<string, string> = {};
  for (let i = 0; i + 1 < texts.length; i += 2) {
    const name = (texts[i] ?? '').toLowerCase();
    if (Object.hasOwn(options, name)) return fail('tftp-option-twice', { option: name });
    options[name] = texts[i + 1] ?? '';
  }
  return texts.length % 2 === 0 ? ok(options) : fail('tftp-string');
}

export function decodePacket(bytes: Uint8Array): Parsed<Packet, PacketFault> {
  if (bytes.length < 4) return fail('tftp-short', { length: bytes.length });
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const opcode = view.getUint16(0);
  const rest = bytes.subarray(2);
  switch (opcode) {
    case opcodes.read:
    case opcodes.write: {
      const texts = strings(rest);
      const [name, typedMode] = texts ?? [];
      if (!texts || !name || typedMode === undefined) return fail('tftp-string');
      const mode = typedMode.toLowerCase();
      if (mode !== 'octet' && mode !== 'netascii') return fail('tftp-mode', { mode: typedMode });
      const options = optionsOf(texts.slice(2));
      return options.ok
        ? ok({ kind: opcode === opcodes.read ? 'read' : 'write', name, mode, options: options.value })
        : options;
    }
    case opcodes.data:
      return ok({ kind: 'data', block: view.getUint16(2), bytes: Uint8Array.from(bytes.subarray(4)) });
    case opcodes.ack:
      return ok({ kind: 'ack', block: view.getUint16(2) });
    case opcodes.error: {
      const [message = ''] = strings(bytes.subarray(4)) ?? [];
      return ok({ kind: 'error', code: view.getUint16(2), message });
    }
    case opcodes.options: {
      const texts = strings(rest);
      const options = texts ? optionsOf(texts) : fail('tftp-string' as const);
      return options.ok ? ok({ kind: 'options', options: options.value }) : options;
    }
    default:
      return fail('tftp-opcode', { opcode });
  }
}

const zeroed = (texts: string[]): number[] => texts.flatMap((text) => [...(utf8Bytes(text) ?? []), 0]);
const pair = (value: number): number[] => [(value >> 8) & 255, value & 255];

export function encodePacket(packet: Packet): Uint8Array {
  const head = pair(opcodes[packet.kind]);
  switch (packet.kind) {
    case 'read':
    case 'write':
      return Uint8Array.from([
        ...head,
        ...zeroed([packet.name, packet.mode, ...Object.entries(packet.options).flat()]),
      ]);
    case 'data': {
      const bytes = new Uint8Array(4 + packet.bytes.length);
      bytes.set([...head, ...pair(packet.block)]);
      bytes.set(packet.bytes, 4);
      return bytes;
    }
    case 'ack':
      return Uint8Array.from([...head, ...pair(packet.block)]);
    case 'error':
      return Uint8Array.from([...head, ...pair(packet.code), ...zeroed([packet.message])]);
    case 'options':
      return Uint8Array.from([...head, ...zeroed(Object.entries(packet.options).flat())]);
  }
}

/** Bytes as netascii (RFC 764): a line ends in CR LF, and a lone CR is CR NUL. */
export function toNetascii(bytes: Uint8Array): Uint8Array {
  const out: number[] = [];
  for (const byte of bytes) {
    if (byte === 10) out.push(13, 10);
    else if (byte === 13) out.push(13, 0);
    else out.push(byte);
  }
  return Uint8Array.from(out);
}

export function fromNetascii(bytes: Uint8Array): Uint8Array {
  const out: number[] = [];
  for (let i = 0; i < bytes.length; i += 1) {
    const byte = bytes[i] ?? 0;
    const next = bytes[i + 1];
    if (byte === 13 && (next === 10 || next === 0)) {
      out.push(next === 10 ? 10 : 13);
      i += 1;
    } else out.push(byte);
  }
  return Uint8Array.from(out);
}
