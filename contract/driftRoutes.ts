/** Routes of what devices should run: comparing, pushing, restoring, operations, drift. */
import { z } from 'zod';
import { deviceDriftSchema, differenceSchema, driftGroupSchema, driftQuerySchema } from './driftShapes.ts';
import {
  compareBodySchema,
  operationBodySchema,
  pushBodySchema,
  restoreBodySchema,
  runHeadSchema,
} from './fleetShapes.ts';
import { text } from './onboardingShapes.ts';
import { route, type Route } from './route.ts';

const items = <T extends z.ZodType>(item: T) => z.object({ items: z.array(item) });

export const driftRoutes = {
  'run.compare': route({
    method: 'POST',
    unforeseen: true,
    path: '/compares',
    role: 'engineer',
    summary: 'Hold what devices run, and what they have stored, against their published editions',
    group: 'Fleet',
    body: compareBodySchema,
    reply: runHeadSchema,
  }),
  'run.push': route({
    method: 'POST',
    unforeseen: true,
    path: '/pushes',
    role: 'engineer',
    apart: true,
    summary: 'Preview what would bring devices to their published editions: the smallest set of lines',
    group: 'Fleet',
    body: pushBodySchema,
    reply: runHeadSchema,
  }),
  'run.restore': route({
    method: 'POST',
    unforeseen: true,
    path: '/restores',
    role: 'engineer',
    apart: true,
    summary: 'Preview what would bring devices back to what was captured of them',
    group: 'Fleet',
    body: restoreBodySchema,
    reply: runHeadSchema,
  }),
  'run.operation': route({
    method: 'POST',
    unforeseen: true,
    path: '/operations',
    role: 'engineer',
    apart: true,
    summary:
      'Preview what devices are told to do: restart, wipe, or what their dialects name; their number confirms it',
    group: 'Fleet',
    body: operationBodySchema,
    reply: runHeadSchema,
  }),
  'run.again': route({
    method: 'POST',
    unforeseen: true,
    path: '/runs/{id}/again',
    role: 'engineer',
    apart: true,
    summary: 'Begin a run again as it was typed: selection, lines, questions, table; what changes devices is previewed',
    group: 'Fleet',
    body: z.strictObject({}),
    reply: runHeadSchema,
  }),
  'run.retry': route({
    method: 'POST',
    unforeseen: true,
    path: '/runs/{id}/retry',
    role: 'engineer',
    apart: true,
    summary: 'The same once more, for the devices that a run did not do well with',
    group: 'Fleet',
    body: z.strictObject({}),
    reply: runHeadSchema,
  }),
  'drift.list': route({
    method: 'GET',
    path: '/drift',
    role: 'viewer',
    summary: 'Devices that do not run what they should, those with the same difference together',
    group: 'Fleet',
    query: driftQuerySchema,
    reply: z.object({
      groups: z.array(driftGroupSchema),
      /** Devices that differ, and that were compared at all. */
      count: z.int(),
      compared: z.int(),
      more: z.boolean(),
    }),
  }),
  'drift.show': route({
    method: 'GET',
    path: '/devices/{ref}/drift',
    role: 'viewer',
    summary: 'One device: what it should run beside what it ran when it was compared last',
    group: 'Fleet',
    reply: z.object({ drift: deviceDriftSchema.nullable() }),
  }),
  'drift.means': route({
    method: 'GET',
    path: '/devices/{ref}/drift/meaning',
    role: 'engineer',
    apart: true,
    summary: 'What each difference of a device would mean for its records, tried and taken back',
    group: 'Fleet',
    reply: items(
      z.object({
        id: z.string(),
        difference: differenceSchema,
        /** Values and records that would make the line, in words. */
        means: z.array(z.string()),
        /** Why it cannot be taken over. */
        why: z.string().optional(),
      }),
    ),
  }),
  'drift.takeOver': route({
    method: 'POST',
    path: '/devices/{ref}/drift/take-over',
    role: 'engineer',
    apart: true,
    summary: 'Take differences of a device over into its settings, interfaces and VLANs',
    group: 'Fleet',
    body: z.strictObject({ take: z.array(text(40)).min(1).max(200).describe('Ids of differences') }),
    reply: z.object({ taken: z.array(z.string()) }),
  }),
} as const satisfies Record<string, Route>;
