import type { Context } from 'hono';
import { deleteCookie, getCookie, setCookie } from 'hono/cookie';
import { Refusal } from '@zpine/contract/errors';
import { atLeast, type Role } from '@zpine/contract/roles';
import { signIn, signOut } from '../app/access/signIn.ts';
import { whoHolds, type User } from '../app/access/who.ts';
import type { Actor, Store } from '../store/store.ts';

const COOKIE = 'zpine_session';

export interface SessionOptions {
  hours: number;
  secure: boolean;
  trustedProxies: readonly string[];
}

/** The secret that a request carries: a bearer token first, else the session's cookie. */
function secretOf(c: Context): string | undefined {
  const bearer = /^Bearer ([\x21-\x7e]+)$/i.exec(c.req.header('Authorization') ?? '');
  return bearer?.[1] ?? getCookie(c, COOKIE);
}

/** Whom a request comes from: behind a proxy that is named in the options, whom that says it comes from. */
function addressOf(c: Context, proxies: readonly string[]): string {
  const { incoming } = (c.env ?? {}) as { incoming?: { socket?: { remoteAddress?: string } } };
  const near = (incoming?.socket?.remoteAddress ?? '').replace(/^::ffff:/, '');
  if (!proxies.includes(near)) return near;
  const far = c.req.header('X-Forwarded-For')?.split(',').at(-1)?.trim() ?? '';
  return /^[0-9a-f.:]{2,45}$/i.test(far) ? far : near;
}

/**
 * A page of another origin must not act in the name of whoever is signed in here, not even one of the same site, such as
 * another port of this machine: its requests would carry the cookie. Browsers say where a request comes from; programs
 * have a token, and are not asked.
 */
export function refuseForeign(c: Context): void {
  if (['GET', 'HEAD', 'OPTIONS'].includes(c.req.method)) return;
  refuseForeignPage(c);
  // What a form sends needs no leave of ours to be sent from anywhere.
  const type = (c.req.header('Content-Type') ?? '').split(';')[0]?.trim().toLowerCase() ?? '';
  const form = ['text/plain', 'multipart/form-data', 'application/x-www-form-urlencoded'].includes(type);
  if (form && !hasToken(c)) throw new Refusal('body-type');
}

const hasToken = (c: Context): boolean => /^Bearer /i.test(c.req.header('Authorization') ?? '');

/** The same where nothing but the page counts: a web socket is opened by a GET, and does more than read. */
export function refuseForeignPage(c: Context): void {
  if (hasToken(c)) return;
  const origin = c.req.header('Origin');
  const from = c.req.header('Sec-Fetch-Site');
  const foreign = (): Refusal => new Refusal('foreign-page', { origin: (origin ?? from ?? '').slice(0, 200) });
  if (from !== undefined && from !== 'same-origin' && from !== 'none') throw foreign();
  if (origin !== undefined && hostIn(origin) !== (c.req.header('Host') ?? '').toLowerCase()) throw foreign();
}

function hostIn(origin: string): string | undefined {
  try {
    return new URL(origin).host;
  } catch {
    return undefined;
  }
}

/** Who makes this request, if they may. */
export async function admit(c: Context, store: Store, needs: Role): Promise<User> {
  const secret = secretOf(c);
  const user = secret === undefined ? undefined : await whoHolds(store, secret);
  if (!user) throw new Refusal('signed-out');
  if (!atLeast(user.role, needs)) throw new Refusal('role-insufficient', { needs, yours: user.role });
  return user;
}

/** Whether what a request came with still lets somebody in: a stream asks again and again. */
export function stillIn(c: Context, store: Store): () => Promise<boolean> {
  const secret = secretOf(c) ?? '';
  return async () => (await whoHolds(store, secret)) !== undefined;
}

export async function openSession(
  c: Context,
  store: Store,
  body: { name: string; password: string },
  options: SessionOptions,
) {
  const trying = { ...body, address: addressOf(c, options.trustedProxies), agent: c.req.header('User-Agent') ?? '' };
  const { user, secret, seconds } = await signIn(store, trying, options.hours);
  setCookie(c, COOKIE, secret, {
    httpOnly: true,
    sameSite: 'Strict',
    path: '/',
    maxAge: seconds,
    secure: options.secure,
  });
  return user;
}

export async function closeSession(c: Context, store: Store, actor: Actor, user: User): Promise<void> {
  const secret = getCookie(c, COOKIE);
  if (secret !== undefined) await signOut(store, actor, user, secret);
  deleteCookie(c, COOKIE, { path: '/', secure: false });
}
