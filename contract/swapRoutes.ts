/** Swaps: a device gets another box under the same identity, from the beginning to the report. */
import { z } from 'zod';
import { hours, text, time } from './onboardingShapes.ts';
import { page, route, type Route } from './route.ts';

/** `begun`: another box is waited for. `booting`: it is fitted, and may boot. `serving`: it serves, and is held against before. */
export const swapStates = ['begun', 'booting', 'serving', 'closed', 'taken back', 'called off'] as const;

const headSchema = z.object({
  id: z.int(),
  device: z.string(),
  site: z.string().nullable(),
  state: z.enum(swapStates),
  oldBox: z.string(),
  newBox: z.string().nullable(),
  startedAt: time,
  startedBy: z.string(),
  closedAt: time.nullable(),
  /** Since when nobody was served by it, and how long that was. */
  downSeconds: z.int().nullable(),
  /** It was not watched: that is only since another box was in. */
  downIsLeast: z.boolean(),
  cables: z.int(),
  ticked: z.int(),
  /** What is not as it was before; null while nothing was held against it. */
  findings: z.int().nullable(),
});

const cableSchema = z.object({
  port: z.string(),
  /** As the device calls it. */
  name: z.string(),
  cable: z.string(),
  kind: z.string().nullable(),
  colour: z.string().nullable(),
  marking: z.string().nullable(),
  farEnd: z.string(),
  farPlace: z.string().nullable(),
  ticked: z.object({ by: z.string(), at: time }).nullable(),
  /** What the device says of the port now. */
  state: z.enum(['up', 'dark', 'unknown']),
  wasUp: z.boolean().nullable(),
});
export type SwapCable = z.output<typeof cableSchema>;

const shownSchema = headSchema.extend({
  reason: z.string().nullable(),
  before: z.object({
    /** When the device was asked last, before its box was swapped. */
    at: time.nullable(),
    version: z.string().nullable(),
    /** Why it could not be asked. */
    fault: z.string().nullable(),
    /** Lines that it ran and its edition does not have: they are lost unless somebody takes them over. */
    handmade: z.array(z.string()),
    comparedAt: time.nullable(),
    up: z.int(),
  }),
  /** Boxes that fit, those at its site first. */
  spares: z.array(z.object({ box: z.string(), whereabouts: z.string().nullable(), condition: z.string() })),
  /** Devices that are reached by nothing but it. */
  behind: z.array(z.string()),
  arrival: z.int().nullable(),
  diagnosis: z.object({ title: z.string(), detail: z.string(), remedy: z.string() }).nullable(),
  cableList: z.array(cableSchema),
  after: z
    .object({ at: time, version: z.string().nullable(), findings: z.array(z.string()), fault: z.string().nullable() })
    .nullable(),
  /** Users of accounts that the old box knew. */
  knew: z.array(z.string()),
  oldBoxIs: z.string().nullable(),
  next: z.string().nullable(),
});
export type ShownSwap = z.output<typeof shownSchema>;
export type SwapHead = z.output<typeof headSchema>;

const nothing = z.strictObject({});

export const swapRoutes = {
  'swap.list': route({
    method: 'GET',
    path: '/swaps',
    role: 'viewer',
    summary: 'Swaps, the newest first',
    group: 'Swaps',
    query: z.strictObject({
      open: z.enum(['true', 'false']).optional().describe('Only those that are under way, or only those that are over'),
      limit: z.coerce.number().int().min(1).max(200).default(50),
    }),
    reply: page(headSchema),
  }),
  'swap.show': route({
    method: 'GET',
    path: '/swaps/{id}',
    role: 'viewer',
    summary: 'One swap: what ran before, its cables, and what is not as it was',
    group: 'Swaps',
    reply: shownSchema,
  }),
  'swap.start': route({
    method: 'POST',
    path: '/devices/{ref}/swap',
    role: 'installer',
    summary:
      'Begin to swap the box of a device; what it runs and what hangs on its ports is looked at while it still answers',
    group: 'Swaps',
    body: z.strictObject({
      box: text(100).optional().describe('The spare, if it is known already: by serial or MAC'),
      hours: hours.default(24).describe('How long its arrival window is open'),
    }),
    reply: shownSchema,
  }),
  'swap.fit': route({
    method: 'POST',
    path: '/swaps/{id}/box',
    role: 'installer',
    summary: 'Say which box takes the place: it is fitted, and may boot as the device',
    group: 'Swaps',
    body: z.strictObject({ box: text(100), hours: hours.default(24) }),
    reply: shownSchema,
  }),
  'swap.tick': route({
    method: 'POST',
    path: '/swaps/{id}/ticks',
    role: 'installer',
    summary: 'Tick cables off that are plugged in again, or take the tick back',
    group: 'Swaps',
    body: z.strictObject({ ports: z.array(text()).min(1).max(500), done: z.boolean().default(true) }),
    reply: shownSchema,
  }),
  'swap.look': route({
    method: 'POST',
    path: '/swaps/{id}/look',
    role: 'installer',
    summary: 'Ask the device again what it says of its ports',
    group: 'Swaps',
    body: nothing,
    reply: shownSchema,
  }),
  'swap.takeBack': route({
    method: 'POST',
    path: '/swaps/{id}/take-back',
    role: 'installer',
    summary: 'Put the old box back under the device: the new one goes to stock',
    group: 'Swaps',
    body: z.strictObject({ hours: hours.default(24) }),
    reply: shownSchema,
  }),
  'swap.callOff': route({
    method: 'POST',
    path: '/swaps/{id}/call-off',
    role: 'installer',
    summary: 'Call a swap off before another box is fitted: all is as it was',
    group: 'Swaps',
    body: nothing,
    reply: shownSchema,
  }),
  'swap.emergencySheet': route({
    method: 'POST',
    unforeseen: true,
    path: '/emergency-sheets',
    role: 'engineer',
    reveals: true,
    summary:
      'What somebody needs at the console of a dead device while the service cannot be reached: one HTML file, secrets included, sealed with a passphrase; recorded',
    group: 'Swaps',
    body: z
      .strictObject({
        devices: z.array(text()).min(1).max(200).optional(),
        site: text().optional().describe('Instead: every device there that has a published edition'),
        passphrase: z.string().min(12).max(200),
      })
      .refine(({ devices, site }) => (devices === undefined) !== (site === undefined), 'either devices or a site'),
    reply: z.object({
      name: z.string(),
      html: z.string(),
      devices: z.array(z.string()),
      /** Those that have no published edition. */
      without: z.array(z.string()),
    }),
  }),
  'swap.close': route({
    method: 'POST',
    path: '/swaps/{id}/close',
    role: 'engineer',
    summary: 'Close a swap: its report is kept, and it is said what becomes of the old box',
    group: 'Swaps',
    body: z.strictObject({ oldBox: z.enum(['faulty', 'stock', 'retired']).default('faulty') }),
    reply: shownSchema,
  }),
} as const satisfies Record<string, Route>;
