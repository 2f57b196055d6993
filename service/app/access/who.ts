import { atLeast, type Role } from '@zpine/contract/roles';
import { type Tx } from '../../store/tx.ts';
import { digestOf, TOKEN_PREFIX } from './secrets.ts';

/** Somebody who is signed in, by session or by token. */
export interface User {
  id: number;
  name: string;
  title: string | null;
  /** What they may do here: with a token, the lesser of the user's role and the token's. */
  role: Role;
  by: 'session' | 'token';
}

interface Found {
  id: number;
  name: string;
  title: string | null;
  role: Role;
  token_role: Role | null;
}

export async function whoHolds(tx: Tx, secret: string): Promise<User | undefined> {
  const byToken = secret.startsWith(TOKEN_PREFIX);
  const row = await tx.one<Found>(
    byToken
      ? `SELECT u.id, u.name, u.title, u.role, t.role AS token_role FROM token t JOIN user u ON u.id = t.user_id
         WHERE t.digest = ? AND t.expires_at > UTC_TIMESTAMP(3) AND u.disabled = 0`
      : `SELECT u.id, u.name, u.title, u.role, NULL AS token_role FROM session s JOIN user u ON u.id = s.user_id
         WHERE s.digest = ? AND s.expires_at > UTC_TIMESTAMP(3) AND u.disabled = 0`,
    [digestOf(secret)],
  );
  if (!row) return undefined;
  const role = row.token_role && !atLeast(row.token_role, row.role) ? row.token_role : row.role;
  return { id: Number(row.id), name: row.name, title: row.title, role, by: byToken ? 'token' : 'session' };
}
