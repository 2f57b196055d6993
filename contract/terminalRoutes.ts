/** Routes of terminals: somebody types on a device, by the access set of its records, and what it shows is kept. */
import { z } from 'zod';
import { text, time } from './onboardingShapes.ts';
import { route, type Route } from './route.ts';

const terminalSchema = z.object({
  id: z.int(),
  device: z.string(),
  by: z.string(),
  reason: z.string().nullable(),
  openedAt: time,
  endedAt: time.nullable(),
  /** What ended it: who left, the device, a limit. */
  ended: z.string().nullable(),
  bytes: z.int(),
});
export type ShownTerminal = z.output<typeof terminalSchema>;

export const terminalRoutes = {
  'terminal.open': route({
    method: 'GET',
    own: true,
    path: '/devices/{ref}/terminal',
    role: 'engineer',
    summary:
      'A terminal on a device (RFC 6455): bytes as they are typed and shown; a text message {"cols": 100, "rows": 40} says its size',
    group: 'Terminals',
    query: z.strictObject({
      cols: z.coerce.number().int().min(10).max(500).default(80),
      rows: z.coerce.number().int().min(2).max(500).default(24),
      reason: text(500).optional().describe('Why, kept with the recording'),
    }),
  }),
  'terminal.list': route({
    method: 'GET',
    path: '/terminals',
    role: 'engineer',
    summary: 'Terminals that were opened, the newest first',
    group: 'Terminals',
    query: z.strictObject({ device: text(255).optional() }),
    reply: z.object({ items: z.array(terminalSchema) }),
  }),
  'terminal.show': route({
    method: 'GET',
    path: '/terminals/{id}',
    role: 'engineer',
    summary: 'What a terminal showed, known secrets masked',
    group: 'Terminals',
    reply: terminalSchema.extend({
      text: z.string(),
      /** Only the beginning was kept. */
      cut: z.boolean(),
    }),
  }),
} as const satisfies Record<string, Route>;
