/** Saved views: what somebody narrows and sorts a list by, under a name; for themselves or for everybody. */
import { listQuery } from '@zpine/contract/kindRoutes';
import { atLeast } from '@zpine/contract/roles';
import { Refusal } from '@zpine/contract/errors';
import { faultsOf } from '@zpine/contract/faults';
import type { View } from '@zpine/contract/findingRoutes';
import { kindOf } from '@zpine/contract/kinds';
import type { BodyOf, QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { User } from './access/who.ts';
import { kindGiven } from './records/refs.ts';
import type { Tx } from '../store/tx.ts';
import { number, table, text, type RowOf } from '../store/table.ts';

export const views = table('view', { id: number, kind: text, name: text, owner: text, shared: number, query: text });
type Row = RowOf<typeof views>;

const shown = (row: Row): View => ({
  id: Number(row.id),
  kind: row.kind,
  name: row.name,
  owner: row.owner,
  shared: Boolean(row.shared),
  query: JSON.parse(row.query) as Record<string, string>,
});

export async function listViews(tx: Tx, user: User, query: QueryOf<'view.list'>): Promise<ReplyOf<'view.list'>> {
  const kind = query.kind === undefined ? undefined : kindGiven(query.kind);
  const rows = await tx.select<Row>(
    `SELECT ${views.all} FROM view WHERE (owner = ? OR shared = 1) ${kind ? 'AND kind = ?' : ''} ORDER BY kind, name, owner LIMIT 500`,
    [user.name, ...(kind ? [kind] : [])],
  );
  return { items: rows.map(shown) };
}

export async function saveView(tx: Tx, user: User, body: BodyOf<'view.save'>): Promise<View> {
  const kind = kindGiven(body.kind);
  // What a list would not take is no view of it. Where it begins to show is no part of one.
  const { after: _, limit: __, count: ___, ...query } = body.query;
  const read = listQuery(kindOf(kind)).safeParse(query);
  if (!read.success)
    throw Refusal.of(faultsOf(read.error, query, Object.keys(listQuery(kindOf(kind)).shape), ['query']));
  const other = await tx.one<Row>(
    `SELECT ${views.all} FROM view WHERE kind = ? AND name = ? AND shared = 1 AND owner <> ? LIMIT 1 FOR UPDATE`,
    [kind, body.name, user.name],
  );
  // Two shared views of one name could not be told apart.
  if (other && body.shared) throw Refusal.at(['name'], 'view-taken', { name: body.name, owner: other.owner });
  await tx.execute(
    `INSERT INTO view (kind, name, owner, shared, query, updated_at) VALUES (?, ?, ?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE shared = VALUES(shared), query = VALUES(query), updated_at = VALUES(updated_at)`,
    [kind, body.name, user.name, body.shared ? 1 : 0, JSON.stringify(query), await tx.now()],
  );
  const row = await tx.one<Row>(`SELECT ${views.all} FROM view WHERE kind = ? AND name = ? AND owner = ?`, [
    kind,
    body.name,
    user.name,
  ]);
  if (!row) throw new Error('the view is not there');
  return shown(row);
}

export async function removeView(tx: Tx, user: User, id: string): Promise<void> {
  const row = /^[1-9][0-9]{0,15}$/.test(id)
    ? await tx.one<Row>(`SELECT ${views.all} FROM view WHERE id = ? FOR UPDATE`, [Number(id)])
    : undefined;
  if (!row || (row.owner !== user.name && !row.shared)) throw new Refusal('not-found', { kind: 'view', ref: id });
  if (row.owner !== user.name && !atLeast(user.role, 'admin'))
    throw new Refusal('view-taken', { name: row.name, owner: row.owner });
  await tx.execute('DELETE FROM view WHERE id = ?', [row.id]);
}
