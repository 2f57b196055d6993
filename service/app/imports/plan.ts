/** Sorts the fields of a row: what a schema takes, what a verb sets, what is worked out, what has to wait. */
import { typeOf, type Field, type Value } from '@zpine/contract/fields';
import { canonicalKey, fieldsOf, keyTexts, makeKey, splitKey, type KindDescription } from '@zpine/contract/kind';
import { kindNames, type KindName } from '@zpine/contract/kinds';
import type { ImportRow } from './rows.ts';

export interface Planned {
  row: ImportRow;
  key: string;
  /** What the schemas take. */
  fields: Record<string, unknown>;
  /** Set by verbs of their own: a stage. */
  byVerb: Record<string, Value>;
  /** References to kinds that come later. */
  waiting: { field: string; value: unknown }[];
}

/** Numbers that came as text are numbers. */
const read = (field: Field, value: unknown): unknown =>
  typeof value === 'string' ? typeOf(field).fromText(value) : value;

/** `among` has the kinds of the import: what refers to a later one of them has to wait for it. */
export function plan(k: KindDescription, row: ImportRow, among: ReadonlySet<string>): Planned {
  const fields: Record<string, unknown> = {};
  const byVerb: Record<string, Value> = {};
  const waiting: Planned['waiting'] = [];
  const given = { ...row.fields };
  if (typeof given.key === 'string') {
    for (const [name, text] of Object.entries(splitKey(k, given.key)))
      if (given[name] === undefined || given[name] === null)
        given[name] = k.fields[name]?.type === 'int' ? Number(text) : text;
  }
  delete given.key;
  const key = keyOf(k, given);
  for (const [name, value] of Object.entries(given)) {
    const field = k.fields[name];
    if (field?.derived) continue;
    if (field?.byVerb) {
      if (value !== null && value !== undefined) byVerb[name] = read(field, value) as Value;
    } else if (field?.to && among.has(field.to) && comesLater(k.name, field.to)) {
      if (value !== undefined) waiting.push({ field: name, value });
    } else fields[name] = value;
  }
  return { row, key, fields, byVerb, waiting };
}

const place = (kind: string): number => kindNames.indexOf(kind as KindName);
const comesLater = (kind: string, to: string): boolean => place(to) > place(kind);

/** The natural key that a row would have, as far as its texts are sound. */
function keyOf(k: KindDescription, given: Record<string, unknown>): string {
  const parts = keyTexts(k, (part) => {
    const value = given[part] ?? k.fields[part]?.default ?? '';
    return String(value).trim().toLowerCase();
  });
  try {
    return canonicalKey(k, makeKey(k, parts).key);
  } catch {
    // The order of a key may want sound parts; the schema will say what is wrong with them.
    return parts.join('/');
  }
}

/** The fields by which records of a kind refer to their own kind. */
const refsToOwn = (k: KindDescription): string[] =>
  fieldsOf(k).flatMap(([name, field]) => (field.to === k.name && !field.derived ? [name] : []));

/** Rows that refer to others of the same kind come behind those. What is left over runs in a circle. */
export function waves(k: KindDescription, rows: Planned[]): { waves: Planned[][]; circle: Planned[] } {
  const own = refsToOwn(k);
  if (own.length === 0) return { waves: [rows], circle: [] };
  const places = new Map(rows.map((p, i) => [p.key, i]));
  /** By place: which rows wait for it, and for how many rows it waits itself. */
  const behind = new Map<number, number[]>();
  const open = rows.map((p, i) => {
    const before = new Set<number>();
    for (const name of own) {
      const ref = p.fields[name];
      const place = ref === p.key ? undefined : places.get(canonicalKey(k, String(ref ?? '')));
      if (place !== undefined) before.add(place);
    }
    for (const place of before) behind.set(place, [...(behind.get(place) ?? []), i]);
    return before.size;
  });
  const out: Planned[][] = [];
  let ready = rows.flatMap((_, i) => (open[i] === 0 ? [i] : []));
  while (ready.length > 0) {
    out.push(ready.flatMap((i) => rows[i] ?? []));
    const next: number[] = [];
    for (const i of ready)
      for (const waiting of behind.get(i) ?? [])
        if ((open[waiting] = (open[waiting] ?? 0) - 1) === 0) next.push(waiting);
    ready = next.sort((a, b) => a - b);
  }
  return { waves: out, circle: rows.filter((_, i) => (open[i] ?? 0) > 0) };
}

/** An empty cell clears what can be cleared, and leaves alone what always has a value. */
export const clearable = (k: KindDescription, fields: Record<string, unknown>): Record<string, unknown> =>
  Object.fromEntries(
    Object.entries(fields).filter(([name, value]) => {
      const field = k.fields[name];
      return !(
        (value === null || value === undefined) &&
        (field?.required === true || field?.default !== undefined || field?.fixed === true)
      );
    }),
  );
