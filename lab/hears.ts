/** What hangs on a simulated device's ports. */
import { z } from 'zod';

export const hearsSchema = z.strictObject({
  /** The port, by the device's own name. */
  on: z.string().max(40),
  neighbour: z.string().max(60).optional(),
  port: z.string().max(40).default('1'),
  mac: z
    .string()
    .regex(/^([0-9a-f]{2}:){5}[0-9a-f]{2}$/)
    .optional(),
  vlan: z.number().int().min(1).max(4094).optional(),
  address: z.ipv4().optional(),
});
export type Hears = z.output<typeof hearsSchema>;
