/** Where somebody is signed in, and how they end that. */
import { Refusal } from '@zpine/contract/errors';
import type { ReplyOf } from '@zpine/contract/routes';
import type { Tx } from '../../store/tx.ts';
import { noteUser } from './note.ts';
import { listTokens, removeToken } from './tokens.ts';
import type { User } from './who.ts';
import { maybe, number, table, text, time, type RowOf } from '../../store/table.ts';

export const sessions = table('session', {
  id: number,
  created_at: time,
  expires_at: time,
  used_at: maybe(time),
  address: text,
  agent: text,
});
type Row = RowOf<typeof sessions>;

type Named = { id: number; name: string };

export async function listSessions(
  tx: Tx,
  user: { id: number },
  current: number | null,
): Promise<ReplyOf<'session.list'>> {
  const rows = await tx.select<Row>(
    `SELECT ${sessions.all} FROM session WHERE user_id = ? AND expires_at > UTC_TIMESTAMP(3) ORDER BY id DESC`,
    [user.id],
  );
  return {
    items: rows.map((row) => ({
      id: Number(row.id),
      createdAt: row.created_at.toISOString(),
      expiresAt: row.expires_at.toISOString(),
      usedAt: (row.used_at ?? row.created_at).toISOString(),
      address: row.address,
      agent: row.agent,
      current: Number(row.id) === current,
    })),
  };
}

/** One session, or all but the one that asks. */
export async function endSessions(tx: Tx, user: User, id: string | undefined): Promise<ReplyOf<'session.end'>> {
  if (id === undefined) {
    const ended = await tx.execute('DELETE FROM session WHERE user_id = ? AND id <> ?', [user.id, user.session ?? 0]);
    if (ended > 0) await noteUser(tx, user, { sessionsEnded: ended });
    return { ended };
  }
  const ended = /^[0-9]{1,15}$/.test(id)
    ? await tx.execute('DELETE FROM session WHERE id = ? AND user_id = ?', [Number(id), user.id])
    : 0;
  if (ended === 0) throw new Refusal('not-found', { kind: 'session', ref: id });
  await noteUser(tx, user, { sessionsEnded: ended });
  return { ended };
}

async function mustFindUser(tx: Tx, name: string): Promise<Named> {
  const row = /^[a-z0-9._-]{1,63}$/.test(name)
    ? await tx.one<Named>('SELECT id, name FROM user WHERE name = ? FOR UPDATE', [name])
    : undefined;
  if (!row) throw new Refusal('not-found', { kind: 'user', ref: name });
  return { id: Number(row.id), name: row.name };
}

/** What lets a user in, as an administrator sees it. */
export async function accessOf(tx: Tx, name: string): Promise<ReplyOf<'user.access'>> {
  const user = await mustFindUser(tx, name);
  const { items: sessions } = await listSessions(tx, user, null);
  const { items: tokens } = await listTokens(tx, user);
  return { sessions, tokens };
}

/** Takes back a token of a user, or all that lets them in now. */
export async function revoke(
  tx: Tx,
  by: User,
  name: string,
  { token }: { token?: number | undefined },
): Promise<ReplyOf<'user.revoke'>> {
  const user = await mustFindUser(tx, name);
  if (token !== undefined) {
    await removeToken(tx, by, String(token), user);
    return { sessions: 0, tokens: 1 };
  }
  const sessions = await tx.execute('DELETE FROM session WHERE user_id = ?', [user.id]);
  const tokens = await tx.execute('DELETE FROM token WHERE user_id = ?', [user.id]);
  await noteUser(tx, user, { sessionsEnded: sessions, tokensTakenBack: tokens, by: by.name });
  return { sessions, tokens };
}
