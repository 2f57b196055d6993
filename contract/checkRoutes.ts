/** Routes of checks beyond those of their records: run, results, report, trial, the set that ships. */
import { z } from 'zod';
import { resultsTable } from './checkFolding.ts';
import {
  checkCountsSchema,
  checkPastSchema,
  checkResultSchema,
  checkResultsQuerySchema,
  checkRunBodySchema,
  checkTrialBodySchema,
  checkTrialSchema,
  shippedCheckSchema,
  type ShownResult,
} from './checkShapes.ts';
import { runHeadSchema } from './fleetShapes.ts';
import { text } from './onboardingShapes.ts';
import { route, type Route } from './route.ts';

const items = <T extends z.ZodType>(item: T) => z.object({ items: z.array(item) });

export const checkRoutes = {
  'run.check': route({
    method: 'POST',
    unforeseen: true,
    path: '/check-runs',
    role: 'engineer',
    summary: 'Judge checks on the devices that they are for, asking what they ask for',
    group: 'Checks',
    body: checkRunBodySchema,
    reply: runHeadSchema,
  }),
  'check.results': route({
    method: 'GET',
    path: '/check-results',
    role: 'viewer',
    summary: 'What checks found last, those that do not hold first',
    group: 'Checks',
    query: checkResultsQuerySchema,
    reply: items(checkResultSchema).extend({ more: z.boolean() }),
    table: (answer) => resultsTable((answer as { items: ShownResult[] }).items),
  }),
  'check.counts': route({
    method: 'GET',
    path: '/check-counts',
    role: 'viewer',
    summary: 'Each check with how many devices it is for, and on how many it holds',
    group: 'Checks',
    query: z.strictObject({ where: text(2000).optional().describe('Of these devices: site=ard duty=access') }),
    reply: items(checkCountsSchema),
  }),
  'check.past': route({
    method: 'GET',
    path: '/check-past',
    role: 'viewer',
    summary: 'When a check held and when it did not, the newest first',
    group: 'Checks',
    query: z.strictObject({
      check: text(63),
      device: text(255).optional(),
      limit: z.coerce.number().int().min(1).max(1000).default(100),
    }),
    reply: items(checkPastSchema),
  }),
  'check.try': route({
    method: 'POST',
    path: '/check-trials',
    role: 'engineer',
    onlyReads: true,
    apart: true,
    summary: 'Look at the text of a check, and try it on a device by what is known of it; nothing is saved',
    group: 'Checks',
    body: checkTrialBodySchema,
    reply: checkTrialSchema,
  }),
  'check.shipped': route({
    method: 'GET',
    path: '/shipped-checks',
    role: 'viewer',
    summary: 'The checks that ship, and which of them are entered',
    group: 'Checks',
    reply: items(shippedCheckSchema),
  }),
  'check.takeShipped': route({
    method: 'POST',
    path: '/shipped-checks',
    role: 'engineer',
    summary: 'Enter the checks that ship, those that stand already left alone',
    group: 'Checks',
    body: z.strictObject({
      checks: z.array(text(63)).min(1).max(100).optional().describe('Some of them by name; left out: all'),
      hour: z.int().min(0).max(23).optional().describe('When they are to be judged every day'),
    }),
    reply: z.object({ added: z.array(z.string()), standing: z.array(z.string()) }),
  }),
} as const satisfies Record<string, Route>;
