/** Records of the kinds in the database, found in arrays and shown; recordWrites.ts has how they are written. */
import { isAscii } from '@zpine/core/text/ascii';
import { type Row, type Value, typeOf } from '@zpine/contract/fields';
import { columnOf, fieldsOf, refsOf, type RecordHead } from '@zpine/contract/kind';
import { kindOf, type KindName, type Stored } from '@zpine/contract/kinds';
import { Refusal } from '@zpine/contract/errors';
import { allHeld } from './few.ts';
import { type FewKind, isFew } from './fewKinds.ts';
import type { Tx } from './tx.ts';
import { Instant } from './instant.ts';
import { columnsFor } from './models.ts';

/** A record of any kind as the service works with it: references are ids. */
export type AnyStored = RecordHead & Record<string, Value>;

export type Fields = Record<string, Value>;

/** Rows of one statement. */
const SLICE = 500;

export const isoOf = (time: unknown): string =>
  time instanceof Instant ? time.iso : Instant.of(time instanceof Date ? time : String(time)).iso;

/** From a row of the kind's table. */
export function fromRow<K extends KindName>(name: K, row: Row): Stored<K> {
  const record: Record<string, Value> = {
    id: Number(row.id),
    key: String(row.natural_key),
    version: Number(row.version),
    createdAt: isoOf(row.created_at),
    updatedAt: isoOf(row.updated_at),
  };
  for (const [field, spec] of fieldsOf(kindOf(name))) record[field] = typeOf(spec).fromRow(columnOf(field), row);
  return record as Stored<K>;
}

/** The fields of a record alone, without what is worked out from others: what history keeps. */
export function imageOf(name: KindName, record: object): Fields {
  const held = record as Fields;
  const own = fieldsOf(kindOf(name)).filter(([, spec]) => !spec.derived);
  return Object.fromEntries(own.map(([field]) => [field, held[field] ?? null]));
}

/** Columns and what they must equal; an array means any of its values. */
export type Where = Record<string, string | number | readonly (string | number)[]>;

/** Keys are ASCII: the database has no answer for another letter, and no record has it. */
const keyColumns = ['natural_key', 'sort_key'];
const asciiOf = (value: Where[string]): Where[string] => {
  if (typeof value === 'number') return value;
  if (typeof value === 'string') return isAscii(value) ? value : [];
  return value.filter((one) => typeof one === 'number' || isAscii(one));
};

export async function find<K extends KindName>(
  tx: Tx,
  name: K,
  where: Where,
  options: { limit?: number; lock?: boolean; order?: string[] } = {},
): Promise<Stored<K>[]> {
  const { limit, lock, order = ['id'] } = options;
  const wanted = Object.entries(where).map(([column, value]): [string, Where[string]] =>
    keyColumns.includes(column) ? [column, asciiOf(value)] : [column, value],
  );
  if (wanted.some(([, value]) => Array.isArray(value) && value.length === 0)) return [];
  const tests = wanted.map(([column, value]) => `\`${column}\` ${Array.isArray(value) ? 'IN (?)' : '= ?'}`);
  const rows = await tx.select<Row>(
    `SELECT ${columnsFor(name)} FROM \`${name}\` ${tests.length > 0 ? `WHERE ${tests.join(' AND ')}` : ''} ORDER BY ${order.join(', ')}
     ${limit === undefined ? '' : `LIMIT ${limit}`} ${lock ? 'FOR UPDATE' : ''}`,
    wanted.map(([, value]) => value),
  );
  const records = rows.map((row) => fromRow(name, row));
  rememberKeys(tx, name, records);
  return records;
}

/** Keys of records that were read: nobody asks for them again in this unit of work. */
export function rememberKeys(tx: Tx, name: KindName, records: Iterable<{ id: number; key: string }>): void {
  const known = knownKeys(tx, name);
  for (const { id, key } of records) known.set(id, key);
}

/** Records by their ids, or those that rows refer to by a field or column of theirs. */
export async function byIds<K extends KindName>(
  tx: Tx,
  name: K,
  ids: Iterable<number>,
  lock?: boolean,
): Promise<Map<number, Stored<K>>>;
export async function byIds<K extends KindName, R extends object>(
  tx: Tx,
  name: K,
  rows: Iterable<R>,
  field: keyof R & string,
): Promise<Map<number, Stored<K>>>;
export async function byIds<K extends KindName>(
  tx: Tx,
  name: K,
  from: Iterable<number | object>,
  how: boolean | string = false,
): Promise<Map<number, Stored<K>>> {
  const lock = how === true;
  const ids =
    typeof how === 'string' ? refsIn(from as Iterable<Record<string, unknown>>, how) : (from as Iterable<number>);
  const wanted = [...new Set(ids)];
  const held = lock || wanted.length === 0 ? undefined : await recordsInMemory(tx, name);
  if (!held) return new Map((await find(tx, name, { id: wanted }, { lock })).map((record) => [record.id, record]));
  const found = new Map<number, Stored<K>>();
  for (const id of wanted.sort((a, b) => a - b)) {
    const record = held.get(id);
    if (record) found.set(id, record);
  }
  rememberKeys(tx, name, found.values());
  return found;
}

const inOrder = <K extends FewKind>(tx: Tx, name: K) => find(tx, name, {}, { order: ['sort_key'] });

