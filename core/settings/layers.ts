/** What a setting is for a device: the values of its layers put on top of one another, with the origin of every part. */
import { fail, ok, type Parsed } from '../fault.ts';
import { parseIp, formatIp } from '../addressing/ip.ts';
import { formatPrefix, parsePrefix } from '../addressing/prefix.ts';
import { utf8Bytes } from '../text/utf8.ts';

/**
 * Weakest first. `area` may come several times, outer to inner, and `label`, by rank. What a prefix or a boot profile says
 * holds for who boots there, and so: for options of DHCP alone.
 */
export const layerKinds = [
  'everywhere',
  'dialect',
  'model',
  'duty',
  'area',
  'site',
  'room',
  'prefix',
  'bootprofile',
  'label',
  'device',
] as const;
export type LayerKind = (typeof layerKinds)[number];

export const settingTypes = [
  'text',
  'number',
  'bool',
  'address',
  'prefix',
  'list-of-text',
  'list-of-addresses',
  'map',
] as const;
export type SettingType = (typeof settingTypes)[number];

export const modes = ['set', 'add', 'take-away'] as const;
export type Mode = (typeof modes)[number];

export type SettingValue = null | boolean | number | string | SettingValue[] | { [key: string]: SettingValue };

export interface Layer {
  kind: LayerKind;
  /** The record that it is: `ard`, or empty for everywhere. */
  key: string;
}

/** `site ard`, `everywhere`, `boot profile furrow-loader`. */
export const layerText = ({ kind, key }: Layer): string =>
  key === '' ? kind : `${kind === 'bootprofile' ? 'boot profile' : kind} ${key}`;

export interface LayerValue {
  layer: Layer;
  mode: Mode;
  value: SettingValue;
}

/** One layer's part in a value, in the order in which they were applied. */
interface LayerStep extends LayerValue {
  /** What became of it: it still stands, wholly or in part, or a stronger layer hides it. */
  stands: boolean;
}

export interface Effective {
  value: SettingValue;
  /** Where the value is from: the one layer, or for lists and maps each item's, by position or key. */
  origin: Layer | null;
  origins: Record<string, Layer>;
  steps: LayerStep[];
}

const isMap = (value: SettingValue): value is { [key: string]: SettingValue } =>
  typeof value === 'object' && value !== null && !Array.isArray(value);
const same = (a: SettingValue, b: SettingValue): boolean => JSON.stringify(a) === JSON.stringify(b);

/** Puts values on top of a default; they come weakest first. */
export function effective(standard: SettingValue, values: readonly LayerValue[]): Effective {
  let value = standard;
  let origin: Layer | null = null;
  /** Of lists: which layer each item is from; of maps: each key. */
  let items: Layer[] = [];
  const keys = new Map<string, Layer>();
  for (const { layer, mode, value: given } of values) {
    if (mode === 'set') {
      if (isMap(given)) {
        value = { ...(isMap(value) ? value : {}), ...given };
        for (const key of Object.keys(given)) keys.set(key, layer);
      } else {
        value = given;
        items = Array.isArray(given) ? given.map(() => layer) : [];
        keys.clear();
      }
      origin = layer;
      continue;
    }
    const list = Array.isArray(given) ? given : isMap(given) ? Object.keys(given) : [given];
    if (mode === 'add') {
      if (isMap(given)) {
        value = { ...(isMap(value) ? value : {}), ...given };
        for (const key of Object.keys(given)) keys.set(key, layer);
      } else {
        const before = Array.isArray(value) ? value : [];
        const fresh = list.filter((item) => !before.some((other) => same(other, item)));
        value = [...before, ...fresh];
        items = [...items, ...fresh.map(() => layer)];
      }
      origin ??= layer;
    } else if (Array.isArray(value)) {
      const kept = value.map((item) => !list.some((other) => same(other, item)));
      items = items.filter((_, i) => kept[i]);
      value = value.filter((_, i) => kept[i]);
    } else if (isMap(value)) {
      value = Object.fromEntries(Object.entries(value).filter(([key]) => !list.includes(key)));
      for (const key of list) keys.delete(String(key));
    }
  }
  const origins = Object.fromEntries([...items.map((layer, i): [string, Layer] => [String(i), layer]), ...keys]);
  const standing = new Set<Layer>([
    ...items,
    ...keys.values(),
    ...(origin && !Array.isArray(value) && !isMap(value) ? [origin] : []),
  ]);
  const steps = values.map((step) => ({
    ...step,
    stands: standing.has(step.layer) || step.mode === 'take-away' || (origin === step.layer && step.mode === 'set'),
  }));
  return { value, origin, origins, steps };
}

