/** Routes of leases: who was promised which address by DHCP, and until when. */
import { z } from 'zod';
import { text, time } from './onboardingShapes.ts';
import { route, type Route } from './route.ts';

/** `held`: promised until a time that is not over. `over`: given back, or not renewed; its client may have it again. `left alone`: somebody else was found there. */
export const leaseStates = ['held', 'over', 'left alone'] as const;
const leaseSources = ['record', 'pool', 'quarantine'] as const;

export const leaseSchema = z.object({
  /** With its VRF behind `@` where that is not the default one. */
  address: z.string(),
  prefix: z.string(),
  state: z.enum(leaseStates),
  /** Where the address comes from; null where it is left alone. */
  source: z.enum(leaseSources).nullable(),
  device: z.string().nullable(),
  /** What the client shows of itself: its serial, its hardware address, or its identifier. */
  client: z.string(),
  mac: z.string(),
  since: time,
  until: time,
});
export type ShownLease = z.output<typeof leaseSchema>;

const poolSchema = z.object({
  prefix: z.string(),
  pool: z.enum(['pool', 'quarantine']),
  size: z.int(),
  held: z.int(),
  leftAlone: z.int(),
});
export type ShownPool = z.output<typeof poolSchema>;

export const leaseRoutes = {
  'lease.list': route({
    method: 'GET',
    path: '/leases',
    role: 'viewer',
    summary: 'Leases by prefix, device or client, in the order of their addresses',
    group: 'Leases',
    query: z.strictObject({
      prefix: text(255).optional(),
      device: text(255).optional(),
      client: text(100).optional().describe('A hardware address, a serial, or how either begins'),
      state: z.enum(leaseStates).optional(),
      limit: z.coerce.number().int().min(1).max(1000).default(200),
      after: text(100).optional().describe('The last address of the page before'),
    }),
    reply: z.object({ items: z.array(leaseSchema), more: z.boolean() }),
  }),
  'lease.pools': route({
    method: 'GET',
    path: '/lease-pools',
    role: 'viewer',
    summary: 'How far the pools of prefixes are in use, the fullest first',
    group: 'Leases',
    query: z.strictObject({
      prefix: text(255).optional(),
      limit: z.coerce.number().int().min(1).max(1000).default(100),
    }),
    reply: z.object({ items: z.array(poolSchema) }),
  }),
  'lease.end': route({
    method: 'POST',
    unforeseen: true,
    path: '/leases/end',
    role: 'engineer',
    summary: 'End a lease, or let go of an address that is left alone: whoever asks next may have it',
    group: 'Leases',
    body: z.strictObject({ address: text(100) }),
    reply: leaseSchema,
  }),
} as const satisfies Record<string, Route>;
