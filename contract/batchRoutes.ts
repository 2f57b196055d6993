/** Batches: their window, how their devices stand, who is held or left out, the table that one begins with. */
import { z } from 'zod';
import { standings } from '@zpine/core/arrival/board';
import { arrivalHeadSchema, hours, text, time } from './onboardingShapes.ts';
import { route, type Route } from './route.ts';

const rowSchema = z.object({
  device: z.string(),
  site: z.string().nullable(),
  rack: z.string().nullable(),
  positionU: z.int().nullable(),
  model: z.string().nullable(),
  box: z.string().nullable(),
  address: z.string().nullable(),
  standing: z.enum(standings),
  /** Why, where there is something to say: the diagnosis, what is lacking, the reason that somebody gave. */
  why: z.string().nullable(),
  remedy: z.string().nullable(),
  /** Since when it stands so. */
  since: time.nullable(),
  /** The last milestone of its arrival. */
  milestone: z.string().nullable(),
  /** Of its arrival in this window. */
  arrival: z.int().nullable(),
  reached: z.array(z.string()),
  poweredAt: time.nullable(),
  servedAt: time.nullable(),
  /** From power to service, so far or as a whole. */
  seconds: z.int().nullable(),
  /** What devices of its model take. */
  usualSeconds: z.int().nullable(),
});
export type BoardRow = z.output<typeof rowSchema>;

const boardSchema = z.object({
  batch: z.string(),
  opensAt: time.nullable(),
  closesAt: time.nullable(),
  endedAt: time.nullable(),
  window: z.enum(['before', 'open', 'over']),
  /** As it was at its end; false where it is as it stands now. */
  kept: z.boolean(),
  counts: z.partialRecord(z.enum(standings), z.int()),
  /** Sites with the most trouble first, and so are the devices of each. */
  items: z.array(rowSchema),
});
export type Board = z.output<typeof boardSchema>;

/** As a table, for spreadsheets. */
const boardTable = ({ items }: Board): { heads: string[]; rows: string[][] } => ({
  heads: ['device', 'site', 'model', 'box', 'standing', 'why', 'milestone', 'powered', 'served', 'seconds'],
  rows: items.map((row) =>
    [
      row.device,
      row.site,
      row.model,
      row.box,
      row.standing,
      row.why,
      row.milestone,
      row.poweredAt,
      row.servedAt,
      row.seconds,
    ].map((cell) => String(cell ?? '')),
  ),
});

const preparedSchema = z.object({
  device: z.string(),
  /** What was done, or would be. */
  done: z.array(z.string()),
  address: z.string().nullable(),
  edition: z.int().nullable(),
  published: z.boolean(),
  /** Why it could not go on. */
  fault: z.object({ code: z.string(), detail: z.string(), remedy: z.string().nullable() }).nullable(),
});
export type Prepared = z.output<typeof preparedSchema>;

const turns = ['in', 'held', 'left out', 'anew'] as const;

const tableFault = z.object({
  row: z.int(),
  column: z.string().nullable(),
  value: z.string().nullable(),
  code: z.string(),
  detail: z.string(),
  remedy: z.string().nullable(),
});

/** So many are prepared by one call. */
export const MOST_PREPARED = 100;

export const batchRoutes = {
  'batch.board': route({
    method: 'GET',
    path: '/batches/{ref}/board',
    role: 'viewer',
    summary: 'How the devices of a batch stand, trouble first; once it ended, its report',
    group: 'Batches',
    query: z.strictObject({
      now: z.enum(['true', 'false']).default('false').describe('As it stands now, though a report is kept'),
    }),
    reply: boardSchema,
    table: (answer) => boardTable(answer as Board),
  }),
  'batch.open': route({
    method: 'POST',
    path: '/batches/{ref}/window',
    role: 'engineer',
    summary: 'Say when the window of a batch opens, and for how long: those of its devices open with it by themselves',
    group: 'Batches',
    body: z.strictObject({
      at: text(40).optional().describe('From when: 22:00, which is the next one, or 2026-12-04 22:00; left out: now'),
      hours: hours.default(6),
    }),
    reply: boardSchema,
  }),
  'batch.close': route({
    method: 'DELETE',
    path: '/batches/{ref}/window',
    role: 'engineer',
    summary: 'End a batch now: its windows close, and its report is kept',
    group: 'Batches',
    reply: boardSchema,
    status: 200,
  }),
  'batch.turn': route({
    method: 'POST',
    path: '/batches/{ref}/turns',
    role: 'installer',
    summary: 'Hold devices of a batch, leave them out with a reason, let them go on, or let them begin anew',
    group: 'Batches',
    body: z.strictObject({
      devices: z.array(text()).min(1).max(1000),
      turn: z.enum(turns),
      why: text(300).optional().describe('Of those that are left out; needed there'),
    }),
    reply: boardSchema,
  }),
  'batch.table': route({
    method: 'POST',
    large: true,
    path: '/batches/{ref}/table',
    role: 'engineer',
    apart: true,
    summary:
      'Take in a table with a row a switch: boxes, names, models, places, addresses, values; empty cells are worked out. Without `apply` only what would come of it',
    group: 'Batches',
    body: z.strictObject({ text: z.string().min(1).max(1_000_000), apply: z.boolean().default(false) }),
    reply: z.object({
      applied: z.boolean(),
      rows: z.int(),
      items: z.array(
        z.object({
          row: z.int(),
          device: z.string(),
          action: z.enum(['added', 'edited', 'as before']),
          box: z.string().nullable(),
          address: z.string().nullable(),
          /** Columns that were empty, and what was worked out for them. */
          workedOut: z.record(z.string(), z.string()),
        }),
      ),
      faults: z.array(tableFault),
    }),
  }),
  'batch.form': route({
    method: 'GET',
    path: '/batches/{ref}/form',
    role: 'viewer',
    summary: 'The table of a batch to be filled in: a row for each of its devices, cells that are not known left empty',
    group: 'Batches',
    reply: z.object({ name: z.string(), text: z.string(), rows: z.int() }),
  }),
  'device.prepareMany': route({
    method: 'POST',
    unforeseen: true,
    path: '/preparations',
    role: 'engineer',
    apart: true,
    summary:
      'Management addresses, editions and their publishing in one go; one that refuses does not stop the others. Without `apply` only what would be done',
    group: 'Batches',
    body: z.strictObject({
      devices: z.array(text()).min(1).max(MOST_PREPARED),
      publish: z.boolean().default(true),
      openHours: hours.optional().describe('Opens their arrival windows as well'),
      apply: z.boolean().default(false),
    }),
    reply: z.object({ applied: z.boolean(), items: z.array(preparedSchema) }),
  }),
  'arrival.anew': route({
    method: 'POST',
    path: '/devices/{ref}/arrival-window/anew',
    role: 'installer',
    summary: 'Let an arrival begin anew: what was seen of it is past, its window stays open for as long',
    group: 'Arrivals',
    body: z.strictObject({}),
    reply: arrivalHeadSchema,
  }),
} as const satisfies Record<string, Route>;
