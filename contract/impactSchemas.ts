import { z } from 'zod';
import type { PartDiff } from './impactShapes.ts';

export const partDiffSchema: z.ZodType<PartDiff> = z.object({
  removed: z.array(z.string()),
  added: z.array(z.string()),
  more: z.int(),
  file: z.string(),
  part: z.string(),
  secret: z.boolean(),
});
