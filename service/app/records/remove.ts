import { Refusal } from '@zpine/contract/errors';
import { columnOf, refsOf } from '@zpine/contract/kind';
import { kindNames, kindOf, referrersOf, type KindName } from '@zpine/contract/kinds';
import {
  type AnyStored,
  byIds,
  derivable,
  find,
  present,
  remove as removeRows,
  removeDerived,
} from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { dropValuesOf } from '../settings/values.ts';
import { rulesOf } from '../kinds/rules.ts';
import { mustFind } from './refs.ts';

export interface Going {
  kind: KindName;
  records: AnyStored[];
}

/** Removes a record with its parts; refused while others refer to any of them. */
export async function removeOne(tx: Tx, kind: KindName, ref: string, version?: number): Promise<void> {
  const record = await mustFind(tx, kind, ref, true);
  if (version !== undefined && version !== record.version) {
    const [current] = await present(tx, kind, [record]);
    throw new Refusal('stale', { yours: version, current: record.version }, [], { yours: version, current });
  }
  await removeAll(tx, kind, [record as unknown as AnyStored]);
}

/**
 * Removes records of one kind together, with their parts: what refers to one from another of them is no hindrance.
 * `asked` is false where they go because what brought them went.
 */
export async function removeAll(tx: Tx, kind: KindName, all: AnyStored[], asked = true): Promise<void> {
  if (asked) await rulesOf(kind).mayGo?.(tx, all);
  const going = await withParts(tx, kind, all);
  const gone = new Map(going.map(({ kind: name, records }) => [name, new Set(records.map((r) => r.id))]));
  await refuseWhileUsed(tx, going, gone);
  const silent = withoutTrace(going);
  const named = new Set(all.map((record) => record.id));
  // Parts first, and references among those that go are let go of before.
  for (const { kind: name, records } of going.toReversed()) {
    const recorded = records.filter((r) => !silent.has(`${name} ${r.id}`));
    await rulesOf(name).removing?.(tx, records);
    await letGoOfOwn(tx, name, records);
    await dropValuesOf(tx, name, recorded);
    const whole = (r: AnyStored) => name === kind && named.has(r.id);
    await removeRows(tx, name, recorded.filter((r) => !whole(r)).reverse() as never, true);
    await removeRows(tx, name, recorded.filter(whole) as never);
    await removeDerived(
      tx,
      name,
      records.filter((r) => silent.has(`${name} ${r.id}`)).map((r) => r.id),
    );
    await rulesOf(name).removed?.(tx, records);
  }
}

/** The records and what is a part of them, kind by kind: outer ones first, and what is found by several ways once. */
export async function withParts(tx: Tx, kind: KindName, records: AnyStored[]): Promise<Going[]> {
  const found = new Map<KindName, Map<number, AnyStored>>();
  let open: Going[] = [{ kind, records }];
  while (open.length > 0) {
    const next: Going[] = [];
    for (const { kind: name, records: some } of open) {
      const known = found.get(name) ?? new Map<number, AnyStored>();
      found.set(name, known);
      const fresh = some.filter((record) => !known.has(record.id));
      for (const record of fresh) known.set(record.id, record);
      if (fresh.length > 0) next.push(...(await partsOf(tx, name, fresh)));
    }
    open = next;
  }
  return kindNames.flatMap((name) => {
    const some = found.get(name);
    return some && some.size > 0 ? [{ kind: name, records: outerFirst(name, [...some.values()]) }] : [];
  });
}

async function partsOf(tx: Tx, kind: KindName, records: AnyStored[]): Promise<Going[]> {
  const out: Going[] = [];
  for (const [child, field] of referrersOf(kind)) {
    if (!kindOf(child).fields[field]?.part) continue;
    const parts = await find(tx, child, { [`${columnOf(field)}_id`]: records.map((r) => r.id) }, { lock: true });
    if (parts.length > 0) out.push({ kind: child, records: parts as unknown as AnyStored[] });
  }
  return out;
}

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

/** A record that stays, and refers to one that would go. */
export interface User {
  kind: KindName;
  id: number;
  key: string;
  field: string;
  /** What it refers to. */
  of: { kind: KindName; id: number };
}

const LOOKED_AT = 1000;

/** Refused while others refer to what goes, all of them named; references among those that go are let go of. */
async function refuseWhileUsed(tx: Tx, going: Going[], gone: Map<KindName, Set<number>>): Promise<void> {
  const staying: User[] = [];
  for (const { kind, records } of going) {
    const ids = records.map((r) => r.id);
    for (const [other, field] of referrersOf(kind)) {
      const spec = kindOf(other).fields[field];
      if (spec?.part || spec?.derived) continue;
      const column = `${columnOf(field)}_id`;
      const users = await tx.select<{ id: number; natural_key: string; used: number }>(
        `SELECT id, natural_key, \`${column}\` AS used FROM \`${other}\` WHERE \`${column}\` IN (?) ORDER BY sort_key LIMIT ${LOOKED_AT}`,
        [ids],
      );
      for (const user of users) {
        if (gone.get(other)?.has(Number(user.id))) continue;
        const of = { kind, id: Number(user.used) };
        staying.push({ kind: other, id: Number(user.id), key: user.natural_key, field, of });
      }
      const letGo = users.filter((u) => gone.get(other)?.has(Number(u.id))).map((u) => Number(u.id));
      if (letGo.length > 0 && !spec?.required)
        await tx.execute(`UPDATE \`${other}\` SET \`${column}\` = NULL WHERE id IN (?)`, [letGo]);
    }
  }
  const [first] = staying;
  if (!first) return;
  const used = (await byIds(tx, first.of.kind, [first.of.id])).get(first.of.id);
  const users = staying.map(({ kind, key }) => ({ kind, key }));
  throw new Refusal('in-use', { kind: first.of.kind, key: used?.key ?? '', users: usersText(staying) }, [], { users });
}

/** `devices ard-acc-1, ard-acc-2 (rack); VLAN ard/304 (site)`. */
function usersText(users: User[]): string {
  const groups = new Map<string, User[]>();
  for (const user of users) {
    const name = `${user.kind} ${user.field}`;
    groups.set(name, [...(groups.get(name) ?? []), user]);
  }
  return [...groups.values()]
    .map((group) => {
      const k = kindOf(group[0]?.kind ?? '');
      const names = group.slice(0, 5).map((user) => user.key);
      const more = group.length > 5 ? ` and ${group.length - 5} more` : '';
      const title = k[group.length === 1 ? 'title' : 'titles'];
      const field = k.fields[group[0]?.field ?? '']?.title.toLowerCase();
      return `${/^[A-Z]{2}/.test(title) ? title : title.toLowerCase()} ${names.join(', ')}${more} (${field})`;
    })
    .join('; ');
}
