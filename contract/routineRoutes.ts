/** Routes of routines: errands and asks with a name. */
import { z } from 'zod';
import { blankShownSchema, blanksSchema, runHeadSchema, selection, sheetOfLinesSchema } from './fleetShapes.ts';
import { text } from './onboardingShapes.ts';
import { route, type Route } from './route.ts';

export const routineRoutes = {
  'routine.run': route({
    method: 'POST',
    unforeseen: true,
    path: '/routines/{ref}/runs',
    role: 'engineer',
    apart: true,
    summary: 'Run a routine, its blanks filled in; what changes devices is previewed',
    group: 'Routines',
    body: z.strictObject({
      ...selection,
      blanks: blanksSchema.default({}).describe('What stands in its blanks; names of templates may stand in it'),
      perDevice: sheetOfLinesSchema
        .optional()
        .describe(
          'Blanks that differ: a table with a head row, one column of which is the device; a device may have several rows',
        ),
      keep: z.boolean().default(true).describe('Have the devices store what then runs'),
      perSite: z.int().min(1).max(200).optional().describe('So many devices of one site at a time'),
      everything: z.boolean().default(false).describe('The selection may be every device there is'),
      insist: z.boolean().default(false).describe('Send it although the service would lose its way in; needs a reason'),
    }),
    reply: runHeadSchema,
  }),
  'routine.blanks': route({
    method: 'GET',
    path: '/routines/{ref}/blanks',
    role: 'viewer',
    summary: 'The blanks of a routine, as they are to be filled in',
    group: 'Routines',
    reply: z.object({ items: z.array(blankShownSchema) }),
  }),
  'routine.shipped': route({
    method: 'GET',
    path: '/shipped-routines',
    role: 'viewer',
    summary: 'The routines that ship, and which of them are entered',
    group: 'Routines',
    reply: z.object({
      items: z.array(z.object({ name: z.string(), title: z.string(), dialect: z.string(), entered: z.boolean() })),
    }),
  }),
  'routine.takeShipped': route({
    method: 'POST',
    path: '/shipped-routines',
    role: 'engineer',
    summary: 'Enter routines that ship, those that stand already left alone',
    group: 'Routines',
    body: z.strictObject({
      routines: z.array(text(63)).min(1).max(100).optional().describe('Some of them by name; left out: all'),
    }),
    reply: z.object({ added: z.array(z.string()), standing: z.array(z.string()) }),
  }),
} as const satisfies Record<string, Route>;
