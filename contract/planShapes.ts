/** One thing that a site plan gives a site. */
import { z } from 'zod';

export const planRowSchema = z.object({
  /** Which step of the plan, from 1. */
  step: z.int(),
  kind: z.enum(['block', 'vlan', 'prefix', 'loopback', 'link']),
  what: z.string(),
  detail: z.string(),
  /** Whether the site has it already. */
  there: z.boolean(),
});
export type PlanRow = z.output<typeof planRowSchema>;
