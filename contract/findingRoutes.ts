/** Saved views, completion of selections, and records that were removed. */
import { z } from 'zod';
import { route, type Route } from './route.ts';

const text = (max = 255) => z.string().trim().min(1).max(max);

/** What a view narrows and sorts a list by: the query fields of the list. */
const viewQuerySchema = z.record(z.string().max(63), z.string().max(2000));

const viewSchema = z.object({
  id: z.int(),
  kind: z.string(),
  name: z.string(),
  owner: z.string(),
  shared: z.boolean(),
  query: viewQuerySchema,
});
export type View = z.output<typeof viewSchema>;

const removedSchema = z.object({
  kind: z.string(),
  id: z.int(),
  key: z.string(),
  at: z.string(),
  actor: z.string(),
  reason: z.string().nullable(),
  /** The change set that removed it. */
  set: z.int(),
  fields: z.record(z.string(), z.json()),
});
export type RemovedRecord = z.output<typeof removedSchema>;

export const findingRoutes = {
  'view.list': route({
    method: 'GET',
    path: '/views',
    role: 'viewer',
    summary: 'Your saved views of lists, and those that others share',
    group: 'Views',
    query: z.strictObject({ kind: text(30).optional() }),
    reply: z.object({ items: z.array(viewSchema) }),
  }),
  'view.save': route({
    method: 'POST',
    unforeseen: true,
    path: '/views',
    role: 'viewer',
    summary: 'Save a view of a list; one of yours with the same name is replaced',
    group: 'Views',
    body: z.strictObject({
      kind: text(30),
      name: text(63),
      shared: z.boolean().default(false).describe('Others see it as well'),
      query: viewQuerySchema,
    }),
    reply: viewSchema,
    unrecorded: true,
  }),
  'view.remove': route({
    method: 'DELETE',
    unforeseen: true,
    path: '/views/{id}',
    role: 'viewer',
    summary: 'Remove a view of yours; an administrator may remove any',
    group: 'Views',
    status: 204,
    unrecorded: true,
  }),
  'where.complete': route({
    method: 'GET',
    path: '/completions',
    role: 'viewer',
    summary: 'How a selection may go on where the cursor stands',
    group: 'Overview',
    query: z.strictObject({
      kind: text(30),
      text: z.string().max(2000).default(''),
      at: z.coerce
        .number()
        .int()
        .min(0)
        .max(2000)
        .optional()
        .describe('Where the cursor stands; at the end if not given'),
    }),
    reply: z.object({
      /** What is replaced: the text between these two. */
      from: z.int(),
      to: z.int(),
      items: z.array(z.object({ text: z.string(), about: z.string() })),
    }),
  }),
  'removed.list': route({
    method: 'GET',
    path: '/removed',
    role: 'viewer',
    summary: 'Records that were removed, the latest first, as they were',
    group: 'History',
    query: z.strictObject({
      kind: text(30).optional(),
      q: text(100).optional().describe('Only keys that hold this'),
      after: text(100).optional(),
      limit: z.coerce.number().int().min(1).max(200).default(50),
    }),
    reply: z.object({ items: z.array(removedSchema), next: z.string().nullable() }),
  }),
  'removed.restore': route({
    method: 'POST',
    path: '/removed/{kind}/{ref}',
    role: 'engineer',
    summary: 'Bring a removed record back, under its old id, with its parts and the values of its layer',
    group: 'History',
    reply: z.object({
      items: z.array(z.object({ kind: z.string(), key: z.string(), action: z.enum(['removed', 'edited', 'added']) })),
      count: z.int(),
    }),
  }),
} as const satisfies Record<string, Route>;
