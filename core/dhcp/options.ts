/**
 * DHCP options: one table of what exists, one codec per type of value. RFC 2132 unless the row says otherwise.
 * A value that does not fit its type is a fault of the packet; nothing here throws.
 */
import { formatIp, parseIp } from '../addressing/ip.ts';
import { fail, ok, type Parsed } from '../fault.ts';
import { utf8Bytes, utf8Text } from '../text/utf8.ts';

/** RFC 2132, 9.6: by number. */
export const messageTypes = ['', 'DISCOVER', 'OFFER', 'REQUEST', 'DECLINE', 'ACK', 'NAK', 'RELEASE', 'INFORM'] as const;
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

export const ipv4Bytes = (text: string): Uint8Array | undefined => {
  const read = parseIp(text);
  if (!read.ok || read.value.family !== 4) return undefined;
  const { value } = read.value;
  return Uint8Array.of(
    Number(value >> 24n),
    Number((value >> 16n) & 255n),
    Number((value >> 8n) & 255n),
    Number(value & 255n),
  );
};
export const ipv4Text = (bytes: Uint8Array, at = 0): string =>
  formatIp({ family: 4, value: [0, 1, 2, 3].reduce((sum, i) => (sum << 8n) | BigInt(bytes[at + i] ?? 0), 0n) });

const hexOf = (bytes: Uint8Array): string => Array.from(bytes, (b) => b.toString(16).padStart(2, '0')).join('');

/** An unsigned number of a fixed width, network order. */
const unsigned = (width: 1 | 2 | 4): Codec<number> => ({
  decode: (bytes) =>
    bytes.length === width ? ok(bytes.reduce((sum, byte) => sum * 256 + byte, 0)) : length(bytes, String(width)),
  encode: (value) => {
    if (typeof value !== 'number' || !Number.isInteger(value) || value < 0 || value >= 256 ** width) {
      return wrong(value, `a number from 0 to ${256 ** width - 1}`);
    }
    return ok(Uint8Array.from({ length: width }, (_, i) => Math.floor(value / 256 ** (width - 1 - i)) % 256));
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
      const parts = value.map((item) => ipv4Bytes(String(item)));
      const bad = parts.indexOf(undefined);
      if (bad >= 0) return wrong(value[bad] ?? '', 'an IPv4 address');
      return ok(Uint8Array.from(parts.flatMap((part) => [...(part ?? [])])));
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
  { code: 2, name: 'time-offset', type: 'uint32' },
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
  { code: 12, name: 'host-name', type: 'text', usual: true },
  {
    code: 15,
    name: 'domain-name',
    type: 'text',
    from: { prefix: 'domain', setting: 'name.domain' },
    usual: true,
  },
  { code: 26, name: 'interface-mtu', type: 'uint16' },
  { code: 28, name: 'broadcast-address', type: 'address' },
  {
    code: 42,
    name: 'ntp-servers',
    type: 'addresses',
    from: { prefix: 'timeServers', setting: 'time.servers' },
    usual: true,
  },
  { code: 43, name: 'vendor-specific', type: 'bytes' },
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
  { code: 77, name: 'user-class', type: 'bytes' },
  { code: 80, name: 'rapid-commit', type: 'bytes' },
  { code: 82, name: 'relay-agent-information', type: 'bytes' },
  { code: 119, name: 'domain-search', type: 'bytes' },
  { code: 121, name: 'classless-static-routes', type: 'bytes' },
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

/** Types that a site has given to its own options, by code. */
export type SiteTypes = ReadonlyMap<number, OptionType>;
const noSiteTypes: SiteTypes = new Map();

export const codeOf = (name: OptionName): number => byName.get(name)?.code ?? 0;

export function rowOf(code: number, siteTypes: SiteTypes = noSiteTypes): OptionRow {
  return byCode.get(code) ?? { code, name: `option-${code}`, type: siteTypes.get(code) ?? 'bytes' };
}

export const optionName = (code: number, siteTypes?: SiteTypes): string => rowOf(code, siteTypes).name;

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
