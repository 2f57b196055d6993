/** The route list: the only source of the server, the typed client, the OpenAPI document and the test of roles. */
import { z } from 'zod';
import { kindNames, type KindName } from './kinds.ts';
import { accessRoutes } from './accessRoutes.ts';
import { importRoutes } from './importRoutes.ts';
import { addressingRoutes } from './addressingRoutes.ts';
import { findingRoutes } from './findingRoutes.ts';
import { driftSchema } from './driftShapes.ts';
import { doubtNames } from './matters.ts';
import { doctorRoutes } from './doctorRoutes.ts';
import { liveRoutes } from './liveRoutes.ts';
import { signRoutes } from './signRoutes.ts';
import { batchRoutes } from './batchRoutes.ts';
import { jobRoutes } from './jobRoutes.ts';
import { swapRoutes } from './swapRoutes.ts';
import { imageRoutes } from './imageRoutes.ts';
import { dhcpDataRoutes } from './dhcpDataRoutes.ts';
import { leaseRoutes } from './leaseRoutes.ts';
import { sweepRoutes } from './sweepRoutes.ts';
import { terminalRoutes } from './terminalRoutes.ts';
import { routineRoutes } from './routineRoutes.ts';
import { checkRoutes } from './checkRoutes.ts';
import { driftRoutes } from './driftRoutes.ts';
import { fleetRoutes } from './fleetRoutes.ts';
import { hardwareRoutes } from './hardwareRoutes.ts';
import { onboardingRoutes } from './onboardingRoutes.ts';
import { overviewRoutes } from './overviewRoutes.ts';
import { routesOf, type KindVerb } from './kindRoutes.ts';
import { stages } from './kinds/devices.ts';
import { retireBodySchema, retireReplySchema } from './retiring.ts';
import { rackRoutes } from './rackRoutes.ts';
import { route, type Route } from './route.ts';

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

export const verbRoutes = {
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
  ...accessRoutes,
  ...overviewRoutes,
  ...onboardingRoutes,
  ...doctorRoutes,
  ...fleetRoutes,
  ...driftRoutes,
  ...checkRoutes,
  ...routineRoutes,
  ...liveRoutes,
  ...leaseRoutes,
  ...dhcpDataRoutes,
  ...imageRoutes,
  ...swapRoutes,
  ...jobRoutes,
  ...batchRoutes,
  ...signRoutes,
  ...sweepRoutes,
  ...terminalRoutes,
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
