/** Routes that take in, give out and take back many records at once. */
import { z } from 'zod';
import { route, type Route } from './route.ts';

const text = (max = 255) => z.string().trim().min(1).max(max);
const formats = ['csv', 'yaml', 'json'] as const;

const fault = z.object({
  /** As a spreadsheet counts: the head of a CSV is row 1. Of YAML and JSON, the place in its list, from 1. 0 for the whole file. */
  row: z.int(),
  kind: z.string().nullable(),
  column: z.string().nullable(),
  value: z.string().nullable(),
  code: z.string(),
  detail: z.string(),
  remedy: z.string().nullable(),
});
export type ImportFault = z.output<typeof fault>;

const importedRow = z.object({
  row: z.int(),
  kind: z.string(),
  key: z.string(),
  action: z.enum(['add', 'edit']),
  changes: z.array(z.object({ field: z.string(), before: z.json(), after: z.json() })),
});
export type ImportedRow = z.output<typeof importedRow>;

const undoneRow = z.object({ kind: z.string(), key: z.string(), action: z.enum(['removed', 'edited', 'added']) });

export const importRoutes = {
  'import.run': route({
    method: 'POST',
    path: '/imports',
    role: 'engineer',
    summary: 'Take in records from CSV, YAML or JSON: what would come of it, or all of it in one change set',
    group: 'Import',
    body: z.strictObject({
      text: z.string().min(1),
      kind: text(30).optional().describe('Of all rows; YAML and JSON may have rows below the names of their kinds'),
      as: z.enum(formats).optional().describe('Left out, it is told by the content'),
      apply: z.boolean().default(false).describe('Left out, nothing is saved'),
      columns: z
        .record(z.string(), z.string().nullable())
        .default({})
        .describe('Fields of columns whose heads are called otherwise; null leaves a column out'),
    }),
    reply: z.object({
      format: z.enum(formats),
      applied: z.boolean(),
      rows: z.int(),
      counts: z.object({ add: z.int(), edit: z.int(), same: z.int() }),
      /** The first five hundred that would be added or edited. */
      items: z.array(importedRow),
      faults: z.array(fault),
      /** Heads of a CSV, each with the field that it is taken for. */
      heads: z.array(z.object({ column: z.string(), field: z.string().nullable() })),
    }),
  }),
  'export.run': route({
    method: 'GET',
    path: '/exports',
    role: 'viewer',
    summary: 'Records as a text that can be imported again',
    group: 'Import',
    query: z.strictObject({
      kinds: text(500).optional().describe('With commas; left out, all of them. CSV has one'),
      as: z.enum(formats).default('yaml'),
    }),
    reply: z.object({ text: z.string(), records: z.int() }),
  }),
  'history.undo': route({
    method: 'POST',
    path: '/history/{id}/undo',
    role: 'engineer',
    summary: 'Take back one change set, whole; refused where something newer depends on it',
    group: 'History',
    body: z.strictObject({ apply: z.boolean().default(true).describe('False: only what would come of it') }),
    reply: z.object({ undone: z.int(), applied: z.boolean(), items: z.array(undoneRow) }),
  }),
} as const satisfies Record<string, Route>;
