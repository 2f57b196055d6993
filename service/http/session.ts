import { type Context } from 'hono';
import { deleteCookie, getCookie, setCookie } from 'hono/cookie';
import { Refusal } from '@zpine/contract/errors';
import { atLeast, type Role } from '@zpine/contract/roles';
import { signIn, signOut } from '../app/access/signIn.ts';
import { whoHolds, type User } from '../app/access/who.ts';
import { type Actor, type Store } from '../store/tx.ts';

const COOKIE = 'zpine_session';

export interface SessionOptions {
  hours: number;
  secure: boolean;
}

/** The secret that a request carries: a bearer token first, else the session's cookie. */
function secretOf(c: Context): string | undefined {
  const bearer = /^Bearer ([\x21-\x7e]+)$/.exec(c.req.header('Authorization') ?? '');
  return bearer?.[1] ?? getCookie(c, COOKIE);
}

/** Who makes this request, if they may. */
export async function admit(c: Context, store: Store, needs: Role): Promise<User> {
  const secret = secretOf(c);
  const user = secret === undefined ? undefined : await whoHolds(store, secret);
  if (!user) throw new Refusal('signed-out');
  if (!atLeast(user.role, needs)) throw new Refusal('role-insufficient', { needs, yours: user.role });
  return user;
}

export async function openSession(
  c: Context,
  store: Store,
  body: { name: string; password: string },
  options: SessionOptions,
) {
  const { user, secret, seconds } = await signIn(store, body.name, body.password, options.hours);
  setCookie(c, COOKIE, secret, {
    httpOnly: true,
    sameSite: 'Strict',
    path: '/',
    maxAge: seconds,
    secure: options.secure,
  });
  return user;
}

export async function closeSession(c: Context, store: Store, actor: Actor): Promise<void> {
  const secret = getCookie(c, COOKIE);
  if (secret !== undefined) await signOut(store, actor, secret);
  deleteCookie(c, COOKIE, { path: '/', secure: false });
}
