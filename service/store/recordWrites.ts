/** Records of the kinds written, in arrays: with keys, search terms, MACs, and the changes that history keeps. */
import { grouped } from '@zpine/core/lists/grouped';
import type { Row } from '@zpine/contract/fields';
import { columnOf, fieldsOf, keyFields, keyTexts, makeKey, type RecordHead } from '@zpine/contract/kind';
import { kindOf, referrersOf, type KindName, type Stored } from '@zpine/contract/kinds';
import { Refusal } from '@zpine/contract/errors';
import { toColumns } from './columns.ts';
import { isFew } from './fewKinds.ts';
import type { Instant } from './instant.ts';
import { claimMacs, freeMacs } from './macs.ts';
import { byIds, find, imageOf, isoOf, keysOf, knownKeys, type AnyStored, type Fields } from './records.ts';
import { addTerms, dropTerms, termsDiffer } from './terms.ts';
import type { Tx } from './tx.ts';

/** Rows of one statement. */
const SLICE = 500;

/** Before records are written: of kinds that are held in memory this unit of work sees its own from now on. */
function writes(tx: Tx, name: KindName): void {
  if (isFew(name)) tx.few = 'changed';
}

function toRow(name: KindName, record: Fields): Row {
  const row: Row = {};
  for (const [field, spec] of fieldsOf(kindOf(name))) Object.assign(row, toColumns(field, spec, record[field] ?? null));
  return row;
}

type Keys = { key: string; sortKey: string };

/** Rows of an INSERT; `head` says what else each begins with. */
const rowsFor = (
  name: KindName,
  records: Fields[],
  keys: readonly Keys[],
  now: Instant,
  head: (i: number) => Row | undefined,
): Row[] =>
  records.map((record, i) => ({
    natural_key: keys[i]?.key,
    sort_key: keys[i]?.sortKey,
    created_at: now,
    updated_at: now,
    ...head(i),
    ...toRow(name, record),
  }));

/** Natural keys and sort keys, from the fields that make them. */
async function withKeys(tx: Tx, name: KindName, records: Fields[]): Promise<Keys[]> {
  const k = kindOf(name);
  const texts = await Promise.all(
    keyFields(k).map(async (part) => {
      const to = k.fields[part]?.to as KindName | undefined;
      const values = records.map((r) => r[part] ?? null);
      if (!to) return values.map((v) => (v === null ? '' : String(v)));
      const keys = await keysOf(
        tx,
        to,
        values.filter((v): v is number => typeof v === 'number'),
      );
      return values.map((v) => keys.get(v as number) ?? '');
    }),
  );
  return records.map((_, i) =>
    makeKey(
      k,
      keyTexts(k, (part) => texts[keyFields(k).indexOf(part)]?.[i] ?? ''),
    ),
  );
}

/** The natural keys that records would have. */
export const plannedKeys = async (tx: Tx, name: KindName, records: Fields[]): Promise<string[]> =>
  (await withKeys(tx, name, records)).map(({ key }) => key);

/** Inserts records and notes the changes. Gives them as they are now. */
export async function insert<K extends KindName>(
  tx: Tx,
  name: K,
  records: Fields[],
  /** Of records that were removed and come back: their ids, and versions that go on from the last. */
  again: { id: number; version: number }[] = [],
): Promise<Stored<K>[]> {
  if (records.length === 0) return [];
  const keys = await withKeys(tx, name, records);
  const now = await tx.now();
  writes(tx, name);
  const rows = rowsFor(name, records, keys, now, (i) => again[i] && { id: again[i].id, version: again[i].version });
  const ids = await tx.insertRows(name, rows);
  if (again.length > 0) await tx.execute('DELETE FROM removed WHERE kind = ? AND record_id IN (?)', [name, ids]);
  const stamp = isoOf(now);
  const known = knownKeys(tx, name);
  const stored = records.map((record, i) => {
    const key = keys[i]?.key ?? '';
    known.set(ids[i] ?? 0, key);
    const head = { id: ids[i] ?? 0, key, version: again[i]?.version ?? 1, createdAt: stamp, updatedAt: stamp };
    return { ...record, ...head } as Stored<K>;
  });
  // What goes with them is sent while the changes are put together.
  const others = Promise.all([claimMacs(tx, name, stored), addTerms(tx, name, stored as AnyStored[])]);
  const noted = async (): Promise<void> => {
    for (const { id, key, version, ...rest } of stored)
      await tx.change({
        kind: name,
        id,
        key,
        versionFrom: null,
        versionTo: version,
        before: null,
        after: imageOf(name, rest),
      });
  };
  await Promise.all([others, noted()]);
  return stored;
}

