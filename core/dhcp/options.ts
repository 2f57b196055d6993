/**
 * DHCP options: one table of what exists, one codec per type of value. RFC 2132 unless the row says otherwise.
 * A value that does not fit its type is a fault of the packet; nothing here throws.
 */
import { fail, ok, type Parsed } from '../fault.ts';
import { utf8Bytes, utf8Text } from '../text/utf8.ts';
import { hexOf } from './hex.ts';
import { bytesOfIpv4, ipv4Bytes, ipv4Number, ipv4Text, maskOf } from './ipv4.ts';

/** RFC 2132, 9.6; RFC 3203; RFC 4388; RFC 6926; RFC 7724: by number. */
export const messageTypes = [
  '',
  'DISCOVER',
  'OFFER',
  'REQUEST',
  'DECLINE',
  'ACK',
  'NAK',
  'RELEASE',
  'INFORM',
  'FORCERENEW',
  'LEASEQUERY',
  'LEASEUNASSIGNED',
  'LEASEUNKNOWN',
  'LEASEACTIVE',
  'BULKLEASEQUERY',
  'LEASEQUERYDONE',
  'ACTIVELEASEQUERY',
  'LEASEQUERYSTATUS',
  'TLS',
] as const;
export type MessageType = Exclude<(typeof messageTypes)[number], ''>;

export type OptionFault = 'dhcp-option-length' | 'dhcp-option-value' | 'dhcp-option-type';

export type OptionValue = string | number | boolean | string[] | number[];

interface Codec<T extends OptionValue> {
  decode: (bytes: Uint8Array) => Parsed<T, OptionFault>;
  encode: (value: OptionValue) => Parsed<Uint8Array, OptionFault>;
  /** How a person reads it. */
  show: (value: OptionValue) => string;
}

const wrong = (value: OptionValue, expected: string) =>
  fail('dhcp-option-type' as const, { value: String(value), expected });
const length = (bytes: Uint8Array, expected: string) =>
  fail('dhcp-option-length' as const, { length: bytes.length, expected });

const plain = (value: OptionValue): string => (Array.isArray(value) ? value.join(', ') : String(value));

/** An unsigned number of a fixed width, network order. */
const unsigned = (width: 1 | 2 | 4): Codec<number> => ({
  decode: (bytes) =>
    bytes.length === width ? ok(bytes.reduce((sum, byte) => sum * 256 + byte, 0)) : length(bytes, String(width)),
  encode: (value) => {
    if (typeof value !== 'number' || !Number.isInteger(value) || value < 0 || value >= 256 ** width) {
      return wrong(value, `a number from 0 to ${256 ** width - 1}`);
    }
    const bytes = new Uint8Array(width);
    for (let at = width - 1, rest = value; at >= 0; at -= 1, rest = Math.floor(rest / 256)) bytes[at] = rest % 256;
    return ok(bytes);
  },
  show: plain,
});

/** RFC 2132, 3.4: two's complement. */
const signed: Codec<number> = {
  decode: (bytes) => (bytes.length === 4 ? ok(bytes.reduce((sum, byte) => (sum << 8) | byte, 0)) : length(bytes, '4')),
  encode: (value) =>
    typeof value === 'number' && Number.isInteger(value) && Math.abs(value) < 2 ** 31
      ? unsigned(4).encode(value >>> 0)
      : wrong(value, 'a whole number of 32 bits'),
  show: plain,
};

const LABEL = /^[A-Za-z0-9_]([A-Za-z0-9_-]{0,61}[A-Za-z0-9_])?$/;

/** RFC 1035, 3.1: labels, each with its length before it. */
function nameBytes(name: string): number[] | undefined {
  const labels = name.replace(/\.$/, '').split('.');
  if (labels.some((label) => !LABEL.test(label))) return undefined;
  const bytes = labels.flatMap((label) => [label.length, ...Array.from(label, (sign) => sign.charCodeAt(0))]);
  return bytes.length < 255 ? [...bytes, 0] : undefined;
}

/** RFC 3397: names behind one another, in which a name may go on at an earlier place (RFC 1035, 4.1.4). */
function namesOf(bytes: Uint8Array): string[] | undefined {
  const names: string[] = [];
  for (let at = 0; at < bytes.length;) {
    const labels: string[] = [];
    let next: number | undefined;
    for (let place = at; ;) {
      const size = bytes[place];
      if (size === undefined) return undefined;
      if (size >= 192) {
        next ??= place + 2;
        const earlier = (size & 63) * 256 + (bytes[place + 1] ?? 0);
        // Only backwards: whatever leads forward, or to itself, goes round for ever.
        if (place + 1 >= bytes.length || earlier >= place) return undefined;
        place = earlier;
      } else if (size > 63 || place + 1 + size > bytes.length || labels.length > 127) return undefined;
      else if (size === 0) {
        at = next ?? place + 1;
        break;
      } else {
        labels.push(String.fromCharCode(...bytes.subarray(place + 1, place + 1 + size)));
        place += 1 + size;
      }
    }
    names.push(labels.join('.'));
  }
  return names;
}

