import { fail, ok, type Parsed } from '../fault.ts';
import { bitsOf, formatIp, maxOf, parseIp, type Family, type Ip, type IpFault } from './ip.ts';

/** A block of addresses: `first` has no host bits. */
export interface Prefix {
  family: Family;
  first: bigint;
  length: number;
}

export type PrefixFault = IpFault | 'prefix-syntax' | 'prefix-length' | 'prefix-host-bits';

export const sizeOf = (p: Prefix): bigint => 1n << BigInt(bitsOf(p.family) - p.length);
export const lastOf = (p: Prefix): bigint => p.first + sizeOf(p) - 1n;
export const formatPrefix = (p: Prefix): string => `${formatIp({ family: p.family, value: p.first })}/${p.length}`;

/** The network of `length` that `ip` lies in. */
export function networkOf(ip: Ip, length: number): Prefix {
  const hostBits = BigInt(bitsOf(ip.family) - length);
  return { family: ip.family, first: (ip.value >> hostBits) << hostBits, length };
}

export function parsePrefix(text: string): Parsed<Prefix, PrefixFault> {
  const read = parseAddressWithLength(text);
  if (!read.ok) return read;
  const { ip, length } = read.value;
  const network = networkOf(ip, length);
  if (network.first !== ip.value) {
    return fail('prefix-host-bits', { value: text.trim(), network: formatPrefix(network), host: formatIp(ip) });
  }
  return ok(network);
}

/** Reads `10.77.16.11/24`: an address and the length of the network that it stands in. */
export function parseAddressWithLength(text: string): Parsed<{ ip: Ip; length: number }, PrefixFault> {
  const value = text.trim();
  const cut = value.indexOf('/');
  if (cut < 0) {
    const bare = parseIp(value);
    return bare.ok ? fail('prefix-syntax', { value, meant: `${value}/${bitsOf(bare.value.family)}` }) : bare;
  }
  const ip = parseIp(value.slice(0, cut));
  if (!ip.ok) return ip;
  const lengthText = value.slice(cut + 1);
  const max = bitsOf(ip.value.family);
  if (!/^(0|[1-9][0-9]{0,2})$/.test(lengthText) || Number(lengthText) > max) {
    return fail('prefix-length', { value, max });
  }
  return ok({ ip: ip.value, length: Number(lengthText) });
}

export const contains = (p: Prefix, ip: Ip): boolean =>
  p.family === ip.family && ip.value >= p.first && ip.value <= lastOf(p);

export const covers = (outer: Prefix, inner: Prefix): boolean =>
  outer.family === inner.family &&
  outer.length <= inner.length &&
  contains(outer, { family: inner.family, value: inner.first });

/** All blocks that could cover `p`, the smallest first, without `p` itself. */
export function truncations(p: Prefix): Prefix[] {
  return Array.from({ length: p.length }, (_, i) => networkOf({ family: p.family, value: p.first }, p.length - 1 - i));
}

/**
 * What a device can be given: /31 and /127 both addresses (RFC 3021, RFC 6164), /32 and /128 their only one;
 * other IPv4 prefixes keep network and broadcast back, other IPv6 prefixes the first (RFC 4291, 2.6.1).
 */
export function usableRange(p: Prefix): { first: bigint; last: bigint } {
  if (p.length >= bitsOf(p.family) - 1) return { first: p.first, last: lastOf(p) };
  return { first: p.first + 1n, last: p.family === 4 ? lastOf(p) - 1n : lastOf(p) };
}
export const inFamily = (family: Family, value: bigint): boolean => value >= 0n && value <= maxOf(family);
