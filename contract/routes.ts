/** The route list: the only source of the server, the typed client, the OpenAPI document and the test of roles. */
import { z } from 'zod';
import { kindNames, type KindName } from './kinds.ts';
import { importRoutes } from './importRoutes.ts';
import { addressingRoutes } from './addressingRoutes.ts';
import { findingRoutes } from './findingRoutes.ts';
import { driftSchema } from './driftShapes.ts';
import { doubtNames } from './checks.ts';
import { doctorRoutes } from './doctorRoutes.ts';
import { driftRoutes } from './driftRoutes.ts';
import { fleetRoutes } from './fleetRoutes.ts';
import { hardwareRoutes } from './hardwareRoutes.ts';
import { onboardingRoutes } from './onboardingRoutes.ts';
import { overviewRoutes } from './overviewRoutes.ts';
import { routesOf, type KindVerb } from './kindRoutes.ts';
import { stages } from './kinds/devices.ts';
import { retireBodySchema, retireReplySchema } from './retiring.ts';
import { rackRoutes } from './rackRoutes.ts';
import { roles } from './roles.ts';
import { page, route, type Route } from './route.ts';

const text = (max = 255) => z.string().trim().min(1).max(max);
const anyRecordSchema = z.record(z.string(), z.json());
const familyTextSchema = z.enum(['4', '6']);

const proposalSchema = z.object({
  address: z.string(),
  length: z.int(),
  prefix: z.string(),
  vlan: z.string().nullable(),
  site: z.string().nullable(),
  use: z.string().nullable(),
  /** As text, since an IPv6 prefix has more than a number can hold. */
  left: z.string(),
});

const assignment = proposalSchema.extend({
  device: z.string().nullable(),
  interface: z.string().nullable(),
  gateway: z.string().nullable(),
  /** False when the device had the address already. */
  assigned: z.boolean(),
});

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

