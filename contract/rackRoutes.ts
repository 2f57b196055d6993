/** What stands in racks, and how devices are named. */
import { z } from 'zod';
import { route, type Route } from './route.ts';

const text = (max = 255) => z.string().trim().min(1).max(max);

/** Something that stands in a rack. `positionU` is the lowest of the numbers that it takes. */
const rackItemSchema = z.object({
  kind: z.enum(['device', 'filler']),
  key: z.string(),
  words: z.string(),
  positionU: z.int(),
  heightU: z.int(),
  face: z.enum(['front', 'rear']),
  depth: z.enum(['full', 'half']),
  width: z.enum(['full', 'half']),
  side: z.enum(['left', 'right']),
  stage: z.string().nullable(),
  duty: z.string().nullable(),
  owner: z.string().nullable(),
  model: z.string().nullable(),
  form: z.string().nullable(),
});

/** `unknown`: of how many devices and cards the model does not say it. */
const budgetSchema = z.object({ used: z.int(), most: z.int().nullable(), unknown: z.int() });

export const rackRoutes = {
  'rack.drawing': route({
    method: 'GET',
    path: '/racks/{ref}/drawing',
    role: 'viewer',
    summary: 'What stands where in a rack, front and rear, and what is free',
    group: 'Racks',
    reply: z.object({
      rack: z.string(),
      heightU: z.int(),
      numbering: z.enum(['bottom', 'top']),
      items: z.array(rackItemSchema),
      /** Stretches of numbers at which nothing is in the way on either face. */
      free: z.array(z.object({ from: z.int(), to: z.int() })),
      freeU: z.int(),
      reservedU: z.int(),
      /** In watts, by the models of what stands here; `most` is what the rack gives, null where nobody said it. */
      power: budgetSchema,
      /** In grams. */
      weight: budgetSchema,
      /** Devices that take no U: power strips beside it. */
      strips: z.array(z.string()),
      /** Devices of this rack that have no U, and want one. */
      unplaced: z.array(z.string()),
    }),
  }),
  'rack.fill': route({
    method: 'POST',
    path: '/rack-fillings',
    role: 'engineer',
    apart: true,
    summary: 'Many devices into several racks at once, named by their patterns, each at the next U that is free',
    group: 'Racks',
    body: z.strictObject({
      racks: z.array(text()).min(1).max(100),
      count: z.int().min(1).max(500),
      model: text().optional(),
      duty: text().optional(),
      owner: text().optional(),
      labels: z.array(text(100)).max(20).optional(),
      face: z.enum(['front', 'rear']).default('front'),
      from: z.enum(['bottom', 'top']).default('bottom').describe('Where in the racks to begin'),
      startU: z.int().min(1).max(60).optional().describe('Not before this number'),
      apply: z.boolean().default(false),
    }),
    reply: z.object({
      applied: z.boolean(),
      items: z.array(z.object({ device: z.string(), rack: z.string(), positionU: z.int().nullable() })),
    }),
  }),
  'device.nextName': route({
    method: 'GET',
    path: '/next-name',
    role: 'viewer',
    summary: 'The next name of a device by the pattern of its place and duty; takes nothing',
    group: 'Devices',
    query: z.strictObject({
      site: text().optional(),
      rack: text().optional(),
      duty: text().optional(),
      model: text().optional(),
    }),
    reply: z.object({ name: z.string(), pattern: z.string() }),
  }),
} as const satisfies Record<string, Route>;
