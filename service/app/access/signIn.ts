import { isAscii } from '@zpine/core/text/ascii';
import { visible } from '@zpine/core/text/visible';
import { Refusal } from '@zpine/contract/errors';
import type { Role } from '@zpine/contract/roles';
import type { Actor, Store } from '../../store/store.ts';
import { readOnly, transact } from '../../store/transact.ts';
import { noteUser } from './note.ts';
import { passwordFits, pretendToVerify } from './passwords.ts';
import { digestOf, newSecret } from './secrets.ts';
import { countTry, forgiveTries } from './tries.ts';

interface Row {
  id: number;
  name: string;
  title: string | null;
  role: Role;
  password: string;
  disabled: number;
}

export interface SignedIn {
  user: { name: string; title: string | null; role: Role; disabled: boolean };
  secret: string;
  seconds: number;
}

/** Who tries: a name and a password, from where and with what program. */
export interface SigningIn {
  name: string;
  password: string;
  address: string;
  agent: string;
}

/** What history has for a name that nobody has: what was typed there may be a password. */
const NOBODY = { id: 0, name: '(a name that nobody has)' };

/** Checks a password outside of any transaction, since it takes its time, and opens a session. */
export async function signIn(store: Store, trying: SigningIn, sessionHours: number): Promise<SignedIn> {
  const { password } = trying;
  const address = trying.address.slice(0, 64);
  // Names are ASCII; any other is looked up as one that nobody has.
  const typed = isAscii(trying.name) ? trying.name.trim().toLowerCase() : '';
  const service: Actor = { name: 'service', via: 'service' };
  await countTry(store, service, typed, address);
  const row = await readOnly(store, service, (tx) =>
    tx.one<Row>('SELECT id, name, title, role, password, disabled FROM user WHERE name = ?', [typed]),
  );
  const fits = row ? await passwordFits(row.password, password) : await pretendToVerify(password);
  if (!row || !fits || row.disabled) {
    const who = row ? { id: Number(row.id), name: row.name } : NOBODY;
    await transact(store, { name: who.name, via: 'api' }, 'sign-in-refused', (tx) =>
      noteUser(tx, who, { signIn: row?.disabled && fits ? 'shut out' : 'refused', address }),
    );
    throw new Refusal('sign-in-refused');
  }
  const secret = newSecret('');
  const seconds = sessionHours * 3600;
  const agent = visible(trying.agent).slice(0, 200);
  await transact(store, { name: row.name, via: 'api' }, 'sign-in', async (tx) => {
    await forgiveTries(tx, typed, address);
    await tx.execute(
      `INSERT INTO session (digest, user_id, created_at, used_at, expires_at, address, agent)
       VALUES (?, ?, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3), UTC_TIMESTAMP(3) + INTERVAL ? SECOND, ?, ?)`,
      [digestOf(secret), row.id, seconds, address, agent],
    );
    await noteUser(tx, { id: Number(row.id), name: row.name }, { signIn: 'let in', address });
  });
  return { user: { name: row.name, title: row.title, role: row.role, disabled: false }, secret, seconds };
}

export const signOut = (store: Store, actor: Actor, user: { id: number; name: string }, secret: string) =>
  transact(store, actor, 'sign-out', async (tx) => {
    const ended = await tx.execute('DELETE FROM session WHERE digest = ?', [digestOf(secret)]);
    if (ended > 0) await noteUser(tx, user, { signedOut: true });
  });
