import { isAscii } from '@zpine/core/text/ascii';
import { Refusal } from '@zpine/contract/errors';
import { type BodyOf, type ReplyOf } from '@zpine/contract/routes';
import { type Role } from '@zpine/contract/roles';
import { type Tx } from '../../store/tx.ts';
import { hashPassword, passwordFits } from './passwords.ts';
import { type User } from './who.ts';

type Shown = ReplyOf<'user.add'>;
interface Row {
  id: number;
  name: string;
  title: string | null;
  role: Role;
  disabled: number;
}

const shown = (row: Row): Shown => ({ name: row.name, title: row.title, role: row.role, disabled: row.disabled !== 0 });

export async function listUsers(tx: Tx): Promise<ReplyOf<'user.list'>> {
  const rows = await tx.select<Row>('SELECT id, name, title, role, disabled FROM user ORDER BY name');
  return { items: rows.map(shown), next: null };
}

export async function addUser(tx: Tx, input: BodyOf<'user.add'>): Promise<Shown> {
  const password = await hashPassword(input.password);
  if (await tx.one('SELECT id FROM user WHERE name = ?', [input.name])) {
    throw Refusal.at(['name'], 'taken', { value: input.name, by: `user ${input.name}` });
  }
  const title = input.title ?? null;
  await tx.insertRows('user', [{ name: input.name, title, role: input.role, password, created_at: await tx.now() }]);
  return { name: input.name, title, role: input.role, disabled: false };
}

export async function editUser(tx: Tx, name: string, input: BodyOf<'user.edit'>): Promise<Shown> {
  if (!isAscii(name)) throw new Refusal('not-found', { kind: 'user', ref: name });
  // All administrators are locked, so that two cannot shut each other out at the same moment.
  const admins = await tx.select<Row>(
    "SELECT id, name, title, role, disabled FROM user WHERE role = 'admin' AND disabled = 0 ORDER BY id FOR UPDATE",
  );
  const row = await tx.one<Row>('SELECT id, name, title, role, disabled FROM user WHERE name = ? FOR UPDATE', [name]);
  if (!row) throw new Refusal('not-found', { kind: 'user', ref: name });
  const after: Row = {
    ...row,
    title: input.title === undefined ? row.title : input.title,
    role: input.role ?? row.role,
    disabled: input.disabled === undefined ? row.disabled : Number(input.disabled),
  };
  const administers = after.role === 'admin' && !after.disabled;
  if (!administers && admins.length === 1 && admins[0]?.id === row.id) throw new Refusal('last-admin');
  await tx.execute('UPDATE user SET title = ?, role = ?, disabled = ? WHERE id = ?', [
    after.title,
    after.role,
    after.disabled,
    row.id,
  ]);
  if (input.password !== undefined) {
    await tx.execute('UPDATE user SET password = ?, failures = 0 WHERE id = ?', [
      await hashPassword(input.password),
      row.id,
    ]);
  }
  // Whoever had a session before keeps it only if nothing about their access changed.
  if (input.password !== undefined || after.disabled)
    await tx.execute('DELETE FROM session WHERE user_id = ?', [row.id]);
  return shown(after);
}

/** By who is signed in: whoever has found an open console must still know the password of now. */
export async function changePassword(tx: Tx, user: User, input: BodyOf<'session.password'>): Promise<void> {
  const row = await tx.one<{ password: string }>('SELECT password FROM user WHERE id = ? FOR UPDATE', [user.id]);
  if (!row || !(await passwordFits(row.password, input.current))) throw Refusal.at(['current'], 'password-wrong');
  const password = await hashPassword(input.password);
  await tx.execute('UPDATE user SET password = ?, failures = 0 WHERE id = ?', [password, user.id]);
  await tx.execute('DELETE FROM session WHERE user_id = ? AND id <> ?', [user.id, user.session ?? 0]);
}