/** RFC 3442: the length of a destination, as many of its bytes as count, the router. */
function routesOf(bytes: Uint8Array): string[] | undefined {
  const routes: string[] = [];
  for (let at = 0; at < bytes.length;) {
    const bits = bytes[at] ?? 33;
    const count = Math.ceil(bits / 8);
    if (bits > 32 || at + 1 + count + 4 > bytes.length) return undefined;
    const destination = Uint8Array.from({ length: 4 }, (_, i) => (i < count ? (bytes[at + 1 + i] ?? 0) : 0));
    routes.push(`${ipv4Text(destination)}/${bits} by ${ipv4Text(bytes, at + 1 + count)}`);
    at += 1 + count + 4;
  }
  return routes;
}

function routeBytes(text: string): number[] | undefined {
  const [, address = '', bits = '', router = ''] = /^(\S+)\/(\d{1,2}) by (\S+)$/.exec(text.trim()) ?? [];
  const [destination, by, length] = [ipv4Number(address), ipv4Bytes(router), Number(bits)];
  if (destination === undefined || !by || length > 32) return undefined;
  if ((destination & (ipv4Number(maskOf(length)) ?? 0)) >>> 0 !== destination) return undefined;
  return [length, ...bytesOfIpv4(destination).subarray(0, Math.ceil(length / 8)), ...by];
}

/** A list of texts, each of which is written by itself. */
const listOf = (
  read: (bytes: Uint8Array) => string[] | undefined,
  write: (text: string) => number[] | undefined,
  expected: string,
): Codec<string[]> => ({
  decode: (bytes) => {
    const names = bytes.length > 0 ? read(bytes) : undefined;
    return names ? ok(names) : fail('dhcp-option-value', { value: hexOf(bytes) });
  },
  encode: (value) => {
    if (!Array.isArray(value) || value.length === 0) return wrong(value, `a list of ${expected}`);
    const parts = value.map((item) => write(String(item)));
    const bad = parts.indexOf(undefined);
    if (bad >= 0) return wrong(value[bad] ?? '', `a list of ${expected}`);
    return ok(Uint8Array.from(parts.flatMap((part) => part ?? [])));
  },
  show: plain,
});

