/** Routes of what devices said of themselves, beside the records. */
import { z } from 'zod';
import { text, time } from './onboardingShapes.ts';
import { route, type Route } from './route.ts';

const items = <T extends z.ZodType>(item: T) => z.object({ items: z.array(item) });

/** How an address on a device stands to the prefix that is asked for. */
export const relations = ['exactly', 'inside', 'around'] as const;
export type Relation = (typeof relations)[number];

const ofDevices = {
  where: text(2000).optional().describe('Only of these devices'),
  seen: z.coerce.number().positive().max(100_000).optional().describe('Only what was seen in the last so many hours'),
};

const liveAddressSchema = z.object({
  device: z.string(),
  interface: z.string(),
  address: z.string(),
  /** Of the network of the address: the prefix itself, one inside it, one around it. */
  relation: z.enum(relations),
  state: z.string().nullable(),
  seenAt: time.nullable(),
  recorded: z.string().nullable().describe('The interface that has it in the records'),
  agrees: z.boolean(),
  /** It can be taken into the records, and as what. */
  take: z.string().nullable(),
});
export type LiveAddress = z.output<typeof liveAddressSchema>;

const liveLinkSchema = z.object({
  device: z.string(),
  interface: z.string(),
  neighbour: z.string(),
  port: z.string(),
  seenAt: time.nullable(),
  /** The other end of the cable that the records have there. */
  recorded: z.string().nullable(),
  agrees: z.boolean(),
  take: z.string().nullable(),
});
export type LiveLink = z.output<typeof liveLinkSchema>;

const done = z.object({ done: z.array(z.string()) });

const liveBehindSchema = z.object({
  device: z.string(),
  interface: z.string(),
  mac: z.string(),
  /** How many hang on the port: few, or it would lead to another switch. */
  macs: z.int(),
  /** Whose MAC it is by the records: a port, or a device; null for nobody's. */
  belongs: z.string().nullable(),
  /** Where the cable of the records leads. */
  recorded: z.string().nullable(),
  agrees: z.boolean(),
  /** What would be taken into the records; null where they agree, or do not tell a port. */
  take: z.string().nullable(),
  seenAt: time,
});
export type LiveBehind = z.output<typeof liveBehindSchema>;

export const liveRoutes = {
  'live.addresses': route({
    method: 'GET',
    path: '/live-addresses',
    role: 'viewer',
    summary:
      'Interfaces whose address on the device is in a prefix, is the prefix, or lies around it, beside the records',
    group: 'Fleet',
    query: z.strictObject({ prefix: text(60), how: z.enum(relations).optional(), ...ofDevices }),
    reply: items(liveAddressSchema),
  }),
  'live.take': route({
    method: 'POST',
    path: '/live-addresses',
    role: 'engineer',
    summary: 'Take addresses that devices said they have into the records, or correct the records by them',
    group: 'Fleet',
    body: z.strictObject({
      addresses: z
        .array(z.strictObject({ device: text(255), interface: text(100), address: text(60) }))
        .min(1)
        .max(500),
    }),
    reply: done,
  }),
  'live.links': route({
    method: 'GET',
    path: '/live-links',
    role: 'viewer',
    summary: 'Who is heard on the ports of devices, beside the cables of the records',
    group: 'Fleet',
    query: z.strictObject(ofDevices),
    reply: items(liveLinkSchema),
  }),
  'live.takeLinks': route({
    method: 'POST',
    path: '/live-links',
    role: 'engineer',
    summary: 'Take links that devices heard into the records as cables, or correct a cable by them',
    group: 'Fleet',
    body: z.strictObject({
      links: z
        .array(z.strictObject({ device: text(255), interface: text(100) }))
        .min(1)
        .max(500),
    }),
    reply: done,
  }),
  'live.behind': route({
    method: 'GET',
    path: '/live-behind',
    role: 'viewer',
    summary: 'Whose MACs are seen on ports that few hang on, beside the cables of the records',
    group: 'Fleet',
    query: z.strictObject(ofDevices),
    reply: items(liveBehindSchema),
  }),
  'live.takeBehind': route({
    method: 'POST',
    path: '/live-behind',
    role: 'engineer',
    summary: 'Take who hangs on a port into the records as a cable, or correct one by it',
    group: 'Fleet',
    body: z.strictObject({
      plugs: z
        .array(z.strictObject({ device: text(255), interface: text(100) }))
        .min(1)
        .max(500),
    }),
    reply: done,
  }),
  'live.mac': route({
    method: 'GET',
    path: '/live-macs',
    role: 'viewer',
    summary: 'Where a MAC was seen last',
    group: 'Fleet',
    query: z.strictObject({ mac: text(60) }),
    reply: items(
      z.object({
        device: z.string(),
        interface: z.string(),
        vlan: z.string().nullable(),
        mac: z.string(),
        seenAt: time,
        /** Few MACs on a port: it hangs there; many: it is behind it. */
        macsOnPort: z.int(),
      }),
    ),
  }),
} as const satisfies Record<string, Route>;
