/** What is a part of records and goes with them, and taking it away in an order that the database allows. */
import { columnOf, refsOf } from '@zpine/contract/kind';
import { kindNames, kindOf, referrersOf, type KindName } from '@zpine/contract/kinds';
import { type AnyStored, find } from '../../store/records.ts';
import { derivable, remove as removeRows, removeDerived } from '../../store/recordWrites.ts';
import type { Tx } from '../../store/tx.ts';

export interface Going {
  kind: KindName;
  records: AnyStored[];
}

/** What the rules of kinds have to do when records go. */
interface Hooks {
  before?: (kind: KindName, records: AnyStored[], recorded: AnyStored[]) => Promise<void>;
  after?: (kind: KindName, records: AnyStored[]) => Promise<void> | undefined;
}

/** Takes `all` away, with all that is `going`: parts first, and references among them are let go of before. */
export async function takeAway(
  tx: Tx,
  kind: KindName,
  all: AnyStored[],
  going: Going[],
  { before, after }: Hooks = {},
): Promise<void> {
  const silent = withoutTrace(going);
  const named = new Set(all.map((record) => record.id));
  for (const { kind: name, records } of going.toReversed()) {
    const recorded = records.filter((r) => !silent.has(`${name} ${r.id}`));
    await before?.(name, records, recorded);
    await letGoOfOwn(tx, name, records);
    const whole = (r: AnyStored) => name === kind && named.has(r.id);
    await removeRows(tx, name, recorded.filter((r) => !whole(r)).reverse(), true);
    await removeRows(tx, name, recorded.filter(whole));
    await removeDerived(
      tx,
      name,
      records.filter((r) => silent.has(`${name} ${r.id}`)).map((r) => r.id),
    );
    await after?.(name, records);
  }
}

/**
 * The records and what is a part of them, kind by kind: outer ones first, and what is found by several ways once. With
 * `contents` also what lies in them.
 */
export async function withParts(tx: Tx, kind: KindName, records: AnyStored[], contents = false): Promise<Going[]> {
  const found = new Map<KindName, Map<number, AnyStored>>();
  let open: Going[] = [{ kind, records }];
  while (open.length > 0) {
    const next: Going[] = [];
    for (const { kind: name, records: some } of open) {
      const known = found.get(name) ?? new Map<number, AnyStored>();
      found.set(name, known);
      const fresh = some.filter((record) => !known.has(record.id));
      for (const record of fresh) known.set(record.id, record);
      if (fresh.length > 0) next.push(...(await partsOf(tx, name, fresh, contents)));
    }
    open = next;
  }
  return kindNames.flatMap((name) => {
    const some = found.get(name);
    return some && some.size > 0 ? [{ kind: name, records: outerFirst(name, [...some.values()]) }] : [];
  });
}

async function partsOf(tx: Tx, kind: KindName, records: AnyStored[], contents: boolean): Promise<Going[]> {
  const out: Going[] = [];
  for (const [child, field] of referrersOf(kind)) {
    const spec = kindOf(child).fields[field];
    if (!spec?.part && !(contents && spec?.inside)) continue;
    const found = await find(tx, child, { [`${columnOf(field)}_id`]: records.map((r) => r.id) }, { lock: true });
    const parts = found.filter((one) => spec.part === true || !isPart(child, one));
    if (parts.length > 0) out.push({ kind: child, records: parts });
  }
  return out;
}

/** What is a part of something goes with that, or stays with it. */
const isPart = (kind: KindName, record: AnyStored): boolean =>
  refsOf(kindOf(kind)).some(([field, { part }]) => part === true && record[field] !== null);

/** Fields by which records of a kind refer to others of it. */
const ownRefs = (kind: KindName): string[] =>
  refsOf(kindOf(kind)).flatMap(([name, { to }]) => (to === kind ? [name] : []));

function outerFirst(kind: KindName, records: AnyStored[]): AnyStored[] {
  const fields = ownRefs(kind).filter((name) => kindOf(kind).fields[name]?.part);
  if (fields.length === 0) return records;
  const byId = new Map(records.map((record) => [record.id, record]));
  const out = new Set<AnyStored>();
  const put = (record: AnyStored): void => {
    for (const name of fields) {
      const around = byId.get(Number(record[name]));
      if (around && !out.has(around)) put(around);
    }
    out.add(record);
  };
  for (const record of records) put(record);
  return [...out];
}

async function letGoOfOwn(tx: Tx, kind: KindName, records: AnyStored[]): Promise<void> {
  for (const name of ownRefs(kind)) {
    const ids = records.filter((record) => (record[name] ?? null) !== null).map((record) => record.id);
    if (ids.length > 0)
      await tx.execute(`UPDATE \`${kind}\` SET \`${columnOf(name)}_id\` = NULL WHERE id IN (?)`, [ids]);
  }
}

/**
 * What came along by itself, was never edited, and nothing that is recorded refers to: it goes as it came, and would come
 * again. Everything else is recorded, so that it can be brought back under its own id.
 */
function withoutTrace(going: Going[]): Set<string> {
  const untouched = new Set<string>();
  for (const { kind, records } of going)
    if (derivable.includes(kind)) for (const r of records) if (r.version === 0) untouched.add(`${kind} ${r.id}`);
  if (untouched.size === 0) return untouched;
  const recorded = going.flatMap(({ kind, records }) =>
    records.filter((r) => !untouched.has(`${kind} ${r.id}`)).map((record) => ({ kind, record })),
  );
  const byName = new Map(
    going.flatMap(({ kind, records }) => records.map((r) => [`${kind} ${r.id}`, { kind, record: r }])),
  );
  for (let one = recorded.pop(); one; one = recorded.pop()) {
    for (const [name, { to }] of refsOf(kindOf(one.kind))) {
      const at = `${to} ${Number(one.record[name])}`;
      const meant = byName.get(at);
      if (meant && untouched.delete(at)) recorded.push(meant);
    }
  }
  return untouched;
}