const codecs = {
  address: {
    decode: (bytes) => (bytes.length === 4 ? ok(ipv4Text(bytes)) : length(bytes, '4')),
    encode: (value) => {
      const bytes = typeof value === 'string' ? ipv4Bytes(value) : undefined;
      return bytes ? ok(bytes) : wrong(value, 'an IPv4 address');
    },
    show: plain,
  } satisfies Codec<string>,
  addresses: {
    decode: (bytes) =>
      bytes.length > 0 && bytes.length % 4 === 0
        ? ok(Array.from({ length: bytes.length / 4 }, (_, i) => ipv4Text(bytes, i * 4)))
        : length(bytes, 'a multiple of 4'),
    encode: (value) => {
      if (!Array.isArray(value) || value.length === 0) return wrong(value, 'a list of IPv4 addresses');
      const bytes = new Uint8Array(value.length * 4);
      for (const [at, item] of value.entries()) {
        const address = ipv4Bytes(String(item));
        if (!address) return wrong(item, 'an IPv4 address');
        bytes.set(address, at * 4);
      }
      return ok(bytes);
    },
    show: plain,
  } satisfies Codec<string[]>,
  text: {
    // RFC 2132, section 2: no terminating NUL; one that came is dropped.
    decode: (bytes) => {
      const end = bytes.at(-1) === 0 ? bytes.length - 1 : bytes.length;
      if (end === 0) return length(bytes, 'at least 1');
      const text = utf8Text(bytes.subarray(0, end));
      return text === undefined ? fail('dhcp-option-value', { value: hexOf(bytes) }) : ok(text);
    },
    encode: (value) => {
      const bytes = typeof value === 'string' && value !== '' ? utf8Bytes(value) : undefined;
      return bytes ? ok(bytes) : wrong(value, 'text');
    },
    show: (value) => `"${plain(value)}"`,
  } satisfies Codec<string>,
  uint8: unsigned(1),
  uint16: unsigned(2),
  uint32: unsigned(4),
  int32: signed,
  names: listOf(namesOf, nameBytes, 'names of domains'),
  routes: listOf(routesOf, routeBytes, 'routes, such as 10.77.0.0/16 by 10.77.16.1'),
  messageType: { ...unsigned(1), show: (value: OptionValue) => messageTypes[Number(value)] || plain(value) },
  seconds: { ...unsigned(4), show: (value: OptionValue) => `${plain(value)} s` },
  flag: {
    decode: (bytes) =>
      bytes.length === 1 && (bytes[0] ?? 2) < 2 ? ok(bytes[0] === 1) : length(bytes, '1, with 0 or 1 in it'),
    encode: (value) => (typeof value === 'boolean' ? ok(Uint8Array.of(value ? 1 : 0)) : wrong(value, 'true or false')),
    show: (value: OptionValue) => (value ? 'yes' : 'no'),
  } satisfies Codec<boolean>,
  codes: {
    decode: (bytes) => (bytes.length > 0 ? ok([...bytes]) : length(bytes, 'at least 1')),
    encode: (value) =>
      Array.isArray(value) &&
      value.length > 0 &&
      value.every((code) => typeof code === 'number' && code >= 0 && code < 256)
        ? ok(Uint8Array.from(value as number[]))
        : wrong(value, 'a list of option codes'),
    show: plain,
  } satisfies Codec<number[]>,
  bytes: {
    decode: (bytes) => ok(hexOf(bytes)),
    encode: (value) => {
      if (typeof value !== 'string' || !/^([0-9a-f]{2})*$/.test(value)) return wrong(value, 'bytes in hexadecimal');
      return ok(Uint8Array.from(value.match(/../g) ?? [], (pair) => parseInt(pair, 16)));
    },
    show: (value) => `0x${plain(value)}`,
  } satisfies Codec<string>,
} as const;

export type OptionType = keyof typeof codecs;

export interface OptionRow {
  code: number;
  name: string;
  type: OptionType;
  /** Where its value comes from: a field of the prefix that the client is on, which goes before a setting of the device. */
  from?: { prefix?: string; setting?: string };
  /** Booting switches ask for it, as a rule. */
  usual?: true;
}

