import { atLeast, type Role } from '@zpine/contract/roles';
import type { Actor, Store } from '../../store/store.ts';
import { readOnly, transact } from '../../store/transact.ts';
import type { Tx } from '../../store/tx.ts';
import { digestOf, TOKEN_PREFIX } from './secrets.ts';

/** Somebody who is signed in, by session or by token. */
export interface User {
  id: number;
  name: string;
  title: string | null;
  /** What they may do here: with a token, the lesser of the user's role and the token's. */
  role: Role;
  by: 'session' | 'token';
  /** Which session; null for a token. */
  session: number | null;
  /** Which token; null for a session. */
  token: number | null;
}

interface Found {
  token: number | null;
  session: number | null;
  used_at: Date | null;
  id: number;
  name: string;
  title: string | null;
  role: Role;
  token_role: Role | null;
}

const service: Actor = { name: 'service', via: 'service' };
/** That a token is used is written down so often at most. */
const USED_AGAIN_MS = 60_000;

/** Who has this secret, and may sign in with it; a token's use is written down. */
export async function whoHolds(store: Store, secret: string): Promise<User | undefined> {
  const byToken = secret.startsWith(TOKEN_PREFIX);
  const row = await readOnly(store, service, (tx) => find(tx, secret, byToken));
  if (!row) return undefined;
  const { token, session, used_at } = row;
  if (session !== null && Date.now() - (used_at?.getTime() ?? 0) > USED_AGAIN_MS)
    await transact(store, service, 'session.used', (tx) =>
      tx.execute('UPDATE session SET used_at = UTC_TIMESTAMP(3) WHERE id = ?', [session]),
    );
  if (token !== null && Date.now() - (used_at?.getTime() ?? 0) > USED_AGAIN_MS)
    await transact(store, service, 'token.used', (tx) =>
      tx.execute('UPDATE token SET used_at = UTC_TIMESTAMP(3) WHERE id = ?', [token]),
    );
  const role = row.token_role && !atLeast(row.token_role, row.role) ? row.token_role : row.role;
  const { id, name, title } = row;
  return {
    id: Number(id),
    name,
    title,
    role,
    by: byToken ? 'token' : 'session',
    session: session && Number(session),
    token: token && Number(token),
  };
}

const find = (tx: Tx, secret: string, byToken: boolean): Promise<Found | undefined> =>
  tx.one<Found>(
    byToken
      ? `SELECT u.id, u.name, u.title, u.role, t.role AS token_role, t.id AS token, t.used_at, NULL AS session FROM token t JOIN user u ON u.id = t.user_id
         WHERE t.digest = ? AND t.expires_at > UTC_TIMESTAMP(3) AND u.disabled = 0`
      : `SELECT u.id, u.name, u.title, u.role, NULL AS token_role, NULL AS token, s.used_at, s.id AS session FROM session s JOIN user u ON u.id = s.user_id
         WHERE s.digest = ? AND s.expires_at > UTC_TIMESTAMP(3) AND u.disabled = 0`,
    [digestOf(secret)],
  );