export const verbRoutes = {
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
  'device.overview': route({
    method: 'GET',
    path: '/devices/{ref}/overview',
    role: 'viewer',
    summary: 'A device with its box, place, interfaces and addresses',
    group: 'Devices',
    reply: z.object({
      device: anyRecordSchema,
      box: anyRecordSchema.nullable(),
      dialect: z.string().nullable(),
      management: assignment.omit({ assigned: true, left: true }).nullable(),
      interfaces: z.array(anyRecordSchema),
      addresses: z.array(anyRecordSchema),
      hostKey: z.object({ fingerprint: z.string(), pinnedAt: z.string(), pinnedBy: z.string() }).nullable(),
      windowCloses: z.string().nullable(),
      /** What it should run against what it ran when it was compared last. */
      drift: driftSchema.nullable(),
      /** Since when it is in its stage. */
      stageSince: z.string(),
      /** What it lacks, or has left behind at another site: the same as among the doubts and on the list of today. */
      lacks: z.array(z.object({ lack: z.enum(doubtNames), detail: z.string(), remedy: z.string() })),
    }),
  }),
  'device.stage': route({
    method: 'POST',
    path: '/devices/{ref}/stage',
    role: 'engineer',
    summary: 'Move a device to another stage by hand',
    group: 'Devices',
    body: z.strictObject({ stage: z.enum(Object.keys(stages) as [string, ...string[]]) }),
    reply: anyRecordSchema,
  }),
  'device.retire': route({
    method: 'POST',
    path: '/devices/{ref}/retire',
    role: 'engineer',
    summary:
      'Retire a device: what it holds (addresses, cables, box, place in a rack), or all of that given back at once',
    group: 'Devices',
    body: retireBodySchema,
    reply: retireReplySchema,
  }),
  'device.assignManagement': route({
    method: 'POST',
    path: '/devices/{ref}/management-address',
    role: 'engineer',
    summary: 'Give a device the next free address of the management VLAN of its site; again: the same address',
    group: 'Addresses',
    body: z.strictObject({
      prefix: text().optional().describe('Another prefix than that of the management VLAN'),
      address: text().optional().describe('This address instead of the next free one'),
      from: text().optional().describe('The next free one at or above this address'),
      family: familyTextSchema.optional(),
    }),
    reply: assignment,
  }),
  'device.declare': route({
    method: 'POST',
    path: '/declared-devices',
    role: 'engineer',
    summary: 'Create or update a device and its management address in one call; sent again, it changes nothing',
    group: 'Devices',
    body: z.strictObject({
      name: text(63),
      fields: z.record(z.string(), z.json()).default({}).describe('Fields of a device, as when it is added'),
      withAddress: z.boolean().default(true),
      prefix: text().optional(),
      address: text().optional(),
      from: text().optional(),
      family: familyTextSchema.optional(),
    }),
    reply: z.object({
      device: z.string(),
      action: z.enum(['added', 'edited', 'as before']),
      stage: z.string(),
      management: assignment.nullable(),
    }),
  }),
  'address.propose': route({
    method: 'GET',
    path: '/next-address',
    role: 'viewer',
    summary: 'The next free address of a prefix, or of the management VLAN of a device; takes nothing',
    group: 'Addresses',
    query: z.strictObject({
      prefix: text().optional(),
      device: text().optional(),
      from: text().optional(),
      family: familyTextSchema.optional(),
    }),
    reply: proposalSchema,
  }),
  'address.assign': route({
    method: 'POST',
    path: '/next-address',
    role: 'engineer',
    summary: 'Take the next free address of a prefix, for an interface or to keep it reserved',
    group: 'Addresses',
    body: z.strictObject({
      prefix: text(),
      interface: text().optional(),
      from: text().optional(),
      description: text(200).optional(),
    }),
    reply: assignment,
    status: 201,
  }),
  'prefix.space': route({
    method: 'GET',
    path: '/prefixes/{ref}/space',
    role: 'viewer',
    summary: 'How a prefix is filled: counts, free spans, and what is next',
    group: 'Addresses',
    reply: z.object({
      size: z.string(),
      free: z.string(),
      assigned: z.int(),
      children: z.int(),
      /** Of the whole: taken by children, addresses, gateway and ranges; 0 to 100. */
      fillPercent: z.number(),
      next: z.string().nullable(),
      freeSpans: z.array(z.object({ first: z.string(), last: z.string() })),
      /** Free for blocks; the first thousand stretches, each with the largest block that fits. */
      holes: z.array(z.object({ first: z.string(), last: z.string(), fits: z.string() })),
      /** Given back, and handed to nobody by itself before that time; the first two hundred. */
      resting: z.array(z.object({ address: z.string(), until: z.string() })),
      /** For fixed assignment, day by day, as far as it changed; the latest at the end. */
      samples: z.array(z.object({ day: z.string(), free: z.string() })),
      /** When it runs out if it goes on as in the last month. */
      runsOut: z.string().nullable(),
    }),
  }),
  ...overviewRoutes,
  ...onboardingRoutes,
  ...doctorRoutes,
  ...fleetRoutes,
  ...driftRoutes,
  ...importRoutes,
  ...findingRoutes,
  ...rackRoutes,
  ...hardwareRoutes,
  ...addressingRoutes,
} as const satisfies Record<string, Route>;

export type VerbRouteId = keyof typeof verbRoutes;
export type RouteId = VerbRouteId | `${KindName}.${KindVerb}`;

export const routes = {
  ...verbRoutes,
  ...Object.assign({}, ...kindNames.map(routesOf)),
} as Record<RouteId, Route>;

type Verbs = typeof verbRoutes;
export type BodyOf<R extends VerbRouteId> = Verbs[R] extends { body: infer B extends z.ZodType }
  ? z.output<B>
  : undefined;
export type BodyIn<R extends VerbRouteId> = Verbs[R] extends { body: infer B extends z.ZodType }
  ? z.input<B>
  : undefined;
export type QueryOf<R extends VerbRouteId> = Verbs[R] extends { query: infer Q extends z.ZodType }
  ? z.output<Q>
  : Record<string, never>;
export type QueryIn<R extends VerbRouteId> = Verbs[R] extends { query: infer Q extends z.ZodType }
  ? z.input<Q>
  : Record<string, never>;
export type ReplyOf<R extends VerbRouteId> = Verbs[R] extends { reply: infer T extends z.ZodType } ? z.output<T> : null;
