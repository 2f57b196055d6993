import { isAscii } from '@zpine/core/text/ascii';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Role } from '@zpine/contract/roles';
import type { Tx } from '../../store/tx.ts';
import { noteUser } from './note.ts';
import { hashPassword, passwordFits } from './passwords.ts';
import { setSites, sitesOfUsers, type Sites } from './sites.ts';
import type { User } from './who.ts';
import { maybe, number, table, text, word, type RowOf } from '../../store/table.ts';

type Shown = ReplyOf<'user.add'>;
/** Without the digest of the password, which stands for whoever knows it. */
export const users = table('user', {
  id: number,
  name: text,
  title: maybe(text),
  role: word<Role>(),
  disabled: number,
});
type Row = RowOf<typeof users>;

const shown = (row: Row, at: Sites | undefined): Shown => ({
  name: row.name,
  title: row.title,
  role: row.role,
  disabled: row.disabled !== 0,
  sites: at?.sites ?? [],
  sitesUntil: at?.until ?? null,
});

export async function listUsers(tx: Tx): Promise<ReplyOf<'user.list'>> {
  const rows = await tx.select<Row>(`SELECT ${users.all} FROM user ORDER BY name`);
  const sites = await sitesOfUsers(
    tx,
    rows.map((row) => Number(row.id)),
  );
  return { items: rows.map((row) => shown(row, sites.get(Number(row.id)))), next: null };
}

export async function addUser(tx: Tx, input: BodyOf<'user.add'>): Promise<Shown> {
  const password = await hashPassword(input.password, input.name);
  if (await tx.one('SELECT id FROM user WHERE name = ?', [input.name])) {
    throw Refusal.at(['name'], 'taken', { value: input.name, by: `user ${input.name}` });
  }
  const title = input.title ?? null;
  const [id = 0] = await tx.insertRows('user', [
    { name: input.name, title, role: input.role, password, created_at: await tx.now() },
  ]);
  if (input.sites !== undefined) await setSites(tx, Number(id), input.sites, input.sitesUntil ?? null);
  await noteUser(tx, { id: Number(id), name: input.name }, { added: true, title, role: input.role }, null);
  const row = { id: Number(id), name: input.name, title, role: input.role, disabled: 0 };
  return shown(row, (await sitesOfUsers(tx, [Number(id)])).get(Number(id)));
}

export async function editUser(tx: Tx, name: string, input: BodyOf<'user.edit'>): Promise<Shown> {
  if (!isAscii(name)) throw new Refusal('not-found', { kind: 'user', ref: name });
  // All administrators are locked, so that two cannot shut each other out at the same moment.
  const admins = await tx.select<Row>(
    `SELECT ${users.all} FROM user WHERE role = 'admin' AND disabled = 0 ORDER BY id FOR UPDATE`,
  );
  const row = await tx.one<Row>(`SELECT ${users.all} FROM user WHERE name = ? FOR UPDATE`, [name]);
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
      await hashPassword(input.password, name),
      row.id,
    ]);
  }
  if (input.sites !== undefined || input.sitesUntil !== undefined) {
    const held = (await sitesOfUsers(tx, [row.id])).get(Number(row.id));
    const until = input.sitesUntil === undefined ? (held?.until ?? null) : input.sitesUntil;
    await setSites(tx, row.id, input.sites ?? held?.sites ?? [], until);
  }
  // Whoever had a session or a token before keeps it only if nothing about their access changed.
  if (input.password !== undefined || after.disabled) {
    await tx.execute('DELETE FROM session WHERE user_id = ?', [row.id]);
    await tx.execute('DELETE FROM token WHERE user_id = ?', [row.id]);
  }
  const { password, ...said } = input;
  const before = { title: row.title, role: row.role, disabled: row.disabled !== 0 };
  await noteUser(tx, row, { ...said, ...(password === undefined ? {} : { password: 'set' }) }, before);
  return shown(after, (await sitesOfUsers(tx, [row.id])).get(Number(row.id)));
}

/** By who is signed in: whoever has found an open console must still know the password of now. */
export async function changePassword(tx: Tx, user: User, input: BodyOf<'session.password'>): Promise<void> {
  const row = await tx.one<{ password: string }>('SELECT password FROM user WHERE id = ? FOR UPDATE', [user.id]);
  if (!row || !(await passwordFits(row.password, input.current))) throw Refusal.at(['current'], 'password-wrong');
  const password = await hashPassword(input.password, user.name);
  await tx.execute('UPDATE user SET password = ?, failures = 0 WHERE id = ?', [password, user.id]);
  await tx.execute('DELETE FROM session WHERE user_id = ? AND id <> ?', [user.id, user.session ?? 0]);
  // The one that this is done with stays: it was given the password of now.
  await tx.execute('DELETE FROM token WHERE user_id = ? AND id <> ?', [user.id, user.token ?? 0]);
  await noteUser(tx, user, { password: 'changed' });
}
