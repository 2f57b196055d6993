import { fail, ok, type Parsed } from '../fault.ts';

export type Family = 4 | 6;

/** One address. `value` counts within its family: 0 to 2^32-1 or 0 to 2^128-1. */
export interface Ip {
  family: Family;
  value: bigint;
}

export type IpFault =
  | 'address-syntax'
  | 'address-leading-zero'
  | 'address-short-form'
  | 'address-zone'
  | 'address-mapped'
  | 'address-octet';

export const bitsOf = (family: Family): 32 | 128 => (family === 4 ? 32 : 128);
export const maxOf = (family: Family): bigint => (1n << BigInt(bitsOf(family))) - 1n;

const MAPPED = 0xffffn << 32n;

/** Reads an address strictly: no leading zeros, no short forms, no zone, no v4-mapped text. */
export function parseIp(text: string): Parsed<Ip, IpFault> {
  const value = text.trim();
  if (value.includes('%')) return fail('address-zone', { value, meant: value.slice(0, value.indexOf('%')) });
  return value.includes(':') ? parseV6(value) : parseV4(value);
}

function parseV4(value: string): Parsed<Ip, IpFault> {
  if (!/^[0-9]+(\.[0-9]+)*$/.test(value)) return fail('address-syntax', { value });
  const parts = value.split('.');
  if (parts.length < 4) return fail('address-short-form', { value });
  if (parts.length > 4) return fail('address-syntax', { value });
  if (parts.some((p) => p.length > 1 && p.startsWith('0'))) {
    return fail('address-leading-zero', { value, meant: parts.map((p) => p.replace(/^0+(?=\d)/, '')).join('.') });
  }
  let number = 0n;
  for (const part of parts) {
    if (part.length > 3 || Number(part) > 255) return fail('address-octet', { value, part });
    number = (number << 8n) | BigInt(part);
  }
  return ok({ family: 4, value: number });
}

/** RFC 4291, 2.2: eight groups, one `::` for one or more groups of zeros, the last two as dotted quad if wished. */
function parseV6(value: string): Parsed<Ip, IpFault> {
  const syntax = () => fail('address-syntax' as const, { value });
  let text = value.toLowerCase();
  const dotted = /^(.*:)(\d+\.\d+\.\d+\.\d+)$/.exec(text);
  if (dotted) {
    const tail = parseV4(dotted[2] ?? '');
    if (!tail.ok) return tail;
    const high = tail.value.value >> 16n;
    const low = tail.value.value & 0xffffn;
    text = `${dotted[1]}${high.toString(16)}:${low.toString(16)}`;
  }
  const halves = text.split('::');
  if (halves.length > 2) return syntax();
  const groupsOf = (half: string | undefined) => (half === undefined || half === '' ? [] : half.split(':'));
  const head = groupsOf(halves[0]);
  const tail = groupsOf(halves[1]);
  const given = head.length + tail.length;
  if (halves.length === 2 ? given > 7 : given !== 8) return syntax();
  const groups = halves.length === 2 ? [...head, ...Array<string>(8 - given).fill('0'), ...tail] : head;
  let number = 0n;
  for (const group of groups) {
    if (!/^[0-9a-f]{1,4}$/.test(group)) return syntax();
    number = (number << 16n) | BigInt(`0x${group}`);
  }
  if (number >> 32n === 0xffffn) {
    return fail('address-mapped', { value, meant: formatIp({ family: 4, value: number & 0xffffffffn }) });
  }
  return ok({ family: 6, value: number });
}

/** The one spelling of an address: dotted quad, or RFC 5952. */
export function formatIp(ip: Ip): string {
  if (ip.family === 4) return [24n, 16n, 8n, 0n].map((shift) => (ip.value >> shift) & 255n).join('.');
  const groups = Array.from({ length: 8 }, (_, i) => Number((ip.value >> BigInt(112 - 16 * i)) & 0xffffn));
  const run = longestZeroRun(groups);
  const hex = (part: number[]) => part.map((g) => g.toString(16)).join(':');
  // RFC 5952, 4.2.2 and 4.2.3: shorten only two or more groups; the longest run, the first one on a tie.
  return run.length < 2
    ? hex(groups)
    : `${hex(groups.slice(0, run.start))}::${hex(groups.slice(run.start + run.length))}`;
}

function longestZeroRun(groups: number[]): { start: number; length: number } {
  let best = { start: 0, length: 0 };
  let start = 0;
  for (let i = 0; i <= groups.length; i += 1) {
    if (groups[i] === 0) continue;
    if (i - start > best.length) best = { start, length: i - start };
    start = i + 1;
  }
  return best;
}

/** Sixteen bytes, IPv4 mapped (RFC 4291, 2.5.5.2): how addresses are stored. */
export function toBytes(ip: Ip): Uint8Array {
  let value = ip.family === 4 ? MAPPED | ip.value : ip.value;
  const bytes = new Uint8Array(16);
  for (let i = 15; i >= 0; i -= 1) {
    bytes[i] = Number(value & 255n);
    value >>= 8n;
  }
  return bytes;
}

export function fromBytes(bytes: Uint8Array, family: Family): Ip {
  let value = 0n;
  for (const byte of bytes) value = (value << 8n) | BigInt(byte);
  return { family, value: family === 4 ? value & 0xffffffffn : value };
}