/** What we know by name. Everything else is bytes, unless a site declares a type for 224-254. */
export const options = [
  { code: 1, name: 'subnet-mask', type: 'address', usual: true },
  { code: 2, name: 'time-offset', type: 'int32' },
  { code: 3, name: 'routers', type: 'addresses', usual: true },
  { code: 4, name: 'time-servers', type: 'addresses' },
  {
    code: 6,
    name: 'name-servers',
    type: 'addresses',
    from: { prefix: 'nameServers', setting: 'name.servers' },
    usual: true,
  },
  { code: 7, name: 'log-servers', type: 'addresses', from: { setting: 'log.servers' } },
  { code: 9, name: 'lpr-servers', type: 'addresses' },
  { code: 12, name: 'host-name', type: 'text', usual: true },
  { code: 13, name: 'boot-file-size', type: 'uint16' },
  {
    code: 15,
    name: 'domain-name',
    type: 'text',
    from: { prefix: 'domain', setting: 'name.domain' },
    usual: true,
  },
  { code: 17, name: 'root-path', type: 'text' },
  { code: 19, name: 'ip-forwarding', type: 'flag' },
  { code: 23, name: 'default-ttl', type: 'uint8' },
  { code: 26, name: 'interface-mtu', type: 'uint16' },
  { code: 28, name: 'broadcast-address', type: 'address' },
  { code: 33, name: 'static-routes', type: 'addresses' },
  { code: 40, name: 'nis-domain', type: 'text' },
  { code: 41, name: 'nis-servers', type: 'addresses' },
  {
    code: 42,
    name: 'ntp-servers',
    type: 'addresses',
    from: { prefix: 'timeServers', setting: 'time.servers' },
    usual: true,
  },
  { code: 43, name: 'vendor-specific', type: 'bytes' },
  { code: 44, name: 'netbios-name-servers', type: 'addresses' },
  { code: 50, name: 'requested-address', type: 'address' },
  { code: 51, name: 'lease-time', type: 'seconds', usual: true },
  { code: 52, name: 'overload', type: 'uint8' },
  { code: 53, name: 'message-type', type: 'messageType' },
  { code: 54, name: 'server-identifier', type: 'address', usual: true },
  { code: 55, name: 'parameter-request-list', type: 'codes' },
  { code: 56, name: 'message', type: 'text' },
  { code: 57, name: 'maximum-message-size', type: 'uint16' },
  { code: 58, name: 'renewal-time', type: 'seconds' },
  { code: 59, name: 'rebinding-time', type: 'seconds' },
  { code: 60, name: 'vendor-class', type: 'text' },
  { code: 61, name: 'client-identifier', type: 'bytes' },
  { code: 66, name: 'tftp-server-name', type: 'text', usual: true },
  { code: 67, name: 'bootfile-name', type: 'text', usual: true },
  { code: 69, name: 'smtp-servers', type: 'addresses' },
  { code: 77, name: 'user-class', type: 'bytes' },
  { code: 80, name: 'rapid-commit', type: 'bytes' },
  { code: 82, name: 'relay-agent-information', type: 'bytes' }, // RFC 3046
  { code: 91, name: 'client-last-transaction-time', type: 'seconds' }, // RFC 4388
  { code: 92, name: 'associated-ip', type: 'addresses' }, // RFC 4388
  { code: 93, name: 'client-architecture', type: 'bytes' }, // RFC 4578
  { code: 94, name: 'client-network-interface', type: 'bytes' }, // RFC 4578
  { code: 97, name: 'client-machine-identifier', type: 'bytes' }, // RFC 4578
  { code: 100, name: 'posix-time-zone', type: 'text' }, // RFC 4833
  { code: 101, name: 'time-zone-name', type: 'text' }, // RFC 4833
  { code: 108, name: 'ipv6-only-preferred', type: 'seconds' }, // RFC 8925
  { code: 114, name: 'captive-portal', type: 'text' }, // RFC 8910
  { code: 118, name: 'subnet-selection', type: 'address' }, // RFC 3011
  { code: 119, name: 'domain-search', type: 'names' }, // RFC 3397
  { code: 121, name: 'classless-static-routes', type: 'routes' }, // RFC 3442
  { code: 124, name: 'vendor-class-by-enterprise', type: 'bytes' }, // RFC 3925
  { code: 125, name: 'vendor-specific-by-enterprise', type: 'bytes' }, // RFC 3925
  { code: 138, name: 'capwap-controllers', type: 'addresses' }, // RFC 5417
  { code: 150, name: 'tftp-server-addresses', type: 'addresses', usual: true }, // RFC 5859
] as const satisfies OptionRow[];

export type OptionName = (typeof options)[number]['name'];

const rows: readonly OptionRow[] = options;

/** The options that take their value from records, with where from. */
export const offeredOptions = rows.flatMap((row) => (row.from ? [{ ...row, from: row.from }] : []));

/** What booting switches ask for; a client that asks for less is told less. */
export const usuallyAsked: readonly number[] = rows.filter((row) => row.usual).map((row) => row.code);

const byCode = new Map<number, OptionRow>(options.map((row) => [row.code, row]));
const byName = new Map<string, OptionRow>(options.map((row) => [row.name, row]));

/** What a site calls its own options, and their types, by code. */
export type SiteTypes = ReadonlyMap<number, { name: string; type: OptionType }>;
const noSiteTypes: SiteTypes = new Map();

export const codeOf = (name: OptionName): number => byName.get(name)?.code ?? 0;

/** Of a name that options are registered by. */
export const codeNamed = (name: string): number | undefined => byName.get(name)?.code;

export function rowOf(code: number, siteTypes: SiteTypes = noSiteTypes): OptionRow {
  return byCode.get(code) ?? { code, name: `option-${code}`, type: 'bytes', ...siteTypes.get(code) };
}

export const optionName = (code: number, siteTypes?: SiteTypes): string => rowOf(code, siteTypes).name;

/** Of a type, whatever the option. */
export const encodeAs = (type: OptionType, value: OptionValue): Parsed<Uint8Array, OptionFault> =>
  codecs[type].encode(value);
export const showAs = (type: OptionType, value: OptionValue): string => codecs[type].show(value);

export const decodeOption = (
  code: number,
  bytes: Uint8Array,
  siteTypes?: SiteTypes,
): Parsed<OptionValue, OptionFault> => codecs[rowOf(code, siteTypes).type].decode(bytes);

export const encodeOption = (
  code: number,
  value: OptionValue,
  siteTypes?: SiteTypes,
): Parsed<Uint8Array, OptionFault> => codecs[rowOf(code, siteTypes).type].encode(value);

export const showOption = (code: number, value: OptionValue, siteTypes?: SiteTypes): string =>
  codecs[rowOf(code, siteTypes).type].show(value);
