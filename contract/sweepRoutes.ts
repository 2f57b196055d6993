/** Routes of sweeps: going through the addresses of a prefix for devices. */
import { z } from 'zod';
import { rungNames } from '@zpine/core/fleet/rungs';
import { hostKeyShownSchema, metSchema } from './fleetShapes.ts';
import { outcomeSchema } from './importRoutes.ts';
import { text, time } from './onboardingShapes.ts';
import { route, type Route } from './route.ts';

const sweepHead = z.object({
  id: z.int(),
  prefix: z.string(),
  state: z.enum(['waiting', 'working', 'ended']),
  /** Whether unknown hosts are signed in on. */
  signsIn: z.boolean(),
  perSecond: z.int(),
  /** Addresses to go through; of them those done with, those where nobody answered, those whose port is shut; and those that the records know, which are left out. */
  total: z.int(),
  done: z.int(),
  silent: z.int(),
  shut: z.int(),
  known: z.int(),
  /** Why a login is not tried. */
  remarks: z.array(z.string()),
  stopping: z.boolean(),
  madeAt: time,
  by: z.string(),
  reason: z.string().nullable(),
  endedAt: time.nullable(),
  /** What ended it early. */
  ended: z.string().nullable(),
});
export type SweepHead = z.output<typeof sweepHead>;

/** What was found at an address whose port is open. */
const sweptSchema = z.object({
  address: z.string(),
  /** The last rung that held. */
  rung: z.enum(rungNames),
  detail: z.string(),
  hostKey: hostKeyShownSchema.nullable(),
  /** By which login one was let in; never the password. */
  by: z.string().nullable(),
  met: metSchema.nullable(),
});
export type Swept = z.output<typeof sweptSchema>;

const sweepSchema = sweepHead.extend({ found: z.array(sweptSchema) });

export const sweepRoutes = {
  'sweep.start': route({
    method: 'POST',
    unforeseen: true,
    path: '/sweeps',
    role: 'engineer',
    summary: 'Go through the addresses of a prefix for devices, those that the records know left out',
    group: 'Sweeps',
    body: z.strictObject({
      prefix: text(255),
      perSecond: z.int().min(1).max(100).default(20).describe('So many addresses a second at the most'),
    }),
    reply: sweepHead,
  }),
  'stranger.meet': route({
    method: 'POST',
    unforeseen: true,
    path: '/strangers/{id}/meet',
    role: 'engineer',
    summary: 'Sign in to a stranger at its address, by the rules of sweeps, and see what it is',
    group: 'Sweeps',
    body: z.strictObject({}),
    reply: sweepHead,
  }),
  'sweep.list': route({
    method: 'GET',
    path: '/sweeps',
    role: 'viewer',
    summary: 'Sweeps, the newest first',
    group: 'Sweeps',
    query: z.strictObject({ prefix: text(255).optional() }),
    reply: z.object({ items: z.array(sweepHead) }),
  }),
  'sweep.show': route({
    method: 'GET',
    path: '/sweeps/{id}',
    role: 'viewer',
    summary: 'A sweep with the hosts that it found',
    group: 'Sweeps',
    reply: sweepSchema,
  }),
  'sweep.stop': route({
    method: 'POST',
    unforeseen: true,
    path: '/sweeps/{id}/stop',
    role: 'engineer',
    summary: 'End a sweep early',
    group: 'Sweeps',
    reply: sweepHead,
  }),
  'sweep.take': route({
    method: 'POST',
    path: '/sweeps/{id}/taken',
    role: 'engineer',
    apart: true,
    summary:
      'Take hosts that a sweep found into the records: unproved devices with their address, dialect, model and box',
    group: 'Sweeps',
    body: z.strictObject({
      addresses: z
        .array(text(60))
        .min(1)
        .max(5000)
        .optional()
        .describe('Only these; left out, those that said what they are'),
      site: text().optional(),
      duty: text().optional(),
      labels: text(1000).optional(),
      apply: z.boolean().default(false).describe('Left out, nothing is saved'),
    }),
    reply: outcomeSchema,
  }),
} as const satisfies Record<string, Route>;
