import { Refusal } from '@zpine/contract/errors';
import { type BodyOf, type ReplyOf } from '@zpine/contract/routes';
import { atLeast, type Role } from '@zpine/contract/roles';
import { type Tx } from '../../store/tx.ts';
import { digestOf, newSecret, TOKEN_PREFIX } from './secrets.ts';
import { type User } from './who.ts';

interface Row {
  id: number;
  title: string;
  role: Role;
  created_at: Date;
  expires_at: Date;
  used_at: Date | null;
}

const columns = 'id, title, role, created_at, expires_at, used_at';
const shown = (row: Row) => ({
  id: Number(row.id),
  title: row.title,
  role: row.role,
  createdAt: row.created_at.toISOString(),
  expiresAt: row.expires_at.toISOString(),
  usedAt: row.used_at?.toISOString() ?? null,
});

export async function listTokens(tx: Tx, user: User): Promise<ReplyOf<'token.list'>> {
  const rows = await tx.select<Row>(`SELECT ${columns} FROM token WHERE user_id = ? ORDER BY id`, [user.id]);
  return { items: rows.map(shown), next: null };
}

export async function addToken(tx: Tx, user: User, input: BodyOf<'token.add'>): Promise<ReplyOf<'token.add'>> {
  const role = input.role ?? user.role;
  if (!atLeast(user.role, role)) throw new Refusal('role-insufficient', { needs: role, yours: user.role });
  const secret = newSecret(TOKEN_PREFIX);
  const [row] = await tx.select<Row>(
    `INSERT INTO token (digest, user_id, title, role, created_at, expires_at)
     VALUES (?, ?, ?, ?, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3) + INTERVAL ? DAY) RETURNING ${columns}`,
    [digestOf(secret), user.id, input.title, role, input.days],
  );
  if (!row) throw new Error('the token was not made');
  return { ...shown(row), secret };
}

export async function removeToken(tx: Tx, user: User, id: string): Promise<void> {
  const removed = /^[0-9]{1,15}$/.test(id)
    ? await tx.execute('DELETE FROM token WHERE id = ? AND user_id = ?', [Number(id), user.id])
    : 0;
  if (removed === 0) throw new Refusal('not-found', { kind: 'token', ref: id });
}
