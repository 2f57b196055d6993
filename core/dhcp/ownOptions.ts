/**
 * Options that settings tell: those of one's own (224-254, RFC 3942), registered ones that nothing else tells, parts of
 * the vendor's (43, RFC 2132 8.4) and of an enterprise (125, RFC 3925). A setting names its option as `231`,
 * `classless-static-routes`, `43.7` or `125.4711.1`.
 */
import { fail, ok, type Parsed } from '../fault.ts';
import type { SettingType, SettingValue } from '../settings/layers.ts';
import { hexOf } from './hex.ts';
import {
  codeNamed,
  encodeAs,
  rowOf,
  showAs,
  type OptionFault,
  type OptionType,
  type OptionValue,
  type SiteTypes,
} from './options.ts';

export type OptionAt = { code: number; enterprise?: number; sub?: number };
export type OptionAtFault = 'option-unknown' | 'option-told' | 'option-sub';

const VENDOR = 43;
const ENTERPRISE = 125;
const OWN = { first: 224, last: 254 };

/** Who tells the others, in words. */
const toldOtherwise = new Map<number, string>([
  ...[1, 3].map((code): [number, string] => [code, 'the prefix tells it']),
  [6, 'the prefix tells it, or the setting name.servers'],
  [7, 'the setting log.servers tells it'],
  [12, 'it is the name of the device'],
  [15, 'the prefix tells it, or the setting name.domain'],
  [42, 'the prefix tells it, or the setting time.servers'],
  [51, 'it follows from the setting lease.seconds, or the prefix'],
  [58, 'it follows from the length of the lease'],
  [59, 'it follows from the length of the lease'],
  ...[66, 67, 150].map((code): [number, string] => [code, 'the boot profile tells it']),
  ...[0, 52, 53, 54, 56, 61, 80, 82, 91, 92, 255].map((code): [number, string] => [
    code,
    'it belongs to the exchange itself',
  ]),
  ...[50, 55, 57, 60, 77, 93, 94, 97, 118, 124].map((code): [number, string] => [code, 'clients and relays say it']),
]);

const whole = (text: string | undefined): number | undefined =>
  text !== undefined && /^[0-9]{1,10}$/.test(text) ? Number(text) : undefined;

/** `231`, `43.7`, `125.4711.1`, or the name of a registered one. */
export function readOptionAt(word: string): Parsed<OptionAt, OptionAtFault> {
  const parts = word.trim().toLowerCase().split('.');
  const code = whole(parts[0]) ?? codeNamed(parts[0] ?? '');
  if (code === undefined || code > 254) return fail('option-unknown', { value: word });
  const told = toldOtherwise.get(code);
  if (told !== undefined) return fail('option-told', { value: word, told });
  const numbers = parts.slice(1).map(whole);
  const sub = numbers.at(-1);
  if (code === ENTERPRISE || (code === VENDOR && parts.length > 1)) {
    const enterprise = code === ENTERPRISE ? numbers[0] : undefined;
    const asked = code === ENTERPRISE ? 2 : 1;
    if (numbers.length !== asked || sub === undefined || sub < 1 || sub > 254)
      return fail('option-sub', { value: word });
    if (code !== ENTERPRISE) return ok({ code, sub });
    if (enterprise === undefined || enterprise > 0xffffffff) return fail('option-sub', { value: word });
    return ok({ code, enterprise, sub });
  }
  return parts.length === 1 ? ok({ code }) : fail('option-unknown', { value: word });
}

export const optionAtText = ({ code, enterprise, sub }: OptionAt): string =>
  [code, enterprise, sub].filter((part) => part !== undefined).join('.');

/** Of which nobody but its owner knows how it is written. */
export const needsWire = ({ code, sub }: OptionAt): boolean =>
  sub !== undefined || (code >= OWN.first && code <= OWN.last);

/** Ways of writing a value of a setting, the usual one first. */
const wires: Partial<Record<SettingType, readonly OptionType[]>> = {
  text: ['text', 'bytes'],
  number: ['uint32', 'uint16', 'uint8', 'int32', 'seconds'],
  bool: ['flag'],
  address: ['address'],
  'list-of-addresses': ['addresses'],
  'list-of-text': ['names', 'routes'],
};
export const wireTypes: readonly OptionType[] = [...new Set(Object.values(wires).flat())];

/** How a setting of a type goes on the wire; undefined where it cannot. `wire`: as its owner says. */
export function wireOf(at: OptionAt, type: SettingType, wire: OptionType | null): OptionType | undefined {
  const fitting = wires[type] ?? [];
  const meant = needsWire(at) ? (wire ?? fitting[0]) : rowOf(at.code).type;
  return meant !== undefined && fitting.includes(meant) ? meant : undefined;
}

