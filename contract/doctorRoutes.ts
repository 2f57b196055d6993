/** Routes of what the records themselves make doubtful. */
import { shownProcessSchema } from './processes.ts';
import { z } from 'zod';
import { doubtNames } from './matters.ts';
import { route, type Route } from './route.ts';

const doubtfulSchema = z.object({
  kind: z.string(),
  key: z.string(),
  detail: z.string(),
  /** A command that mends it, or leads there. */
  remedy: z.string(),
});

/** What is derived from the records and kept beside them: how the lines of a check are called. */
export const soundness = {
  keys: 'Keys of records, and what they sort by',
  tree: 'Which prefix lies in which',
  addresses: 'Which address lies in which prefix',
  space: 'Free space of prefixes, and its counts',
  samples: 'Samples of how prefixes fill',
  macs: 'Which MAC belongs to what',
  cables: 'Which port has which cable',
  racks: 'Room in racks',
  terms: 'What searches find',
} as const;
export type Soundness = keyof typeof soundness;
export const soundnessNames = Object.keys(soundness) as [Soundness, ...Soundness[]];

const soundnessCheckSchema = z.object({
  id: z.int(),
  at: z.string(),
  endedAt: z.string().nullable(),
  by: z.string(),
  mend: z.boolean(),
  state: z.enum(['under way', 'ended', 'broken off']),
  failure: z.string().nullable(),
  /** Differences that were found; null while it is under way. */
  count: z.int().nullable(),
  mended: z.int().nullable(),
  looks: z.array(
    z.object({
      look: z.enum(soundnessNames),
      title: z.string(),
      count: z.int(),
      mended: z.int(),
      rows: z.array(z.object({ about: z.string(), is: z.string(), should: z.string() })),
    }),
  ),
});
export type SoundnessCheck = z.output<typeof soundnessCheckSchema>;

export const doctorRoutes = {
  'doctor.store': route({
    method: 'POST',
    unforeseen: true,
    path: '/store-checks',
    role: 'admin',
    summary:
      'Recompute what is derived from the records, say what differs, and with `mend` put it right; done in the background',
    group: 'Overview',
    body: z.strictObject({ mend: z.boolean().default(false) }),
    reply: soundnessCheckSchema,
  }),
  'doctor.storeChecks': route({
    method: 'GET',
    path: '/store-checks',
    role: 'admin',
    summary: 'The last checks of what is derived, the newest first',
    group: 'Overview',
    reply: z.object({ items: z.array(soundnessCheckSchema) }),
  }),
  'doctor.storeCheck': route({
    method: 'GET',
    path: '/store-checks/{id}',
    role: 'admin',
    summary: 'One check of what is derived, with what it found',
    group: 'Overview',
    reply: soundnessCheckSchema,
  }),
  'doctor.processes': route({
    method: 'GET',
    own: true,
    path: '/processes',
    role: 'admin',
    summary:
      'The processes that the service consists of: since when each runs, what it holds, how often it ended by itself',
    group: 'Overview',
    reply: z.object({ items: z.array(shownProcessSchema) }),
  }),
  'doctor.data': route({
    method: 'GET',
    path: '/doubts',
    role: 'viewer',
    apart: true,
    summary:
      'What the records themselves make doubtful, each with its remedy; counts of all, and the first rows of each',
    group: 'Overview',
    query: z.strictObject({
      only: z.enum(doubtNames).optional(),
      limit: z.coerce.number().int().min(0).max(1000).default(50),
    }),
    reply: z.object({
      items: z.array(
        z.object({ doubt: z.enum(doubtNames), title: z.string(), count: z.int(), rows: z.array(doubtfulSchema) }),
      ),
      count: z.int(),
    }),
  }),
} as const satisfies Record<string, Route>;
