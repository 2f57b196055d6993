import { Refusal } from '@zpine/contract/errors';
import { columnOf } from '@zpine/contract/kind';
import { kindOf, referrersOf, type KindName } from '@zpine/contract/kinds';
import { type AnyStored, byIds, find, present, remove as removeRows } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { dropValuesOf } from '../settings/values.ts';
import { rulesOf } from '../kinds/rules.ts';
import { mustFind } from './refs.ts';

interface Going {
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
  const going = await withParts(tx, kind, [record as unknown as AnyStored]);
  const gone = new Map<KindName, Set<number>>();
  for (const { kind: name, records } of going) {
    const ids = gone.get(name) ?? new Set();
    for (const r of records) ids.add(r.id);
    gone.set(name, ids);
  }
  await refuseWhileUsed(tx, going, gone);
  // Parts first, and references among those that go are let go of before.
  for (const { kind: name, records } of going.toReversed()) {
    await rulesOf(name).removing?.(tx, records);
    await dropValuesOf(tx, name, records);
    await removeRows(tx, name, records as never);
    await rulesOf(name).removed?.(tx, records);
  }
}

/** The records and, below them, what is a part of them: outer ones first. */
export async function withParts(tx: Tx, kind: KindName, records: AnyStored[]): Promise<Going[]> {
  const out: Going[] = [{ kind, records }];
  for (const [child, field] of referrersOf(kind)) {
    if (!kindOf(child).fields[field]?.part) continue;
    const parts = await find(tx, child, { [`${columnOf(field)}_id`]: records.map((r) => r.id) }, { lock: true });
    if (parts.length > 0) out.push(...(await withParts(tx, child, parts as unknown as AnyStored[])));
  }
  return out;
}

async function refuseWhileUsed(tx: Tx, going: Going[], gone: Map<KindName, Set<number>>): Promise<void> {
  for (const { kind, records } of going) {
    const ids = records.map((r) => r.id);
    for (const [other, field] of referrersOf(kind)) {
      const spec = kindOf(other).fields[field];
      if (spec?.part || spec?.derived) continue;
      const column = `${columnOf(field)}_id`;
      const users = await tx.select<{ id: number; natural_key: string; used: number }>(
        `SELECT id, natural_key, \`${column}\` AS used FROM \`${other}\` WHERE \`${column}\` IN (?) ORDER BY sort_key LIMIT 1000`,
        [ids],
      );
      const staying = users.filter((u) => !gone.get(other)?.has(Number(u.id)));
      if (staying.length > 0) {
        const used = (await byIds(tx, kind, [Number(staying[0]?.used)])).get(Number(staying[0]?.used));
        const names = staying
          .slice(0, 5)
          .map((u) => u.natural_key)
          .join(', ');
        const many = staying.length > 5 ? ` and ${staying.length - 5} more` : '';
        throw new Refusal('in-use', {
          kind,
          key: used?.key ?? '',
          users: `${kindOf(other)[staying.length === 1 ? 'title' : 'titles'].toLowerCase()} ${names}${many} (${spec?.title.toLowerCase()})`,
        });
      }
      const letGo = users.filter((u) => gone.get(other)?.has(Number(u.id))).map((u) => Number(u.id));
      if (letGo.length > 0 && !spec?.required)
        await tx.execute(`UPDATE \`${other}\` SET \`${column}\` = NULL WHERE id IN (?)`, [letGo]);
    }
  }
}
