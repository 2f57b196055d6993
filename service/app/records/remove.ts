import { Refusal } from '@zpine/contract/errors';
import { columnOf } from '@zpine/contract/kind';
import { kindOf, referrersOf, type KindName } from '@zpine/contract/kinds';
import { type AnyStored, byIds, find, present } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { dropValuesOf } from '../settings/values.ts';
import { editOne } from './edit.ts';
import { rulesOf } from '../kinds/rules.ts';
import { takeAway, withParts, type Going } from './parts.ts';
import { mustFind } from './refs.ts';

/** Removes a record with its parts; refused while others refer to any of them. */
export async function removeOne(tx: Tx, kind: KindName, ref: string, version?: number): Promise<void> {
  const record = await mustFind(tx, kind, ref, true);
  if (version !== undefined && version !== record.version) {
    const [current] = await present(tx, kind, [record]);
    throw new Refusal('stale', { yours: version, current: record.version }, [], { yours: version, current });
  }
  await removeAll(tx, kind, [record]);
}

/**
 * Removes records of one kind together, with their parts: what refers to one from another of them is no hindrance. With
 * `contents` what lies in them goes, too.
 */
export async function removeAll(tx: Tx, kind: KindName, all: AnyStored[], contents = false): Promise<void> {
  await rulesOf(kind).mayGo?.(tx, all);
  const going = await withParts(tx, kind, all, contents);
  if (contents) await letGo(tx, going);
  const gone = new Map(going.map(({ kind: name, records }) => [name, new Set(records.map((r) => r.id))]));
  await refuseWhileUsed(tx, going, gone);
  await takeAway(tx, kind, all, going, {
    before: async (name, records, recorded) => {
      await rulesOf(name).removing?.(tx, records);
      await dropValuesOf(tx, name, recorded);
    },
    after: (name, records) => rulesOf(name).removed?.(tx, records),
  });
}

/** What stays when a place is emptied, as the hardware of its devices does, refers to nothing afterwards. */
async function letGo(tx: Tx, going: Going[]): Promise<void> {
  for (const { kind, records } of going)
    for (const [other, field] of referrersOf(kind)) {
      if (!kindOf(other).fields[field]?.letsGo) continue;
      const held = await find(tx, other, { [`${columnOf(field)}_id`]: records.map((r) => r.id) }, { lock: true });
      for (const { id } of held) await editOne(tx, other, `#${id}`, { [field]: null });
    }
}

/** A record that stays, and refers to one that would go. */
interface User {
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
