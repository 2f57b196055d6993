/** Zone files (RFC 1035, 5) and a hosts file, from devices and their addresses. */
import { formatIp, parseIp, type Ip } from '../addressing/ip.ts';
import { mustParse } from '../fault.ts';
import { grouped } from '../lists/grouped.ts';

export interface Host {
  name: string;
  /** Without a dot at its end. */
  domain: string;
  /** What stands for the device itself. */
  main: string[];
  interfaces: { name: string; addresses: string[] }[];
}

export interface ZoneOptions {
  /** Names of the servers that answer for the zone. */
  servers: string[];
  /** The mailbox of who answers for it: `hostmaster@brackwater.example`. */
  contact: string;
  ttlSeconds: number;
}

export interface Zone {
  name: string;
  /** The records below the head, each a line; sorted, so that the same records make the same text. */
  lines: string[];
}

/** A label of an interface: `1/3` is `1-3` (RFC 1035, 2.3.1 has letters, digits and hyphens only). */
export const labelOf = (name: string): string =>
  name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 63)
    .replace(/-+$/, '') || 'interface';

/** A device's name may have dots and underscores in it; every part is made a label. */
const hostName = (name: string): string => name.split('.').map(labelOf).join('.');

const typeOf = (ip: Ip): string => (ip.family === 4 ? 'A' : 'AAAA');

/** The reverse name of an address and the zone that it belongs to: a /24, or a /64. */
export function reverseOf(ip: Ip): { zone: string; label: string } {
  if (ip.family === 4) {
    const [a, b, c, d] = formatIp(ip).split('.');
    return { zone: `${c}.${b}.${a}.in-addr.arpa`, label: String(d) };
  }
  const nibbles = [...ip.value.toString(16).padStart(32, '0')].reverse();
  return { zone: `${nibbles.slice(16).join('.')}.ip6.arpa`, label: nibbles.slice(0, 16).join('.') };
}

interface Line {
  zone: string;
  order: string;
  text: string;
}

/** Forward and reverse zones of hosts, in the order of their names. */
export function zonesOf(hosts: readonly Host[]): Zone[] {
  const lines: Line[] = [];
  for (const host of hosts) {
    const name = hostName(host.name);
    const main = new Set(host.main);
    const forward = (label: string, text: string) => {
      const ip = mustParse(parseIp(text));
      const order = `${label} ${ip.family} ${ip.value.toString(16).padStart(32, '0')}`;
      lines.push({ zone: host.domain, order, text: `${label}\tIN\t${typeOf(ip)}\t${formatIp(ip)}` });
    };
    const back = (label: string, text: string) => {
      const ip = mustParse(parseIp(text));
      const reverse = reverseOf(ip);
      const order = ip.value.toString(16).padStart(32, '0');
      lines.push({ zone: reverse.zone, order, text: `${reverse.label}\tIN\tPTR\t${label}.${host.domain}.` });
    };
    for (const address of main) {
      forward(name, address);
      back(name, address);
    }
    for (const { name: interfaceName, addresses } of host.interfaces) {
      const label = `${labelOf(interfaceName)}.${name}`;
      for (const address of addresses) {
        forward(label, address);
        if (!main.has(address)) back(label, address);
      }
    }
  }
  const zones = [...grouped(lines, (line) => line.zone)].sort(([a], [b]) => (a < b ? -1 : 1));
  return zones.map(([name, some]) => ({ name, lines: sorted(some) }));
}

/** Each line once: two interfaces may have labels that are alike. */
const sorted = (lines: Line[]): string[] => [
  ...new Set(lines.sort((a, b) => (a.order < b.order ? -1 : a.order > b.order ? 1 : 0)).map((line) => line.text)),
];

/** `a.b@c.example` is `a\.b.c.example.` (RFC 1035, 8). */
export const mailboxOf = (contact: string): string => {
  const at = contact.lastIndexOf('@');
  return at < 0 ? `${contact}.` : `${contact.slice(0, at).replaceAll('.', '\\.')}.${contact.slice(at + 1)}.`;
};

/** What is asked again when, in seconds: refresh, retry, expire, and for how long "no such name" holds (RFC 2308). */
const SOA_TIMES = [3600, 900, 1_209_600, 300];

export function zoneText(zone: Zone, serial: number, { servers, contact, ttlSeconds }: ZoneOptions): string {
  const [first = ''] = servers;
  const soa = `@\tIN\tSOA\t${first}. ${mailboxOf(contact)} ( ${[serial, ...SOA_TIMES].join(' ')} )`;
  const names = servers.map((server) => `@\tIN\tNS\t${server}.`);
  return [`$ORIGIN ${zone.name}.`, `$TTL ${ttlSeconds}`, soa, ...names, ...zone.lines].join('\n') + '\n';
}

/**
 * The serial of a zone whose records differ from those of `before`: the day and a count of that day (RFC 1912, 2.2), and
 * always above the one before.
 */
export function nextSerial(before: number | undefined, day: string): number {
  const today = Number(day.replaceAll('-', '')) * 100;
  return before === undefined || before < today ? today : before + 1;
}

/** Addresses and names, as `/etc/hosts` has them: the device by its full name and its short one. */
export function hostsText(hosts: readonly Host[]): string {
  const lines: [Ip, string][] = [];
  for (const host of hosts) {
    const name = hostName(host.name);
    const full = (label: string) => (host.domain === '' ? label : `${label}.${host.domain}`);
    for (const address of host.main) {
      const names = [...new Set([full(name), name])].join(' ');
      lines.push([mustParse(parseIp(address)), `${address}\t${names}`]);
    }
    for (const { name: interfaceName, addresses } of host.interfaces)
      for (const address of addresses)
        if (!host.main.includes(address))
          lines.push([mustParse(parseIp(address)), `${address}\t${full(`${labelOf(interfaceName)}.${name}`)}`]);
  }
  lines.sort(([a], [b]) => a.family - b.family || (a.value < b.value ? -1 : a.value > b.value ? 1 : 0));
  return lines.map(([, text]) => `${text}\n`).join('');
}
