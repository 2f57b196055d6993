/** Files of a host that editions bring: where each output goes, and what has to be done so that it is as it should be. */
import { fail, ok, type Parsed } from '../fault.ts';

export interface FilePlace {
  /** The name that `@output` gives it. */
  output: string;
  /** From the root. */
  path: string;
  /** `root:adm`; null: as it is. */
  owner: string | null;
  /** In octal digits, without leading zeros: `644`; null: as it is, 644 where it is new. */
  mode: string | null;
  /** What is called once it is another than before. */
  changed: string | null;
}

/** As it is on the device; null in its place where there is none. */
export interface FoundFile {
  content: Uint8Array;
  owner: string | null;
  mode: string | null;
}

type FileDeed = 'new' | 'changed' | 'gone';

/** What differs, in words. */
export interface FileVerdict {
  deed: FileDeed;
  why: ('text' | 'owner' | 'mode')[];
}

const equalBytes = (a: Uint8Array, b: Uint8Array): boolean =>
  a.length === b.length && a.every((byte, i) => byte === b[i]);

/** `wanted` null: it must not be there. Undefined where it is right. */
export function fileVerdict(
  { owner, mode }: Pick<FilePlace, 'owner' | 'mode'>,
  wanted: Uint8Array | null,
  found: FoundFile | null,
): FileVerdict | undefined {
  if (wanted === null) return found === null ? undefined : { deed: 'gone', why: [] };
  if (found === null) return { deed: 'new', why: [] };
  const why: FileVerdict['why'] = [];
  if (!equalBytes(wanted, found.content)) why.push('text');
  if (owner !== null && found.owner !== null && !sameOwner(owner, found.owner)) why.push('owner');
  if (mode !== null && found.mode !== null && mode !== found.mode) why.push('mode');
  return why.length > 0 ? { deed: 'changed', why } : undefined;
}

/** `root` says nothing about the group. */
const sameOwner = (wanted: string, found: string): boolean =>
  wanted.includes(':') ? wanted === found : found.split(':')[0] === wanted;

const OUTPUT = /^[A-Za-z0-9][A-Za-z0-9._-]{0,62}$/;
/** Of signs that stand for themselves in every shell. */
const PATH = /^(\/[A-Za-z0-9._@+=:,%-]+)+$/;
const OWNER = /^[a-z_][a-z0-9_-]{0,31}(:[a-z_][a-z0-9_-]{0,31})?$/;
const MODE = /^0{0,2}[0-7]{3,4}$/;
const KEYS = ['output', 'path', 'owner', 'mode', 'changed'];
const MOST = 200;

export interface PlaceFault {
  path: (string | number)[];
  code: 'place-form' | 'place-key' | 'place-value' | 'place-twice';
  params: Record<string, string | number>;
}

const forms: Record<string, [RegExp, string]> = {
  output: [OUTPUT, 'a name as in @output'],
  path: [PATH, 'a path from the root, of letters, digits and . _ @ + = : , % -'],
  owner: [OWNER, 'a user, or user:group'],
  mode: [MODE, 'three or four octal digits, such as 0644'],
  changed: [/^[^\u0000-\u001f\u007f]{1,500}$/, 'one command'],
};

/** As people write it in a template's record: a list of maps. All faults, each with its place. */
export function readPlaces(value: unknown): { places: FilePlace[]; faults: PlaceFault[] } {
  const faults: PlaceFault[] = [];
  const places: FilePlace[] = [];
  if (value === null || value === undefined) return { places, faults };
  if (!Array.isArray(value) || value.length > MOST)
    return { places, faults: [{ path: [], code: 'place-form', params: { most: MOST } }] };
  for (const [i, one] of value.entries()) {
    const read = readPlace(one, i, faults);
    if (!read) continue;
    for (const key of ['output', 'path'] as const)
      if (places.some((other) => other[key] === read[key]))
        faults.push({ path: [i, key], code: 'place-twice', params: { value: read[key] } });
    places.push(read);
  }
  return { places, faults };
}

function readPlace(one: unknown, i: number, faults: PlaceFault[]): FilePlace | undefined {
  if (typeof one !== 'object' || one === null || Array.isArray(one)) {
    faults.push({ path: [i], code: 'place-form', params: { most: MOST } });
    return undefined;
  }
  const given = one as Record<string, unknown>;
  const before = faults.length;
  for (const key of Object.keys(given))
    if (!KEYS.includes(key))
      faults.push({ path: [i, key], code: 'place-key', params: { key, known: KEYS.join(', ') } });
  const text = (key: string, needed: boolean): string | null => {
    const read = fieldText(key, given[key], needed);
    if (read.ok) return read.value;
    faults.push({ path: [i, key], code: 'place-value', params: read.fault.params });
    return null;
  };
  const place = {
    output: text('output', true) ?? '',
    path: text('path', true) ?? '',
    owner: text('owner', false),
    mode: text('mode', false)?.replace(/^0+(?=[0-7]{3})/, '') ?? null,
    changed: text('changed', false),
  };
  return faults.length > before ? undefined : place;
}

function fieldText(key: string, value: unknown, needed: boolean): Parsed<string | null> {
  const [form, words] = forms[key] ?? [/^$/, ''];
  if (value === undefined || value === null)
    return needed ? fail('place-value', { key, value: 'nothing', form: words }) : ok(null);
  // Digits without quotes are a number in YAML.
  const text = typeof value === 'number' && key === 'mode' ? String(value) : value;
  if (typeof text !== 'string' || !form.test(text) || text.split('/').some((part) => part === '.' || part === '..'))
    return fail('place-value', {
      key,
      value: String(typeof text === 'object' ? 'a list or map' : text).slice(0, 60),
      form: words,
    });
  return ok(text);
}
