/** A prefix that clients boot in, made ready for decisions. */
import { parsePrefix } from '../addressing/prefix.ts';
import { parseRanges } from '../addressing/ranges.ts';
import { mustParse } from '../fault.ts';
import { maskOf } from './ipv4.ts';

/** Addresses as numbers, both ends included. */
export type Stretch = { first: number; last: number };

export type Link = {
  id: number;
  key: string;
  first: number;
  length: number;
  mask: string;
  vrf: number;
  /** By which sockets find their way there. */
  vrfName: string;
  site: number | null;
  vlan: number | null;
  gateway: string | null;
  /** More addresses that its relay sends from. */
  relays: readonly string[];
  pool: readonly Stretch[];
  quarantine: readonly Stretch[];
  leaseSeconds: number | null;
  /** Another DHCP server answers here, too: whoever is nobody's is left to it. */
  shared: boolean;
  /** Another one gives all addresses here: nobody is answered, and files are given. */
  silent: boolean;
  /** What clients here are told, which goes before the settings. */
  fields: Readonly<Record<string, string | null>>;
};

/** A prefix as the records have it. */
export type LinkRecord = {
  id: number;
  key: string;
  cidr: string;
  vrf: number;
  site: number | null;
  vlan: number | null;
  gateway: string | null;
  relays: string | null;
  pool: string | null;
  quarantine: string | null;
  leaseSeconds: number | null;
  answers: string;
  nameServers: string | null;
  timeServers: string | null;
  domain: string | null;
};

/** Undefined for a prefix of IPv6. */
export function linkOf(record: LinkRecord, vrfName: string): Link | undefined {
  const prefix = mustParse(parsePrefix(record.cidr));
  if (prefix.family !== 4) return undefined;
  const { id, key, vrf, site, vlan, gateway, leaseSeconds, nameServers, timeServers, domain } = record;
  return {
    id,
    key,
    first: Number(prefix.first),
    length: prefix.length,
    mask: maskOf(prefix.length),
    vrf,
    vrfName,
    site,
    vlan,
    gateway,
    relays: listed(record.relays),
    pool: stretches(record.pool),
    quarantine: stretches(record.quarantine),
    leaseSeconds,
    shared: record.answers === 'known',
    silent: record.answers === 'none',
    fields: { nameServers, timeServers, domain },
  };
}

export const listed = (text: string | null): string[] => text?.split(', ').filter((one) => one !== '') ?? [];

const stretches = (text: string | null): Stretch[] =>
  text
    ? mustParse(parseRanges(text)).map((range) => ({
        first: Number(range.first.value),
        last: Number(range.last.value),
      }))
    : [];

export const holds = ({ first, length }: Pick<Link, 'first' | 'length'>, address: number): boolean =>
  address >= first && address < first + 2 ** (32 - length);

export const inside = (stretches: readonly Stretch[], address: number): boolean =>
  stretches.some(({ first, last }) => address >= first && address <= last);
