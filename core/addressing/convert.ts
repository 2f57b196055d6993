/** What people work out by hand: masks, wildcards, ranges as prefixes, reverse names, and the way back from each. */
import { fail, ok, type Parsed } from '../fault.ts';
import { bitsOf, formatIp, maxOf, parseIp, type Family, type Ip, type IpFault } from './ip.ts';
import {
  formatPrefix,
  lastOf,
  networkOf,
  parseAddressWithLength,
  sizeOf,
  usableRange,
  type Prefix,
  type PrefixFault,
} from './prefix.ts';
import { parseRange, type RangeFault } from './ranges.ts';

export interface Conversion {
  /** What was understood. */
  is: 'address' | 'prefix' | 'mask' | 'range' | 'reverse-name';
  facts: [string, string][];
}

export type ConvertFault = PrefixFault | RangeFault | IpFault | 'mask-syntax';

/** Reads an address, a prefix (host bits or not), an address with a mask or wildcard, a range, or a reverse name. */
export function convert(text: string): Parsed<Conversion, ConvertFault> {
  const value = text.trim();
  const reverse = fromReverse(value);
  if (reverse) return ok({ is: 'reverse-name', facts: factsOfAddress(reverse) });
  if (value.includes('/') && !/\/\S*\./.test(value)) {
    const read = parseAddressWithLength(value);
    return read.ok ? ok(ofAddressIn(read.value.ip, read.value.length)) : read;
  }
  const [first = '', second] = value.split(/[\s/]+/);
  if (second !== undefined && !value.includes('-')) {
    const [ip, mask] = [parseIp(first), parseIp(second)];
    if (!ip.ok) return ip;
    if (!mask.ok) return mask;
    const length = lengthOfMask(mask.value);
    if (length === undefined || ip.value.family !== 4) return fail('mask-syntax', { value: second });
    return ok(ofAddressIn(ip.value, length));
  }
  if (value.includes('-')) {
    const range = parseRange(value);
    if (!range.ok) return range;
    const { family } = range.value.first;
    const blocks = prefixesOf(range.value.first.value, range.value.last.value, family);
    return ok({
      is: 'range',
      facts: [
        ['addresses', String(range.value.last.value - range.value.first.value + 1n)],
        ['prefixes', blocks.map(formatPrefix).join(', ')],
      ],
    });
  }
  const ip = parseIp(value);
  if (!ip.ok) return ip;
  const length = ip.value.family === 4 ? lengthOfMask(ip.value) : undefined;
  if (length !== undefined && (ip.value.value >= 0x80000000n || ip.value.value === 0n))
    return ok({
      is: 'mask',
      facts: [['length', `/${length}`], ...masks(length), ['addresses', String(1n << BigInt(32 - length))]],
    });
  return ok({ is: 'address', facts: factsOfAddress(ip.value) });
}

/** The length that a mask, or a wildcard, stands for. */
function lengthOfMask({ family, value }: Ip): number | undefined {
  if (family !== 4) return undefined;
  const bits = value.toString(2).padStart(32, '0');
  const mask = /^(1*)0*$/.exec(bits);
  if (mask) return mask[1]?.length ?? 0;
  return /^(0*)1*$/.exec(bits)?.[1]?.length;
}

const four = (value: bigint): string => formatIp({ family: 4, value });
const maskOf = (length: number): bigint => maxOf(4) ^ ((1n << BigInt(32 - length)) - 1n);
const masks = (length: number): [string, string][] => [
  ['mask', four(maskOf(length))],
  ['wildcard', four(maxOf(4) ^ maskOf(length))],
];

function ofAddressIn(ip: Ip, length: number): Conversion {
  const network = networkOf(ip, length);
  const host = network.first !== ip.value && length < bitsOf(ip.family);
  const usable = usableRange(network);
  const range = (a: bigint, b: bigint) =>
    `${formatIp({ family: ip.family, value: a })}-${formatIp({ family: ip.family, value: b })}`;
  return {
    is: 'prefix',
    facts: [
      ...(host ? ([['host', formatIp(ip)]] as [string, string][]) : []),
      ['network', formatPrefix(network)],
      ...(ip.family === 4 ? masks(length) : []),
      ['for devices', range(usable.first, usable.last)],
      ...(ip.family === 4 && length < 31
        ? ([['broadcast', formatIp({ family: 4, value: lastOf(network) })]] as [string, string][])
        : []),
      ['addresses', String(sizeOf(network))],
      ['reverse zones', reverseZones(network).join(', ')],
    ],
  };
}

const factsOfAddress = (ip: Ip): [string, string][] => [
  ['address', formatIp(ip)],
  ['reverse name', reverseName(ip)],
  ...(ip.family === 4 ? ([['hexadecimal', ip.value.toString(16).padStart(8, '0')]] as [string, string][]) : []),
];

/** RFC 1035, 3.5; RFC 3596, 2.5. */
export function reverseName({ family, value }: Ip): string {
  if (family === 4) return `${four(value).split('.').reverse().join('.')}.in-addr.arpa`;
  return `${[...value.toString(16).padStart(32, '0')].reverse().join('.')}.ip6.arpa`;
}

function fromReverse(text: string): Ip | undefined {
  const [, v4] = /^([0-9.]+)\.in-addr\.arpa\.?$/i.exec(text) ?? [];
  if (v4 !== undefined) {
    const read = parseIp(v4.split('.').reverse().join('.'));
    return read.ok ? read.value : undefined;
  }
  const [, v6] = /^((?:[0-9a-f]\.){31}[0-9a-f])\.ip6\.arpa\.?$/i.exec(text) ?? [];
  return v6 === undefined ? undefined : { family: 6, value: BigInt(`0x${v6.split('.').reverse().join('')}`) };
}

/** The zones that hold the reverse names of a prefix: on octets, or on half octets of IPv6. At most sixteen are named. */
function reverseZones(p: Prefix): string[] {
  const step = p.family === 4 ? 8 : 4;
  const length = Math.min(Math.ceil(p.length / step) * step, p.family === 4 ? 24 : 128);
  const zones: string[] = [];
  const size = 1n << BigInt(bitsOf(p.family) - length);
  for (
    let at = networkOf({ family: p.family, value: p.first }, length).first;
    at <= lastOf(p) && zones.length < 16;
    at += size
  ) {
    const parts = reverseName({ family: p.family, value: at }).split('.');
    zones.push(parts.slice((bitsOf(p.family) - length) / step).join('.'));
  }
  return zones;
}

/** The fewest prefixes that make up a range. */
export function prefixesOf(first: bigint, last: bigint, family: Family): Prefix[] {
  const out: Prefix[] = [];
  const bits = bitsOf(family);
  for (let at = first; at <= last;) {
    let host = 0;
    while (host < bits && at % (1n << BigInt(host + 1)) === 0n && at + (1n << BigInt(host + 1)) - 1n <= last) host += 1;
    out.push({ family, first: at, length: bits - host });
    at += 1n << BigInt(host);
  }
  return out;
}