/** Kinds of which records may come along with others. */
export const derivable: readonly KindName[] = ['port', 'interface'];

/**
 * Records that come with another one: they make no changes of their own until somebody edits them, and are at version 0
 * until then.
 */
export async function insertDerived(tx: Tx, name: KindName, records: Fields[]): Promise<{ id: number; key: string }[]> {
  if (records.length === 0) return [];
  const keys = await withKeys(tx, name, records);
  const now = await tx.now();
  const ids = await tx.insertRows(
    name,
    rowsFor(name, records, keys, now, () => ({ version: 0 })),
  );
  return ids.map((id, i) => ({ id, key: keys[i]?.key ?? '' }));
}

/** Takes such records away as they came. */
export async function removeDerived(tx: Tx, name: KindName, ids: number[]): Promise<void> {
  for (let at = 0; at < ids.length; at += SLICE)
    await tx.execute(`DELETE FROM \`${name}\` WHERE id IN (?) AND version = 0`, [ids.slice(at, at + SLICE)]);
}

/**
 * Updates records from `before` to `after` and notes the changes; a pair without a difference is left alone. The
 * version in `before` must still be the one in the database.
 */
export async function update<K extends KindName>(
  tx: Tx,
  name: K,
  pairs: { before: Stored<K>; after: Fields }[],
): Promise<Stored<K>[]> {
  const keys = await withKeys(
    tx,
    name,
    pairs.map((p) => p.after),
  );
  const now = await tx.now();
  const planned = pairs.map(({ before, after }, i) => {
    const from = imageOf(name, before);
    const to = imageOf(name, after);
    const changed = fieldsOf(kindOf(name)).filter(
      ([field]) => JSON.stringify(from[field]) !== JSON.stringify(to[field]),
    );
    return { before, from, to, changed, ...(keys[i] ?? { key: before.key, sortKey: '' }) };
  });
  const differing = planned.filter(({ changed }) => changed.length > 0);
  if (differing.length > 0) writes(tx, name);
  const rows = differing.map(({ before, key, sortKey, changed, to }) => {
    const row: Row = { natural_key: key, sort_key: sortKey, updated_at: now, version: before.version + 1 };
    for (const [field, spec] of changed) Object.assign(row, toColumns(field, spec, to[field] ?? null));
    return { before, row };
  });
  // Rows with the same columns go together, one statement behind the other, without waiting in between.
  const slices = [...grouped(rows, ({ row }) => Object.keys(row).join(' ')).values()].flatMap(slicesOf);
  await Promise.all(
    slices.map(async (slice) => {
      const touched = await updateRows(tx, name, slice);
      if (touched < slice.length)
        throw await staleAmong(
          tx,
          name,
          slice.map(({ before }) => before),
          true,
        );
    }),
  );
  const out: Stored<K>[] = [];
  const renamed: number[] = [];
  /** Those that are found by other words from now on. */
  const found: AnyStored[] = [];
  for (const { before, from, to, changed, key } of planned) {
    if (changed.length === 0) {
      out.push(before);
      continue;
    }
    const version = before.version + 1;
    const record = { ...before, ...to, key, version, updatedAt: isoOf(now) };
    if (changed.some(([, spec]) => spec.type === 'mac')) {
      await freeMacs(tx, name, [before.id]);
      await claimMacs(tx, name, [record]);
    }
    if (termsDiffer(name, from, to)) found.push(record);
    knownKeys(tx, name).set(before.id, key);
    if (key !== before.key) renamed.push(before.id);
    await tx.change({
      kind: name,
      id: before.id,
      key,
      versionFrom: before.version,
      versionTo: version,
      before: from,
      after: to,
    });
    out.push(record);
  }
  await dropTerms(
    tx,
    name,
    found.map((record) => record.id),
  );
  await addTerms(tx, name, found);
  await renameBelow(tx, name, renamed);
  return out;
}

/** As many characters of one statement, about: the database takes only so long ones. */
const STATEMENT = 1_000_000;

/** Rows of one statement each. */
function slicesOf<T extends { row: Row }>(all: T[]): T[][] {
  const slices: T[][] = [];
  let room = 0;
  for (const one of all) {
    const size = Object.values(one.row).reduce<number>(
      (sum, held) => sum + 12 + (typeof held === 'string' ? held.length : 0),
      0,
    );
    const last = slices.at(-1);
    if (last && last.length < SLICE && size <= room) last.push(one);
    else {
      slices.push([one]);
      room = STATEMENT;
    }
    room -= size;
  }
  return slices;
}

