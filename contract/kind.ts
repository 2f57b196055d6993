/** The shape of a record kind's description, and what follows from it. */
import { sortKey } from '@zpine/core/naming/names';
import type { PortGroup, SlotGroup } from '@zpine/core/rack/portGroups';
import { snake, typeOf, type Column, type Field, type Value } from './fields.ts';

export interface KindDescription {
  /** One word, singular: also the table and the noun of the command line. */
  name: string;
  /** The collection in URLs. */
  path: string;
  title: string;
  titles: string;
  /** One sentence: what a record of this kind is. */
  about: string;
  /** The place in the console's navigation. */
  group: 'places' | 'hardware' | 'devices' | 'addressing' | 'settings' | 'templates' | 'arrivals' | 'fleet';
  /** The fields that make the natural key, and how their texts are put together (default: joined with `/`). */
  key: {
    parts: readonly string[];
    make?: (parts: string[]) => string;
    order?: (parts: string[]) => string;
    /** The texts of the parts, from a whole key (default: cut at the last `/`). */
    split?: (key: string) => string[];
    /** The spelling that is stored, of a key as somebody typed it. */
    canonical?: (typed: string) => string;
    /** What names a record whose one part is not known yet. */
    otherwise?: { field: string; spelling: (value: string) => string; is: (typed: string) => boolean };
  };
  fields: Record<string, Field>;
  /** The columns of a list, in order; `key` is the natural key. */
  list: readonly string[];
  /** What a list can be sorted by, besides the natural key. Each has an index. */
  sort?: readonly string[];
}

/** What every kind has beside its own fields. */
const shared = { labels: { type: 'labels', title: 'Labels', example: 'spare' } } as const satisfies Record<
  string,
  Field
>;

export const kind = <const K extends KindDescription>(
  description: K,
): Omit<K, 'fields'> & { fields: K['fields'] & typeof shared } => ({
  ...description,
  fields: { ...description.fields, ...shared },
});

/** Every record has these beside its fields. Times are ISO 8601, UTC. */
export type RecordHead = {
  id: number;
  key: string;
  version: number;
  createdAt: string;
  updatedAt: string;
};

/** A record as the API gives it: references are natural keys. */
export type AnyRecord = RecordHead & Record<string, Value>;

type Held<F extends Field> = F['type'] extends 'int'
  ? number
  : F['type'] extends 'bool'
    ? boolean
    : F['type'] extends 'json'
      ? Value
      : F['type'] extends 'labels'
        ? string[]
        : F['type'] extends 'numbers'
          ? number[]
          : F['type'] extends 'ports'
            ? PortGroup[]
            : F['type'] extends 'slots'
              ? SlotGroup[]
              : string;
type OrNull<F extends Field, T> = F extends { required: true } | { default: string | number | boolean } ? T : T | null;

/** A record of one kind as the API gives it. */
export type RecordOf<K extends KindDescription> = RecordHead & {
  -readonly [N in keyof K['fields']]: OrNull<K['fields'][N], Held<K['fields'][N]>>;
};

/** A record of one kind as the service works with it: references are ids. */
export type StoredOf<K extends KindDescription> = RecordHead & {
  -readonly [N in keyof K['fields']]: OrNull<
    K['fields'][N],
    K['fields'][N]['type'] extends 'ref' ? number : Held<K['fields'][N]>
  >;
};

const columnNames = new Map<string, string>();
/** Asked for every field of every row that is read: worked out once. */
export function columnOf(name: string): string {
  let column = columnNames.get(name);
  if (column === undefined) columnNames.set(name, (column = snake(name)));
  return column;
}

const fieldLists = new WeakMap<object, [string, Field][]>();
export function fieldsOf(k: KindDescription): [string, Field][] {
  let list = fieldLists.get(k.fields);
  if (!list) fieldLists.set(k.fields, (list = Object.entries(k.fields)));
  return list;
}

export const typeOfField = (k: KindDescription, name: string): Field['type'] | undefined => k.fields[name]?.type;

export const refsOf = (k: KindDescription): [string, Field & { to: string }][] =>
  fieldsOf(k).filter((entry): entry is [string, Field & { to: string }] => entry[1].type === 'ref');

export const columnsOf = (k: KindDescription): (Column & { field: Field })[] =>
  fieldsOf(k).flatMap(([name, field]) =>
    typeOf(field)
      .columns(columnOf(name), field)
      .map((c) => ({ ...c, field })),
  );

/** The texts that make the key of a record: those of its parts, or what stands in for them. */
export function keyTexts(k: KindDescription, of: (field: string) => string): string[] {
  const parts = k.key.parts.map(of);
  const { otherwise } = k.key;
  const instead = otherwise && of(otherwise.field);
  return otherwise && instead && parts.every((part) => part === '') ? [otherwise.spelling(instead)] : parts;
}

/** Fields whose values are in the key of a record. */
export const keyFields = (k: KindDescription): readonly string[] =>
  k.key.otherwise ? [...k.key.parts, k.key.otherwise.field] : k.key.parts;

/** The natural key and the text it is sorted by, from the texts of the key's fields. */
export function makeKey(k: KindDescription, parts: string[]): { key: string; sortKey: string } {
  const key = (k.key.make ?? ((p: string[]) => p.join('/')))(parts).toLowerCase();
  return { key, sortKey: k.key.order ? k.key.order(parts) : sortKey(key) };
}

/** The key's fields, from a whole key as somebody typed it. */
export function splitKey(k: KindDescription, typed: string): Record<string, string> {
  if (k.key.otherwise?.is(typed)) return { [k.key.otherwise.field]: typed };
  const cut = typed.lastIndexOf('/');
  const halves = k.key.parts.length === 1 || cut < 0 ? [typed] : [typed.slice(0, cut), typed.slice(cut + 1)];
  const parts = k.key.split ? k.key.split(typed) : halves;
  return Object.fromEntries(k.key.parts.flatMap((name, i) => (parts[i] === undefined ? [] : [[name, parts[i]]])));
}

/** A natural key as it is stored, from one as somebody typed it. */
export const canonicalKey = (k: KindDescription, typed: string): string => {
  const text = typed.trim().toLowerCase();
  return k.key.canonical ? k.key.canonical(text) : text;
};

/** The path of a record in the API, from the collection's path. */
export const recordPath = (k: KindDescription, ref: string | number): string =>
  `/api/v1/${k.path}/${encodeURIComponent(typeof ref === 'number' ? `#${ref}` : ref)}`;
