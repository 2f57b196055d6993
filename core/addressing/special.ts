/** Addresses that are no device's of ours, whatever the records say (RFC 6890). */
import type { Ip } from './ip.ts';
import { networkOf, parsePrefix, type Prefix } from './prefix.ts';
import { mustParse } from '../fault.ts';

const ranges: readonly [string, string][] = [
  ['127.0.0.0/8', 'this machine itself'],
  ['::1/128', 'this machine itself'],
  ['0.0.0.0/8', 'no address at all'],
  ['::/128', 'no address at all'],
  ['169.254.0.0/16', 'link-local, on whichever wire it is asked'],
  ['fe80::/10', 'link-local, on whichever wire it is asked'],
  ['224.0.0.0/4', 'many at a time'],
  ['ff00::/8', 'many at a time'],
  ['255.255.255.255/32', 'everybody on a wire'],
];
const read: readonly [Prefix, string][] = ranges.map(([text, what]) => [mustParse(parsePrefix(text)), what]);

/** What an address stands for that nobody signs in at: `127.0.0.1` is this machine itself. Undefined for all others. */
export const standsFor = (ip: Ip): string | undefined =>
  read.find(([p]) => p.family === ip.family && networkOf(ip, p.length).first === p.first)?.[1];
