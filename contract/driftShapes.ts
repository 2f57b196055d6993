/** Shapes of what devices should run held against what they run. */
import { z } from 'zod';
import { text, time } from './onboardingShapes.ts';

export const differenceSchema = z.object({
  part: z.string(),
  kind: z.enum(['missing', 'extra', 'changed', 'order']),
  /** The blocks that the line stands in, outermost first. */
  above: z.array(z.string()),
  /** As it should be; of an extra one, as the device has it. Secrets are masked. */
  line: z.string(),
  /** What the device has in its place. */
  instead: z.string().nullable(),
  below: z.int(),
  /** Of an extra block, the lines that would go with it. */
  inside: z.array(z.string()),
});

/** A file that an edition brings, and that is not as it should be; what has to be done is its deed. */
export const fileDriftSchema = z.object({
  path: z.string(),
  deed: z.enum(['new', 'changed', 'gone']),
  why: z.array(z.enum(['text', 'owner', 'mode'])),
  /** As they should be, where they are not. */
  owner: z.string().nullable(),
  mode: z.string().nullable(),
  binary: z.boolean(),
  /** From what is there to what should be; secrets are masked. */
  lines: z.array(z.object({ sign: z.enum([' ', '+', '-']), text: z.string() })),
  /** Lines beyond those. */
  more: z.int(),
});
export type FileDrift = z.output<typeof fileDriftSchema>;

const partComparedSchema = z.object({
  name: z.string(),
  right: z.int(),
  differs: z.int(),
  notComparable: z.int(),
});

export const comparisonSchema = z.object({
  at: time,
  matches: z.boolean(),
  differences: z.array(differenceSchema),
  /** Lines whose secret the device does not show well enough to say whether it is the right one. */
  notComparable: z.array(differenceSchema),
  /** Lines of the device that belong to no owned part. */
  elsewhere: z.array(z.string()),
  right: z.int(),
  parts: z.array(partComparedSchema),
  /** Files that are not as they should be. */
  files: z.array(fileDriftSchema).optional(),
});
export type ShownComparison = z.output<typeof comparisonSchema>;

export const driftSchema = z.object({
  device: z.string(),
  /** The edition that it was held against; null where none is published. */
  edition: z.int().nullable(),
  /** The one that is published now. */
  published: z.int().nullable(),
  comparedAt: time,
  /** How many lines differ in owned parts, and since when they do so. */
  lines: z.int(),
  since: time.nullable(),
  right: z.int(),
  notComparable: z.int(),
  elsewhere: z.int(),
  /** Names of the parts that differ. */
  parts: z.array(z.string()),
  /** How many lines differ between what runs and what is stored; null where a device tells one of them only. */
  unkept: z.int().nullable(),
  unkeptSince: time.nullable(),
});
export type ShownDrift = z.output<typeof driftSchema>;

export const deviceDriftSchema = driftSchema.extend({
  comparison: comparisonSchema.nullable(),
  /** What runs and is not stored is missing in what is stored; what is stored alone is extra. */
  stored: z.array(differenceSchema),
});

export const driftGroupSchema = z.object({
  devices: z.array(z.string()),
  count: z.int(),
  lines: z.int(),
  parts: z.array(z.string()),
  /** Of all of them alike. */
  differences: z.array(differenceSchema),
  files: z.array(fileDriftSchema),
  /** Of the one that has differed longest. */
  since: time,
});

export const driftQuerySchema = z.strictObject({
  where: text(2000).optional().describe('Only these devices: site=ard duty=access'),
  of: z
    .enum(['edition', 'stored'])
    .default('edition')
    .describe('edition: who does not run what is published; stored: whose running configuration is not what is stored'),
  limit: z.coerce.number().int().min(1).max(500).default(100).describe('Of groups'),
});
