/** Retiring a device: what it holds that others could have. */
import { z } from 'zod';

export const retireParts = ['addresses', 'cables', 'box', 'rack'] as const;

const retireItemSchema = z.object({
  what: z.enum(retireParts),
  kind: z.string(),
  key: z.string(),
  /** What becomes of it. */
  words: z.string(),
  /** It stays as it is. */
  kept: z.boolean(),
});
export type RetireItem = z.output<typeof retireItemSchema>;

export const retireBodySchema = z.strictObject({
  keep: z.array(z.enum(retireParts)).default([]).describe('What the device holds on to'),
  box: z.enum(['stock', 'faulty', 'retired']).default('stock').describe('What becomes of its hardware'),
  apply: z.boolean().default(false).describe('Not given, nothing is saved'),
});

export const retireReplySchema = z.object({
  device: z.string(),
  items: z.array(retireItemSchema),
  applied: z.boolean(),
});
