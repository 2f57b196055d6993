import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import { Refusal } from '@zpine/contract/errors';
import { isKind, kindNames, type KindName } from '@zpine/contract/kinds';
import { canonicalKey, refsOf } from '@zpine/contract/kind';
import { kindOf } from '@zpine/contract/kinds';
import type { Value } from '@zpine/contract/fields';
import { nearest } from '@zpine/core/naming/names';
import { isAscii } from '@zpine/core/text/ascii';
import { keysOf } from '../../store/records.ts';
import { atLeast, type Role } from '@zpine/contract/roles';
import { Instant } from '../../store/instant.ts';
import type { Tx } from '../../store/tx.ts';
import { ownKinds } from '../../store/unsaved.ts';
import { findRefs, likeText, mustFindField } from '../records/refs.ts';
import { maybe, number, table, text, time, type RowOf } from '../../store/table.ts';

const CHANGES_SHOWN = 100;

const isOwn = (kind: string): boolean => (ownKinds as readonly string[]).includes(kind);

export const changeSets = table('change_set', {
  id: number,
  at: time,
  actor: text,
  via: text,
  action: text,
  reason: maybe(text),
  undoes: maybe(number),
});
type SetRow = RowOf<typeof changeSets> & { undone_by: number | null };
export const shown = table('change', {
  change_set_id: number,
  kind: text,
  record_id: number,
  record_key: text,
  before: maybe(text),
  after: maybe(text),
});
type ChangeRow = RowOf<typeof shown>;

/** Change sets, the newest first, with the first changes of each. */
export async function history(tx: Tx, query: QueryOf<'history.list'>, role: Role): Promise<ReplyOf<'history.list'>> {
  const where: string[] = ['1 = 1'];
  const values: unknown[] = [];
  // Who signed in, and what was done to users, is for administrators; and in nobody's way where they ask for something else.
  if (query.kind === 'user' && !atLeast(role, 'admin'))
    throw new Refusal('role-insufficient', { needs: 'admin', yours: role });
  if (query.kind !== 'user')
    where.push("NOT EXISTS (SELECT 1 FROM `change` p WHERE p.change_set_id = s.id AND p.kind = 'user')");
  if (query.kind !== undefined) await narrowToKind(tx, query.kind, query.record, where, values);
  else if (query.record !== undefined) throw Refusal.at(['kind'], 'value-missing');
  if (query.actor !== undefined) {
    where.push('s.actor = ?');
    values.push(query.actor);
  }
  if (query.via !== undefined) {
    where.push('s.via = ?');
    values.push(query.via);
  }
  for (const [name, op] of [
    ['since', '>='],
    ['until', '<'],
  ] as const) {
    const text = query[name];
    if (text === undefined) continue;
    where.push(`s.at ${op} ?`);
    values.push(timeOf(name, text));
  }
  if (query.q !== undefined) {
    const like = `%${likeText(query.q)}%`;
    const inKeys = isAscii(like);
    where.push(
      `(s.reason LIKE ?${inKeys ? ' OR EXISTS (SELECT 1 FROM `change` q WHERE q.change_set_id = s.id AND q.record_key LIKE ?)' : ''})`,
    );
    values.push(like, ...(inKeys ? [like.toLowerCase()] : []));
  }
  if (query.setting !== undefined) {
    const { name } = await mustFindField(tx, 'setting', query.setting, 'setting');
    where.push(
      "EXISTS (SELECT 1 FROM `change` v WHERE v.change_set_id = s.id AND v.kind = 'value' AND v.record_key LIKE ?)",
    );
    values.push(`${likeText(name)} %`);
  }
  if (query.after !== undefined) {
    if (!/^[0-9]{1,15}$/.test(query.after)) throw Refusal.at(['after'], 'cursor-invalid');
    where.push('s.id < ?');
    values.push(Number(query.after));
  }
  const sets = await tx.select<SetRow>(
    `SELECT ${changeSets.of('s')},
       (SELECT MAX(u.id) FROM change_set u WHERE u.undoes = s.id AND NOT EXISTS (SELECT 1 FROM change_set o WHERE o.undoes = u.id)) AS undone_by
     FROM change_set s WHERE ${where.join(' AND ')} ORDER BY s.id DESC LIMIT ?`,
    [...values, query.limit + 1],
  );
  const shown = sets.slice(0, query.limit);
  const changes = await changesOf(
    tx,
    shown.map((s) => s.id),
  );
  const items = shown.map((s) => ({
    id: Number(s.id),
    at: s.at.toISOString(),
    actor: s.actor,
    via: s.via,
    action: s.action,
    reason: s.reason,
    undoes: s.undoes === null ? null : Number(s.undoes),
    undoneBy: s.undone_by === null ? null : Number(s.undone_by),
    count: changes.get(s.id)?.count ?? 0,
    changes: changes.get(s.id)?.shown ?? [],
  }));
  return { items, next: sets.length > query.limit ? String(shown.at(-1)?.id) : null };
}

