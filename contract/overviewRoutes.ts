/** What is over all kinds: today, search, history, and the stream of hints. */
import { z } from 'zod';
import { todayCodes } from './matters.ts';
import { page, route, type Route } from './route.ts';

const text = (max = 255) => z.string().trim().min(1).max(max);
const anyRecordSchema = z.record(z.string(), z.json());

const todayItemSchema = z.object({
  code: z.enum(todayCodes),
  kind: z.string(),
  key: z.string(),
  detail: z.string(),
  since: z.string().nullable(),
  /** What the service could do about it at once. */
  remedy: z.enum(['assign-management', 'open']),
  /** On the command line: what mends it, or leads there. */
  command: z.string(),
});

const changeSchema = z.object({
  kind: z.string(),
  id: z.int(),
  key: z.string(),
  before: anyRecordSchema.nullable(),
  after: anyRecordSchema.nullable(),
});

const changeSetSchema = z.object({
  id: z.int(),
  at: z.string(),
  actor: z.string(),
  via: z.string(),
  action: z.string(),
  reason: z.string().nullable(),
  /** The set that it takes back, and the one that took it back. */
  undoes: z.int().nullable(),
  undoneBy: z.int().nullable(),
  /** How many changes it holds; `changes` has the first hundred. */
  count: z.int(),
  changes: z.array(changeSchema),
});

export const overviewRoutes = {
  today: route({
    method: 'GET',
    path: '/today',
    role: 'viewer',
    summary: 'Open tasks, each with its remedy',
    group: 'Overview',
    reply: z.object({
      items: z.array(todayItemSchema),
      counts: z.record(z.string(), z.int()),
      /** How many records were doubtful when they were last looked at. */
      doubts: z.object({ count: z.int(), at: z.string() }).nullable(),
    }),
  }),
  'today.counts': route({
    method: 'GET',
    path: '/today/counts',
    role: 'viewer',
    summary: 'How many tasks are open and how many devices arrive; in a large estate as of the last seconds',
    group: 'Overview',
    reply: z.object({ open: z.int(), arriving: z.int() }),
  }),
  search: route({
    method: 'GET',
    path: '/search',
    role: 'viewer',
    summary: 'Records found by names, serials, MACs in any notation, addresses, labels, titles, descriptions and notes',
    group: 'Overview',
    query: z.strictObject({ q: text(100) }),
    reply: z.object({
      items: z.array(
        z.object({
          kind: z.string(),
          key: z.string(),
          title: z.string().nullable(),
          /** The field by which it was found, and what that says. */
          why: z.string(),
          found: z.string(),
        }),
      ),
    }),
  }),
  'history.list': route({
    method: 'GET',
    path: '/history',
    role: 'viewer',
    summary: 'Change sets, the newest first',
    group: 'History',
    query: z.strictObject({
      kind: text(30).optional(),
      record: text().optional().describe('With kind: only changes of this record, by key or #id'),
      actor: text(63).optional(),
      via: z.enum(['api', 'console', 'cli', 'service']).optional(),
      since: text(20).optional().describe('From this day or time on, UTC: 2026-05-04, 2026-05-04T10:00'),
      until: text(20).optional().describe('Before this day or time'),
      q: text(100).optional().describe('In the reason, or in the key of a record'),
      setting: text(63).optional().describe('Only values of this setting'),
      after: text(100).optional(),
      limit: z.coerce.number().int().min(1).max(200).default(50),
    }),
    reply: page(changeSetSchema),
  }),
  events: route({
    method: 'GET',
    own: true,
    path: '/events',
    role: 'viewer',
    summary: 'Hints of changes as they happen (server-sent events): kind, id, version',
    group: 'Overview',
    media: 'text/event-stream',
  }),
} as const satisfies Record<string, Route>;
