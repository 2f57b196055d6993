import { isAscii } from '@zpine/core/text/ascii';
import { Refusal } from '@zpine/contract/errors';
import { type Role } from '@zpine/contract/roles';
import { read, run, type Actor, type Store } from '../../store/tx.ts';
import { passwordFits, pretendToVerify } from './passwords.ts';
import { digestOf, newSecret } from './secrets.ts';

const FAILURES_ALLOWED = 8;
const PAUSE_SECONDS = 60;

interface Row {
  id: number;
  name: string;
  title: string | null;
  role: Role;
  password: string;
  disabled: number;
  failures: number;
  /** Seconds since the last failure. */
  since: number | null;
}

export interface SignedIn {
  user: { name: string; title: string | null; role: Role; disabled: boolean };
  secret: string;
  seconds: number;
}

/** Checks a password outside of any transaction, since it takes its time, and opens a session. */
export async function signIn(store: Store, name: string, password: string, sessionHours: number): Promise<SignedIn> {
  const actor: Actor = { name, via: 'api' };
  // Names are ASCII; any other is looked up as one that nobody has.
  const typed = isAscii(name) ? name.trim().toLowerCase() : '';
  const row = await read(store, actor, (tx) =>
    tx.one<Row>(
      `SELECT id, name, title, role, password, disabled, failures, TIMESTAMPDIFF(SECOND, failed_at, UTC_TIMESTAMP(3)) AS since
       FROM user WHERE name = ?`,
      [typed],
    ),
  );
  if (!row) {
    await pretendToVerify(password);
    throw new Refusal('sign-in-refused');
  }
  if (row.failures >= FAILURES_ALLOWED && row.since !== null && row.since < PAUSE_SECONDS) {
    throw new Refusal('sign-in-paused', { seconds: PAUSE_SECONDS - Number(row.since) });
  }
  const fits = await passwordFits(row.password, password);
  if (!fits || row.disabled) {
    await run(store, actor, 'sign-in', (tx) =>
      tx.execute(
        'UPDATE user SET failures = IF(failed_at > UTC_TIMESTAMP(3) - INTERVAL 1 HOUR, failures + 1, 1), failed_at = UTC_TIMESTAMP(3) WHERE id = ?',
        [row.id],
      ),
    );
    throw new Refusal('sign-in-refused');
  }
  const secret = newSecret('');
  const seconds = sessionHours * 3600;
  await run(store, actor, 'sign-in', async (tx) => {
    await tx.execute('UPDATE user SET failures = 0, failed_at = NULL WHERE id = ?', [row.id]);
    await tx.execute(
      'INSERT INTO session (digest, user_id, created_at, expires_at) VALUES (?, ?, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3) + INTERVAL ? SECOND)',
      [digestOf(secret), row.id, seconds],
    );
  });
  return { user: { name: row.name, title: row.title, role: row.role, disabled: false }, secret, seconds };
}

export const signOut = (store: Store, actor: Actor, secret: string): Promise<unknown> =>
  run(store, actor, 'sign-out', (tx) => tx.execute('DELETE FROM session WHERE digest = ?', [digestOf(secret)]));