/** Sets the same columns of several rows, each as it was read; gives how many were. */
function updateRows(
  tx: Tx,
  name: KindName,
  rows: { before: { id: number; version: number }; row: Row }[],
): Promise<number> {
  const [first] = rows;
  const columns = Object.keys(first?.row ?? {});
  if (rows.length === 1 && first) {
    const sets = columns.map((c) => `\`${c}\` = ?`).join(', ');
    const values = [...columns.map((c) => first.row[c]), first.before.id, first.before.version];
    return tx.execute(`UPDATE \`${name}\` SET ${sets} WHERE id = ? AND version = ?`, values);
  }
  const all = ['_id', '_version', ...columns];
  const named = `SELECT ${all.map((c) => `? AS \`${c}\``).join(', ')}`;
  const unnamed = `SELECT ${all.map(() => '?').join(', ')}`;
  return tx.execute(
    `UPDATE \`${name}\` t JOIN (${rows.map((_, i) => (i === 0 ? named : unnamed)).join(' UNION ALL ')}) v
     ON t.id = v._id AND t.version = v._version SET ${columns.map((c) => `t.\`${c}\` = v.\`${c}\``).join(', ')}`,
    rows.flatMap(({ before, row }) => [before.id, before.version, ...columns.map((c) => row[c])]),
  );
}

/** Natural keys that begin with those of renamed records follow them. They are derived: no change of their own. */
async function renameBelow(tx: Tx, name: KindName, ids: number[]): Promise<void> {
  if (ids.length === 0) return;
  for (const [child, field] of referrersOf(name)) {
    if (!kindOf(child).key.parts.includes(field)) continue;
    const records = await find(tx, child, { [`${columnOf(field)}_id`]: ids });
    const keys = await withKeys(tx, child, records);
    for (const [i, record] of records.entries()) {
      const { key, sortKey } = keys[i] ?? { key: record.key, sortKey: '' };
      await tx.execute(`UPDATE \`${child}\` SET natural_key = ?, sort_key = ? WHERE id = ?`, [key, sortKey, record.id]);
      knownKeys(tx, child).set(record.id, key);
    }
    await renameBelow(
      tx,
      child,
      records.map((r) => r.id),
    );
  }
}

/** Removes records and notes the changes. What refers to them must have been seen to. `parts` go with something else. */
export async function remove(tx: Tx, name: KindName, records: readonly RecordHead[], parts = false): Promise<void> {
  if (records.length === 0) return;
  const ids = records.map((r) => r.id);
  writes(tx, name);
  await freeMacs(tx, name, ids);
  await dropTerms(tx, name, ids);
  const at = await tx.now();
  const by = { at, actor: tx.actor.name, part: parts ? 1 : 0 };
  const gone = records.map(({ id, key }) => ({ kind: name, record_id: id, record_key: key, ...by }));
  await tx.insertRows('removed', gone, '');
  for (let from = 0; from < records.length; from += SLICE) {
    const slice = records.slice(from, from + SLICE);
    const touched = await tx.execute(
      `DELETE FROM \`${name}\` WHERE (id, version) IN (${slice.map(() => '(?, ?)').join(', ')})`,
      slice.flatMap(({ id, version }) => [id, version]),
    );
    if (touched < slice.length) throw await staleAmong(tx, name, slice, false);
  }
  for (const record of records) {
    await tx.change({
      kind: name,
      id: record.id,
      key: record.key,
      versionFrom: record.version,
      versionTo: null,
      before: imageOf(name, record),
      after: null,
    });
  }
}

/** Somebody was faster with one of these, and now it is too late to see with which: those that are left tell. */
async function staleAmong(tx: Tx, name: KindName, records: RecordHead[], written: boolean): Promise<Refusal> {
  const left = await byIds(
    tx,
    name,
    records.map((r) => r.id),
  );
  // What this unit of work has written itself is one version further.
  const own = written ? 1 : 0;
  const stale = records.find((r) => (left.get(r.id)?.version ?? r.version + own) !== r.version + own) ?? records[0];
  return staleRefusal(tx, name, stale?.id ?? 0, stale?.version ?? 0);
}

async function staleRefusal(tx: Tx, name: KindName, id: number, yours: number): Promise<Refusal> {
  const current = (await byIds(tx, name, [id])).get(id);
  if (!current) return new Refusal('not-found', { kind: name, ref: `#${id}` });
  return new Refusal('stale', { yours, current: current.version });
}
