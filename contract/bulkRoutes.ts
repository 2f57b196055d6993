/** What every kind has beside its five verbs: many at once, copies, and a look before removal. Bodies are alike for all kinds. */
import { z } from 'zod';
import type { Route } from './route.ts';

const text = (max = 255) => z.string().trim().min(1).max(max);
const wordSchema = z.string().trim().min(1).max(100);

/** The most records of one bulk edit. */
export const MOST_AT_ONCE = 10_000;
const MOST_CLONES = 1000;

const fieldChangeSchema = z.object({ field: z.string(), before: z.json(), after: z.json() });
export const recordChangeSchema = z.object({ kind: z.string(), key: z.string(), changes: z.array(fieldChangeSchema) });

const recordFaultSchema = z.object({
  key: z.string(),
  field: z.string().nullable(),
  code: z.string(),
  detail: z.string(),
  remedy: z.string().nullable(),
});

export const bulkBodySchema = z.strictObject({
  where: text(2000).optional().describe('A selection: site=ard duty=access'),
  refs: z.array(text()).max(MOST_AT_ONCE).optional().describe('Or these records, by key or #id'),
  changes: z.record(z.string(), z.json()).default({}).describe('Fields as for editing one'),
  addLabels: z.array(wordSchema).max(20).default([]),
  dropLabels: z.array(wordSchema).max(20).default([]),
  expect: z.int().min(0).optional().describe('Refused when the selection has another number of records by now'),
  apply: z.boolean().default(false).describe('Left out, nothing is saved'),
});
export type BulkBody = z.output<typeof bulkBodySchema>;

const bulkReplySchema = z.object({
  count: z.int(),
  changed: z.int(),
  applied: z.boolean(),
  /** The first five hundred that would be changed. */
  items: z.array(recordChangeSchema),
  faults: z.array(recordFaultSchema),
});
export type BulkReply = z.output<typeof bulkReplySchema>;

export const removeManyBodySchema = z.strictObject({
  where: text(2000).optional().describe('A selection: site=bel duty=access'),
  refs: z.array(text()).min(1).max(MOST_AT_ONCE).optional().describe('Or these records, by key or #id'),
  contents: z
    .boolean()
    .default(false)
    .describe(
      'With what lies in them: of a site its rooms, racks, devices, VLANs, prefixes, addresses; boxes go to stock',
    ),
  expect: z.int().min(0).optional().describe('Refused when another number of records would go by now'),
  apply: z.boolean().default(false).describe('Not given, nothing is removed'),
});
export type RemoveManyBody = z.output<typeof removeManyBodySchema>;

export const cloneBodySchema = z.strictObject({
  records: z
    .array(z.record(z.string(), z.json()))
    .min(1)
    .max(MOST_CLONES)
    .describe('What is different in each copy: its name at least. Of a device also `serial` and `boxMac` of its box'),
});
export type CloneBody = z.output<typeof cloneBodySchema>;

const removalReplySchema = z.object({
  /** The record and what would go with it. */
  goes: z.array(z.object({ kind: z.string(), key: z.string() })),
  count: z.int(),
  /** How many of each kind go. */
  counts: z.record(z.string(), z.int()),
  /** What would stay, but lose a reference. */
  changes: z.array(z.object({ kind: z.string(), key: z.string() })),
  /** What stands in the way: in words, and the records that could be named. */
  blocks: z.array(
    z.object({
      detail: z.string(),
      remedy: z.string().nullable(),
      users: z.array(z.object({ kind: z.string(), key: z.string() })),
    }),
  ),
});
export type RemovalReply = z.output<typeof removalReplySchema>;

const removeManyReply = removalReplySchema.extend({
  /** Of the records that were chosen; `count` has what goes with them, too. */
  chosen: z.int(),
  applied: z.boolean(),
});
export type RemoveManyReply = z.output<typeof removeManyReply>;

/** The routes of one kind; `record` is the shape of its records. */
export function bulkRoutesOf(
  path: string,
  titles: { one: string; many: string; group: string },
  record: () => z.ZodType,
): Record<'editMany' | 'removeMany' | 'clone' | 'removal', Route> {
  const { one, many, group } = titles;
  return {
    editMany: {
      method: 'PATCH',
      path: `/${path}`,
      role: 'engineer',
      summary: `Edit many ${many} at once: what would come of it, or all of it in one change set`,
      group,
      body: bulkBodySchema,
      reply: bulkReplySchema,
    },
    removeMany: {
      method: 'POST',
      path: `/${path}/removal`,
      role: 'engineer',
      summary: `Remove many ${many} at once, with what is in them if wanted: what would go, or all of it in one change set`,
      group,
      body: removeManyBodySchema,
      reply: removeManyReply,
    },
    clone: {
      method: 'POST',
      path: `/${path}/{ref}/clones`,
      role: 'engineer',
      summary: `Copy one ${one}, with its parts, under other names`,
      group,
      status: 201,
      body: cloneBodySchema,
      get reply() {
        return z.array(record());
      },
    },
    removal: {
      method: 'POST',
      onlyReads: true,
      path: `/${path}/{ref}/removal`,
      role: 'engineer',
      summary: `What would go with one ${one} if it were removed, and what stands in its way; removes nothing`,
      group,
      reply: removalReplySchema,
    },
  };
}
