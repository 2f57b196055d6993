/** What devices say of themselves unasked: traps and log lines. */
import { z } from 'zod';
import { text } from './onboardingShapes.ts';
import { route, type Route } from './route.ts';

export const signKinds = ['trap', 'log'] as const;
export type SignKind = (typeof signKinds)[number];

export const signRoutes = {
  'sign.list': route({
    method: 'GET',
    path: '/signs',
    role: 'viewer',
    summary: 'Traps and log lines that came lately, the newest first; the same one several times is one',
    group: 'Arrivals',
    query: z.strictObject({
      device: text().optional(),
      prefix: text().optional(),
      address: text(45).optional(),
      kind: z.enum(signKinds).optional(),
      limit: z.coerce.number().int().min(1).max(500).default(50),
    }),
    reply: z.object({
      items: z.array(
        z.object({
          id: z.int(),
          kind: z.enum(signKinds),
          device: z.string().nullable(),
          prefix: z.string().nullable(),
          address: z.string(),
          /** Of log lines: 0 emergency to 7 debug (RFC 5424, 6.2.1). */
          severity: z.int().nullable(),
          text: z.string(),
          firstAt: z.string(),
          lastAt: z.string(),
          times: z.int(),
        }),
      ),
    }),
  }),
} as const satisfies Record<string, Route>;