/** A day, or a time of it, UTC. */
function timeOf(name: string, text: string): Instant {
  const time = /^\d{4}-\d{2}-\d{2}(T\d{2}:\d{2}(:\d{2})?)?$/.test(text)
    ? Date.parse(`${text.includes('T') ? text : `${text}T00:00`}Z`)
    : NaN;
  if (Number.isNaN(time)) throw Refusal.at([name], 'value-shape', { form: '2026-05-04, or 2026-05-04T10:00' });
  return new Instant(time);
}

async function narrowToKind(
  tx: Tx,
  kind: string,
  record: string | undefined,
  where: string[],
  values: unknown[],
): Promise<void> {
  if (!isKind(kind) && !isOwn(kind)) {
    const meant = nearest(kind, [...kindNames, ...ownKinds]);
    throw Refusal.at(['kind'], 'value-choice', {
      value: kind,
      choices: [...kindNames, ...ownKinds].join(', '),
      ...(meant ? { meant } : {}),
    });
  }
  const exists = 'EXISTS (SELECT 1 FROM `change` c WHERE c.change_set_id = s.id AND c.kind = ?';
  if (record === undefined) {
    where.push(`${exists})`);
    values.push(kind);
  } else {
    if (!/^#[0-9]+$/.test(record) && !isKind(kind)) throw Refusal.at(['record'], 'value-shape', { form: '#ID' });
    const ids = isKind(kind) && !/^#[0-9]+$/.test(record) ? await livesOf(tx, kind, record) : [Number(record.slice(1))];
    where.push('s.id IN (SELECT c.change_set_id FROM `change` c WHERE c.kind = ? AND c.record_id IN (?))');
    values.push(kind, ids);
  }
}

/** The record of this key, and those that were removed under it: one that is gone has a history, too. */
async function livesOf(tx: Tx, kind: KindName, key: string): Promise<number[]> {
  const [found] = (await findRefs(tx, kind, [key])).values();
  const gone = isAscii(key)
    ? await tx.select<{ record_id: number }>(
        'SELECT DISTINCT record_id FROM `change` WHERE kind = ? AND record_key = ? AND `after` IS NULL',
        [kind, canonicalKey(kindOf(kind), key)],
      )
    : [];
  const ids = [...new Set([...(found ? [found.id] : []), ...gone.map((row) => Number(row.record_id))])];
  return ids.length > 0 ? ids : [(await mustFindField(tx, kind, key, 'record')).id];
}

type Shown = ReplyOf<'history.list'>['items'][number]['changes'];

async function changesOf(tx: Tx, sets: number[]): Promise<Map<number, { count: number; shown: Shown }>> {
  const out = new Map<number, { count: number; shown: Shown }>();
  if (sets.length === 0) return out;
  const counts = await tx.select<{ change_set_id: number; count: number }>(
    'SELECT change_set_id, COUNT(*) AS count FROM `change` WHERE change_set_id IN (?) GROUP BY change_set_id',
    [sets],
  );
  for (const row of counts) out.set(row.change_set_id, { count: Number(row.count), shown: [] });
  const rows = await tx.select<ChangeRow>(
    `SELECT ${shown.all} FROM \`change\` WHERE change_set_id IN (?) AND seq <= ? ORDER BY change_set_id, seq`,
    [sets, CHANGES_SHOWN],
  );
  for (const row of rows) {
    out.get(row.change_set_id)?.shown.push({
      kind: row.kind,
      id: Number(row.record_id),
      key: row.record_key,
      before: await presentImage(tx, row.kind, row.before),
      after: await presentImage(tx, row.kind, row.after),
    });
  }
  return out;
}

/** An image with natural keys in the place of ids, as far as the records still stand. */
export async function presentImage(tx: Tx, kind: string, text: string | null): Promise<Record<string, Value> | null> {
  if (text === null) return null;
  const image = JSON.parse(text) as Record<string, Value>;
  if (!isKind(kind)) {
    const { sealed: _sealed, place: _place, ...shown } = image;
    return shown;
  }
  for (const [field, { to }] of refsOf(kindOf(kind))) {
    const id = image[field];
    if (typeof id === 'number') image[field] = (await keysOf(tx, to as KindName, [id])).get(id) ?? `#${id}`;
  }
  return image;
}
