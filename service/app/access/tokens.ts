/** Tokens of programs. None outlives or outranks what made it, and all end with a changed password. */
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import { atLeast, type Role } from '@zpine/contract/roles';
import type { Tx } from '../../store/tx.ts';
import { noteUser } from './note.ts';
import { digestOf, newSecret, TOKEN_PREFIX } from './secrets.ts';
import type { User } from './who.ts';
import { maybe, number, table, text, time, word, type RowOf } from '../../store/table.ts';

export const tokens = table('token', {
  id: number,
  title: text,
  role: word<Role>(),
  created_at: time,
  expires_at: time,
  used_at: maybe(time),
});
type Row = RowOf<typeof tokens>;

/** Of one user. */
const MOST_TOKENS = 50;

const shown = (row: Row) => ({
  id: Number(row.id),
  title: row.title,
  role: row.role,
  createdAt: row.created_at.toISOString(),
  expiresAt: row.expires_at.toISOString(),
  usedAt: row.used_at?.toISOString() ?? null,
});

export async function listTokens(tx: Tx, user: { id: number }): Promise<ReplyOf<'token.list'>> {
  const rows = await tx.select<Row>(`SELECT ${tokens.all} FROM token WHERE user_id = ? ORDER BY id`, [user.id]);
  return { items: rows.map(shown), next: null };
}

export async function addToken(tx: Tx, user: User, input: BodyOf<'token.add'>): Promise<ReplyOf<'token.add'>> {
  const role = input.role ?? user.role;
  if (!atLeast(user.role, role)) throw new Refusal('role-insufficient', { needs: role, yours: user.role });
  await tx.one('SELECT id FROM user WHERE id = ? FOR UPDATE', [user.id]);
  const held = await tx.one<{ n: number }>('SELECT COUNT(*) AS n FROM token WHERE user_id = ?', [user.id]);
  if (Number(held?.n ?? 0) >= MOST_TOKENS) throw new Refusal('tokens-many', { max: MOST_TOKENS });
  const secret = newSecret(TOKEN_PREFIX);
  // One that was made by another ends with it, at the latest.
  const [row] = await tx.select<Row>(
    `INSERT INTO token (digest, user_id, title, role, parent_id, created_at, expires_at)
     VALUES (?, ?, ?, ?, ?, UTC_TIMESTAMP(3), LEAST(UTC_TIMESTAMP(3) + INTERVAL ? DAY,
       COALESCE((SELECT p.expires_at FROM token p WHERE p.id = ?), '9999-12-31'))) RETURNING ${tokens.all}`,
    [digestOf(secret), user.id, input.title, role, user.token, input.days, user.token],
  );
  if (!row) throw new Error('the token was not made');
  await noteUser(tx, user, { tokenMade: Number(row.id), title: row.title, role, until: row.expires_at.toISOString() });
  return { ...shown(row), secret };
}

/** `by`: who takes it back, of whom it is the token; an administrator does so of anybody. */
export async function removeToken(tx: Tx, by: User, id: string, of: { id: number; name: string } = by): Promise<void> {
  const row = /^[0-9]{1,15}$/.test(id)
    ? await tx.one<Row>(`SELECT ${tokens.all} FROM token WHERE id = ? AND user_id = ? FOR UPDATE`, [Number(id), of.id])
    : undefined;
  if (!row) throw new Refusal('not-found', { kind: 'token', ref: id });
  // What signs in with little takes nothing away that stands for more.
  if (!atLeast(by.role, row.role)) throw new Refusal('role-insufficient', { needs: row.role, yours: by.role });
  await tx.execute('DELETE FROM token WHERE id = ?', [row.id]);
  await noteUser(tx, of, { tokenTakenBack: Number(row.id), title: row.title, by: by.name });
}