/** The types of settings that can tell an option. */
export const typesFor = (at: OptionAt, wire: OptionType | null): SettingType[] =>
  (Object.keys(wires) as SettingType[]).filter((type) => wireOf(at, type, wire) !== undefined);

/** A value of a setting as the option has it; a text that was filled in may be a number. */
export function optionValueOf(wire: OptionType, value: SettingValue): OptionValue {
  if (Array.isArray(value)) return value.map(String);
  if (typeof value === 'string' && /^(u?int|seconds)/.test(wire) && /^-?[0-9]+$/.test(value)) return Number(value);
  return typeof value === 'object' ? '' : value;
}

/** A setting that tells an option. */
export type OwnOption = { name: string; at: OptionAt; wire: OptionType; tell: Tell };
export const tells = ['asked', 'unasked', 'withheld'] as const;
export type Tell = (typeof tells)[number];

/** What options are called, and how they are written, of which nobody but a setting says so. */
export const typesOfOwn = (own: readonly OwnOption[]): SiteTypes =>
  new Map(
    own.flatMap(({ at, name, wire }) =>
      needsWire(at) && at.sub === undefined ? [[at.code, { name, type: wire }] as const] : [],
    ),
  );

/** One of them with its value for a client. */
export type OwnValue = OwnOption & { value: OptionValue; from: string };

export type ToldOption = {
  code: number;
  value: OptionValue;
  from: string;
  tell: Tell;
  /** Where nobody else says what it is called, and how it is written. */
  row?: { name: string; type: OptionType };
};
/** One whose value cannot be written. */
export type Unwritten = { code: number; name: string; why: string };

const faultText = ({ code, params }: { code: OptionFault; params: Record<string, string | number> }): string =>
  `${String(params.value ?? '')} is not ${String(params.expected ?? code)}`;

/** What goes into a reply: parts of 43 and 125 become one option, in the order of their numbers. */
export function toldOptions(values: readonly OwnValue[]): { options: ToldOption[]; unwritten: Unwritten[] } {
  const options: ToldOption[] = [];
  const unwritten: Unwritten[] = [];
  const parts: (OwnValue & { bytes: Uint8Array })[] = [];
  for (const one of values) {
    const { at, name, wire, value, from, tell } = one;
    const bytes = encodeAs(wire, value);
    if (!bytes.ok) {
      unwritten.push({ code: at.code, name, why: faultText(bytes.fault) });
      continue;
    }
    if (at.sub === undefined) {
      const row = needsWire(at) ? { row: { name, type: wire } } : {};
      options.push({ code: at.code, value, from, tell, ...row });
      continue;
    }
    if (bytes.value.length > 255)
      unwritten.push({ code: at.code, name, why: `${bytes.value.length} bytes; a part has 255 at most` });
    else if (tell !== 'withheld') parts.push({ ...one, bytes: bytes.value });
  }
  for (const code of [VENDOR, ENTERPRISE]) {
    const of = parts.filter(({ at }) => at.code === code);
    if (of.length > 0) options.push(joined(code, of, unwritten));
  }
  return { options, unwritten };
}

function joined(code: number, of: (OwnValue & { bytes: Uint8Array })[], unwritten: Unwritten[]): ToldOption {
  const seen = new Map<string, OwnValue>();
  const blocks = new Map<number, number[]>();
  const words: string[] = [];
  const sorted = [...of].sort(
    (a, b) => (a.at.enterprise ?? 0) - (b.at.enterprise ?? 0) || (a.at.sub ?? 0) - (b.at.sub ?? 0),
  );
  for (const one of sorted) {
    const { at, name, bytes } = one;
    const place = optionAtText(at);
    const before = seen.get(place);
    const block = blocks.get(at.enterprise ?? 0) ?? [];
    // RFC 3925, section 4: the data of an enterprise have one octet for their length.
    const full = code === ENTERPRISE && block.length + 2 + bytes.length > 255;
    if (before || full) {
      const why = before ? `setting ${before.name} tells ${place}` : 'no room: an enterprise has 255 bytes';
      unwritten.push({ code, name, why });
      continue;
    }
    seen.set(place, one);
    block.push(at.sub ?? 0, bytes.length, ...bytes);
    blocks.set(at.enterprise ?? 0, block);
    words.push(`${place} ${name} ${showAs(one.wire, one.value)} (${one.from})`);
  }
  const bytes = [...blocks].flatMap(([enterprise, block]) =>
    code === VENDOR
      ? block
      : [
          enterprise >>> 24,
          (enterprise >>> 16) & 255,
          (enterprise >>> 8) & 255,
          enterprise & 255,
          block.length,
          ...block,
        ],
  );
  const tell = of.some((one) => one.tell === 'unasked') ? 'unasked' : 'asked';
  return { code, value: hexOf(Uint8Array.from(bytes)), from: words.join('; '), tell };
}