/** The ids that rows have in a field; the empty ones are left out. */
function* refsIn(rows: Iterable<object>, field: string): Generator<number> {
  for (const row of rows) {
    const id = (row as Record<string, unknown>)[field];
    if (id !== null && id !== undefined) yield Number(id);
  }
}

/** All records of a kind that is held in memory; undefined of others. */
async function recordsInMemory<K extends KindName>(
  tx: Tx,
  name: K,
): Promise<ReadonlyMap<number, Stored<K>> | undefined> {
  if (!isFew(name)) return undefined;
  return allHeld(tx, name, (kind) => inOrder(tx, kind));
}

/** All records of a kind of which there are few, in the order of their keys. */
export async function allOf<K extends FewKind>(tx: Tx, name: K): Promise<Stored<K>[]> {
  const held = await recordsInMemory(tx, name);
  const all = held ? [...held.values()] : await inOrder(tx, name);
  rememberKeys(tx, name, all);
  return all;
}

/** One record that must exist: a reference inside the database that leads nowhere is a defect. */
export async function byId<K extends KindName>(tx: Tx, name: K, id: number, lock = false): Promise<Stored<K>> {
  const record = (await byIds(tx, name, [id], lock)).get(id);
  if (!record) throw new Refusal('not-found', { kind: name, ref: `#${id}` });
  return record;
}

export async function byKeys<K extends KindName>(
  tx: Tx,
  name: K,
  keys: string[],
  lock = false,
): Promise<Map<string, Stored<K>>> {
  const held = lock || keys.length === 0 ? undefined : await recordsInMemory(tx, name);
  if (held) {
    const wanted = new Set(keys);
    const found = [...held.values()].filter((record) => wanted.has(record.key));
    rememberKeys(tx, name, found);
    return new Map(found.map((record) => [record.key, record]));
  }
  const found = await find(tx, name, { natural_key: [...new Set(keys)] }, { lock });
  return new Map(found.map((record) => [record.key, record]));
}

export const knownKeys = (tx: Tx, name: KindName): Map<number, string> => {
  let known = tx.keys.get(name);
  if (!known) tx.keys.set(name, (known = new Map<number, string>()));
  return known;
};

/** The natural keys of records, asked for once per unit of work. */
export async function keysOf(tx: Tx, name: KindName, ids: Iterable<number>): Promise<Map<number, string>> {
  const known = knownKeys(tx, name);
  const missing = [...new Set(ids)].filter((id) => !known.has(id));
  const held = missing.length > 0 ? await recordsInMemory(tx, name) : undefined;
  if (held) {
    for (const id of missing) {
      const key = held.get(id)?.key;
      if (key !== undefined) known.set(id, key);
    }
    return known;
  }
  for (let at = 0; at < missing.length; at += 1000) {
    const slice = missing.slice(at, at + 1000);
    const rows = await tx.select<{ id: number; natural_key: string }>(
      `SELECT id, natural_key FROM \`${name}\` WHERE id IN (?)`,
      [slice],
    );
    for (const row of rows) known.set(Number(row.id), row.natural_key);
  }
  return known;
}

/** The natural keys of records of several kinds, asked for together. */
export async function keysOfAll(tx: Tx, wanted: Iterable<readonly [KindName, number[]]>): Promise<void> {
  const open: [KindName, number[]][] = [];
  for (const [name, ids] of wanted) {
    const known = knownKeys(tx, name);
    const missing = [...new Set(ids)].filter((id) => !known.has(id));
    if (missing.length > 0) open.push([name, missing]);
  }
  if (open.length === 0) return;
  if (open.length === 1 || open.some(([, ids]) => ids.length > SLICE)) {
    for (const [name, ids] of open) await keysOf(tx, name, ids);
    return;
  }
  const rows = await tx.select<{ kind: KindName; id: number; natural_key: string }>(
    open
      .map(([name]) => `SELECT '${name}' AS kind, id, natural_key FROM \`${name}\` WHERE id IN (?)`)
      .join(' UNION ALL '),
    open.map(([, ids]) => ids),
  );
  for (const { kind, id, natural_key: key } of rows) knownKeys(tx, kind).set(Number(id), key);
}

export async function keyOf(tx: Tx, name: KindName, id: number | null): Promise<string | null> {
  return id === null ? null : ((await keysOf(tx, name, [id])).get(id) ?? null);
}

/** Records as the API gives them: every reference becomes a natural key. */
export async function present<K extends KindName>(
  tx: Tx,
  name: K,
  records: readonly (Stored<K> | RecordHead)[],
): Promise<Record<string, Value>[]> {
  const shown = records.map((record): Fields => ({ ...record }));
  const refs = refsOf(kindOf(name)).map(([field, { to }]) => [field, to as KindName] as const);
  const idsIn = (field: string) => shown.map((r) => r[field]).filter((id): id is number => typeof id === 'number');
  await keysOfAll(
    tx,
    refs.map(([field, to]) => [to, idsIn(field)]),
  );
  for (const [field, to] of refs) {
    const keys = knownKeys(tx, to);
    for (const record of shown) {
      const id = record[field];
      record[field] = typeof id === 'number' ? (keys.get(id) ?? `#${id}`) : null;
    }
  }
  return shown;
}
