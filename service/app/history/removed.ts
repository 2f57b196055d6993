/** Records that are not there any more: found by their keys, seen as they were, brought back with what was a part of them. */
import { isAscii } from '@zpine/core/text/ascii';
import { Refusal } from '@zpine/contract/errors';
import { isKind, kindOf, type KindName } from '@zpine/contract/kinds';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Value } from '@zpine/contract/fields';
import { Instant } from '../../store/instant.ts';
import type { Tx } from '../../store/tx.ts';
import { kindGiven, likeText } from '../records/refs.ts';
import { presentImage } from './list.ts';
import { changes, type ChangeRow } from './changes.ts';
import { takeBack } from './undo.ts';
import { number, table, text, time, word, type RowOf } from '../../store/table.ts';

export const removals = table('removed', {
  kind: word<KindName>(),
  record_id: number,
  record_key: text,
  at: time,
  actor: text,
});
type Row = RowOf<typeof removals>;

export async function listRemoved(tx: Tx, query: QueryOf<'removed.list'>): Promise<ReplyOf<'removed.list'>> {
  // What went with something else comes back with that.
  const where = ['part = 0'];
  const values: unknown[] = [];
  if (query.kind !== undefined) {
    where.push('kind = ?');
    values.push(kindGiven(query.kind));
  }
  if (query.q !== undefined) {
    where.push(isAscii(query.q) ? 'record_key LIKE ?' : 'FALSE');
    if (isAscii(query.q)) values.push(`%${likeText(query.q.toLowerCase())}%`);
  }
  if (query.after !== undefined) {
    const [, at = '', id = ''] = /^(\d{13,15})-(\d{1,15})$/.exec(query.after) ?? [];
    if (at === '') throw Refusal.at(['after'], 'cursor-invalid');
    const time = new Instant(Number(at));
    where.push('(at < ? OR (at = ? AND record_id < ?))');
    values.push(time, time, Number(id));
  }
  const rows = await tx.select<Row>(
    `SELECT ${removals.all} FROM removed WHERE ${where.join(' AND ')} ORDER BY at DESC, record_id DESC LIMIT ?`,
    [...values, query.limit + 1],
  );
  const shown = rows.slice(0, query.limit);
  const items = [];
  for (const row of shown) {
    const removal = await removalOf(tx, row);
    items.push({
      kind: row.kind,
      id: Number(row.record_id),
      key: row.record_key,
      at: row.at.toISOString(),
      actor: row.actor,
      reason: removal?.reason ?? null,
      set: removal ? Number(removal.change_set_id) : 0,
      fields: (removal ? await presentImage(tx, row.kind, removal.before) : null) ?? {},
    });
  }
  const last = shown.at(-1);
  return { items, next: rows.length > query.limit && last ? `${last.at.getTime()}-${Number(last.record_id)}` : null };
}

type Removal = ChangeRow & { change_set_id: number; reason: string | null };

const removalOf = (tx: Tx, { kind, record_id }: Pick<Row, 'kind' | 'record_id'>): Promise<Removal | undefined> =>
  tx.one<Removal>(
    `SELECT ${changes.of('c')}, s.reason FROM \`change\` c JOIN change_set s ON s.id = c.change_set_id
     WHERE c.kind = ? AND c.record_id = ? AND c.version_to IS NULL ORDER BY c.change_set_id DESC LIMIT 1`,
    [kind, record_id],
  );

/** Brings one record back, with its parts and the values of its layer that went with it. */
export async function restore(tx: Tx, kindText: string, ref: string): Promise<ReplyOf<'removed.restore'>> {
  const kind = kindGiven(kindText);
  const byId = /^#[1-9][0-9]{0,15}$/.test(ref);
  if (!isAscii(ref)) throw new Refusal('removed-unknown', { kind, ref });
  const row = await tx.one<Row>(
    `SELECT ${removals.all} FROM removed WHERE kind = ? AND ${byId ? 'record_id' : 'record_key'} = ? ORDER BY at DESC LIMIT 1 FOR UPDATE`,
    [kind, byId ? Number(ref.slice(1)) : ref.trim().toLowerCase()],
  );
  if (!row) throw new Refusal('removed-unknown', { kind, ref });
  const removal = await removalOf(tx, row);
  if (!removal) throw new Refusal('removed-unknown', { kind, ref });
  const set = await tx.select<ChangeRow>(
    `SELECT ${changes.all} FROM \`change\` WHERE change_set_id = ? AND version_to IS NULL ORDER BY seq DESC`,
    [removal.change_set_id],
  );
  const went = wentWith(set, kind, Number(row.record_id));
  return takeBack(tx, [went], went);
}

/** Of the changes of a set, those that removed this record, its parts, theirs, and the values of their layers. */
function wentWith(set: ChangeRow[], kind: KindName, id: number): ChangeRow[] {
  const mine = new Set([`${kind} ${id}`]);
  const image = (change: ChangeRow) => JSON.parse(change.before ?? '{}') as Record<string, Value>;
  const belongs = (change: ChangeRow): boolean => {
    if (change.kind === 'value') {
      const place = image(change).place as { layer: string; of: number } | undefined;
      return place !== undefined && mine.has(`${place.layer} ${place.of}`);
    }
    if (!isKind(change.kind)) return false;
    return partFields(change.kind).some(([field, to]) => mine.has(`${to} ${Number(image(change)[field])}`));
  };
  for (let size = 0; size !== mine.size;) {
    size = mine.size;
    for (const change of set) if (belongs(change)) mine.add(`${change.kind} ${Number(change.record_id)}`);
  }
  return set.filter((change) => mine.has(`${change.kind} ${Number(change.record_id)}`));
}

const partFields = (kind: KindName): [string, string][] =>
  Object.entries(kindOf(kind).fields).flatMap(([name, field]): [string, string][] =>
    field.part && field.to ? [[name, field.to]] : [],
  );