export type ValueFault =
  | 'setting-text'
  | 'setting-number'
  | 'setting-bool'
  | 'setting-list'
  | 'setting-map'
  | 'setting-mode'
  | 'setting-large'
  | 'address-syntax'
  | 'address-octet'
  | 'address-short-form'
  | 'address-leading-zero'
  | 'address-zone'
  | 'address-mapped'
  | 'prefix-syntax'
  | 'prefix-length'
  | 'prefix-host-bits';

const MOST_BYTES = 16_384;

/** Reads a value for a setting of a type; `take-away` from a map takes its keys. */
export function readValue(type: SettingType, mode: Mode, value: unknown): Parsed<SettingValue, ValueFault> {
  const several = type === 'map' || type.startsWith('list-');
  if (mode !== 'set' && !several) return fail('setting-mode', { mode, type });
  if ((utf8Bytes(JSON.stringify(value) ?? '')?.length ?? 0) > MOST_BYTES)
    return fail('setting-large', { max: MOST_BYTES });
  if (type === 'map') return mode === 'take-away' ? readList(value, readText) : readMap(value);
  if (type === 'list-of-text') return readList(value, readText);
  if (type === 'list-of-addresses') return readList(value, readAddress);
  return readers[type](value);
}

type Reader = (value: unknown) => Parsed<SettingValue, ValueFault>;

const readText: Reader = (value) =>
  typeof value === 'string' && value !== '' && !hasControl(value)
    ? ok(value)
    : fail('setting-text', { value: shown(value) });

/** Control characters do not belong into a configuration; line ends and tabs do. */
function hasControl(text: string): boolean {
  for (let i = 0; i < text.length; i += 1) {
    const code = text.charCodeAt(i);
    if ((code < 32 && code !== 10 && code !== 9) || code === 127) return true;
  }
  return false;
}

const readAddress: Reader = (value) => {
  if (typeof value !== 'string') return fail('address-syntax', { value: shown(value) });
  const read = parseIp(value);
  return read.ok ? ok(formatIp(read.value)) : read;
};

const readers: Record<'text' | 'number' | 'bool' | 'address' | 'prefix', Reader> = {
  text: readText,
  number: (value) =>
    typeof value === 'number' && Number.isFinite(value) ? ok(value) : fail('setting-number', { value: shown(value) }),
  bool: (value) => (typeof value === 'boolean' ? ok(value) : fail('setting-bool', { value: shown(value) })),
  address: readAddress,
  prefix: (value) => {
    if (typeof value !== 'string') return fail('prefix-syntax', { value: shown(value) });
    const read = parsePrefix(value);
    return read.ok ? ok(formatPrefix(read.value)) : read;
  },
};

function readList(value: unknown, each: Reader): Parsed<SettingValue, ValueFault> {
  const items = Array.isArray(value) ? (value as unknown[]) : typeof value === 'string' ? [value] : undefined;
  if (!items) return fail('setting-list', { value: shown(value) });
  const out: SettingValue[] = [];
  for (const item of items) {
    const read = each(item);
    if (!read.ok) return read;
    out.push(read.value);
  }
  return ok(out);
}

function readMap(value: unknown): Parsed<SettingValue, ValueFault> {
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    return fail('setting-map', { value: shown(value) });
  for (const [key, item] of Object.entries(value)) {
    if (!/^[A-Za-z0-9._-]{1,63}$/.test(key)) return fail('setting-map', { value: key });
    if (typeof item === 'object' || (typeof item === 'string' && (item === '' || hasControl(item))))
      return fail('setting-map', { value: key });
  }
  return ok(value as SettingValue);
}

const shown = (value: unknown): string =>
  (typeof value === 'string' ? value : (JSON.stringify(value) ?? 'nothing')).slice(0, 80);

/** What a person typed on a command line, as a value of the type: `10.77.0.5, 10.77.0.6`, `a=1, b=2`. */
export function valueFromText(type: SettingType, mode: Mode, text: string): SettingValue {
  if (type === 'number') return /^-?[0-9]+(\.[0-9]+)?$/.test(text.trim()) ? Number(text) : text;
  if (type === 'bool') return /^(true|yes|on)$/i.test(text) ? true : /^(false|no|off)$/i.test(text) ? false : text;
  const parts = () =>
    text
      .split(',')
      .map((part) => part.trim())
      .filter((part) => part !== '');
  if (type.startsWith('list-') || (type === 'map' && mode === 'take-away')) return parts();
  if (type !== 'map') return text;
  return Object.fromEntries(
    parts().map((part) => {
      const at = part.indexOf('=');
      return at < 0 ? [part, ''] : [part.slice(0, at).trim(), part.slice(at + 1).trim()];
    }),
  );
}
