/** The processes that a service consists of. */
import { z } from 'zod';

export const shownProcessSchema = z.object({
  /** What it does: `api`, `boot`, `apart`. */
  name: z.string(),
  pid: z.int(),
  since: z.string(),
  memoryBytes: z.int().describe('What it holds of the memory of its machine (resident set)'),
  starts: z.int().describe('How often it was started again after it had ended by itself'),
  lastEnd: z.object({ at: z.string(), how: z.string() }).nullable(),
});
export type ShownProcess = z.output<typeof shownProcessSchema>;

/** How far the memory of whoever answers booting devices is what the records say. */
export interface BootState {
  devices: number;
  /** What the first reading took. */
  readMs: number;
  /** Devices that were held against the records since it began, and how many of them were not as these say. */
  compared: number;
  differences: number;
}
