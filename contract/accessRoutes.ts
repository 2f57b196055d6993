/** Routes of who may come in: sessions, users, tokens. */
import { z } from 'zod';
import { roles } from './roles.ts';
import { page, route, type Route } from './route.ts';

const text = (max = 255) => z.string().trim().min(1).max(max);

const userSchema = z.object({
  name: z.string(),
  title: z.string().nullable(),
  role: z.enum(roles),
  disabled: z.boolean(),
});

/** As administrators see it. */
const userWithSites = userSchema.extend({
  sites: z.union([z.literal('all'), z.array(z.string())]).describe('Where an installer acts'),
  sitesUntil: z.string().nullable().describe('The end of that'),
});

const sessionSchema = z.object({
  id: z.int(),
  createdAt: z.string(),
  expiresAt: z.string(),
  usedAt: z.string(),
  address: z.string(),
  agent: z.string(),
  /** The one that asks. */
  current: z.boolean(),
});

const sitesGiven = {
  sites: z
    .union([z.literal('all'), z.array(text(63)).max(500)])
    .optional()
    .describe('Where an installer acts'),
  sitesUntil: z.iso.datetime().nullish().describe('The end of that; null for none'),
};

const tokenSchema = z.object({
  id: z.int(),
  title: z.string(),
  role: z.enum(roles),
  createdAt: z.string(),
  expiresAt: z.string(),
  usedAt: z.string().nullable(),
});

export const accessRoutes = {
  'session.open': route({
    method: 'POST',
    own: true,
    unforeseen: true,
    path: '/session',
    role: 'anyone',
    summary: 'Sign in with name and password; sets a cookie',
    group: 'Signing in',
    body: z.strictObject({ name: text(63), password: z.string().min(1).max(500) }),
    reply: userSchema,
    unrecorded: true,
  }),
  'session.show': route({
    method: 'GET',
    own: true,
    path: '/session',
    role: 'viewer',
    summary: 'Who is signed in',
    group: 'Signing in',
    reply: userSchema,
  }),
  'session.close': route({
    method: 'DELETE',
    own: true,
    unforeseen: true,
    path: '/session',
    role: 'viewer',
    summary: 'Sign out',
    group: 'Signing in',
    status: 204,
    unrecorded: true,
  }),
  'session.password': route({
    method: 'POST',
    unforeseen: true,
    path: '/session/password',
    role: 'viewer',
    summary: 'Change your own password; you stay signed in here, and nowhere else',
    group: 'Signing in',
    body: z.strictObject({ current: z.string().min(1).max(500), password: z.string().max(500) }),
    status: 204,
    unrecorded: true,
  }),
  'session.list': route({
    method: 'GET',
    path: '/sessions',
    role: 'viewer',
    summary: 'Where you are signed in',
    group: 'Signing in',
    reply: z.object({ items: z.array(sessionSchema) }),
  }),
  'session.end': route({
    method: 'POST',
    unforeseen: true,
    path: '/ended-sessions',
    role: 'viewer',
    summary: 'Sign out elsewhere: one session, or all but this one',
    group: 'Signing in',
    body: z.strictObject({ session: z.string().max(20).optional() }),
    reply: z.object({ ended: z.int() }),
    unrecorded: true,
  }),
  'user.access': route({
    method: 'GET',
    path: '/users/{name}/access',
    role: 'admin',
    summary: 'What lets a user in now: sessions and tokens',
    group: 'Users',
    reply: z.object({ sessions: z.array(sessionSchema), tokens: z.array(tokenSchema) }),
  }),
  'user.revoke': route({
    method: 'POST',
    unforeseen: true,
    path: '/users/{name}/revocations',
    role: 'admin',
    summary: 'Take back one token of a user, or all that lets them in now',
    group: 'Users',
    body: z.strictObject({ token: z.int().optional() }),
    reply: z.object({ sessions: z.int(), tokens: z.int() }),
    unrecorded: true,
  }),
  'token.list': route({
    method: 'GET',
    path: '/tokens',
    role: 'viewer',
    summary: 'Your tokens, without their secrets',
    group: 'Signing in',
    reply: page(tokenSchema),
  }),
  'token.add': route({
    method: 'POST',
    unforeseen: true,
    path: '/tokens',
    role: 'viewer',
    summary: 'Make a token for programs; its secret is shown this once',
    group: 'Signing in',
    body: z.strictObject({
      title: text(200),
      role: z.enum(roles).optional().describe('At most your own role, which is the default'),
      days: z.int().min(1).max(1000).default(90),
    }),
    reply: tokenSchema.extend({ secret: z.string() }),
    status: 201,
    unrecorded: true,
  }),
  'token.remove': route({
    method: 'DELETE',
    unforeseen: true,
    path: '/tokens/{id}',
    role: 'viewer',
    summary: 'Take a token of yours back',
    group: 'Signing in',
    status: 204,
    unrecorded: true,
  }),
  'user.list': route({
    method: 'GET',
    path: '/users',
    role: 'admin',
    summary: 'Everybody who may sign in',
    group: 'Users',
    reply: page(userWithSites),
  }),
  'user.add': route({
    method: 'POST',
    unforeseen: true,
    path: '/users',
    role: 'admin',
    summary: 'Let somebody sign in',
    group: 'Users',
    body: z.strictObject({
      name: text(63).regex(/^[a-z0-9._-]+$/),
      title: text(200).optional(),
      role: z.enum(roles),
      password: z.string().max(500),
      ...sitesGiven,
    }),
    reply: userWithSites,
    status: 201,
    unrecorded: true,
  }),
  'user.edit': route({
    method: 'PATCH',
    unforeseen: true,
    path: '/users/{name}',
    role: 'admin',
    summary: 'Change the role, title or password of a user, or shut them out',
    group: 'Users',
    body: z.strictObject({
      title: text(200).nullish(),
      role: z.enum(roles).optional(),
      password: z.string().max(500).optional(),
      disabled: z.boolean().optional(),
      ...sitesGiven,
    }),
    reply: userWithSites,
    unrecorded: true,
  }),
} as const satisfies Record<string, Route>;
