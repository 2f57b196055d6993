/** Shapes of checks: how they are run, and what they found. */
import { z } from 'zod';
import { checkStates } from '@zpine/core/checks/judge';
import { text, time, templateFaultSchema } from './onboardingShapes.ts';
import { selection } from './fleetShapes.ts';

/** As people read it; an exception is a matter of today, not of what was found. */
export const shownStates = [...checkStates, 'excepted'] as const;
export type ShownState = (typeof shownStates)[number];
export const stateWords: Record<ShownState, string> = {
  holds: 'holds',
  broken: 'does not hold',
  unknown: 'not known',
  excepted: 'excepted',
};

export const checkRunBodySchema = z.strictObject({
  ...selection,
  checks: z.array(text(63)).min(1).max(200).optional().describe('Checks by name; left out: all'),
  captured: z.boolean().default(false).describe('By records and last captures, without asking the devices'),
});

export const checkResultSchema = z.object({
  check: z.string(),
  title: z.string(),
  severity: z.string(),
  device: z.string(),
  state: z.enum(shownStates),
  findings: z.array(z.string()),
  /** Why it is not known. */
  why: z.string(),
  /** Since when it is so, and when that was last found. */
  since: time,
  judgedAt: time,
  run: z.int().nullable(),
  /** The last day of an exception, and why there is one. */
  until: z.string().nullable(),
  because: z.string().nullable(),
  remedy: z.string(),
  /** A command that mends it; empty where nothing does by itself. */
  command: z.string(),
  /** Of an errand, the lines that mend it. */
  lines: z.string(),
});
export type ShownResult = z.output<typeof checkResultSchema>;

export const checkResultsQuerySchema = z.strictObject({
  check: text(63).optional().describe('Of this check alone'),
  device: text(255).optional().describe('Of this device alone'),
  where: text(2000).optional().describe('Of these devices: site=ard duty=access'),
  state: z.enum(shownStates).optional().describe('holds, broken, unknown or excepted'),
  limit: z.coerce.number().int().min(1).max(20_000).default(500),
});

export const checkCountsSchema = z.object({
  check: z.string(),
  title: z.string(),
  severity: z.string(),
  where: z.string(),
  hour: z.int().nullable(),
  /** Devices that it is for, and of them those that it holds on, does not, and so on; `unjudged`: never looked at. */
  devices: z.int(),
  holds: z.int(),
  broken: z.int(),
  unknown: z.int(),
  excepted: z.int(),
  unjudged: z.int(),
  judgedAt: time.nullable(),
  /** Why nobody can tell for which devices it is. */
  fault: z.string().nullable(),
});
export type CheckCounts = z.output<typeof checkCountsSchema>;

export const checkPastSchema = z.object({
  at: time,
  device: z.string(),
  state: z.enum(checkStates),
  findings: z.array(z.string()),
  why: z.string(),
  run: z.int().nullable(),
});

export const checkTrialBodySchema = z.strictObject({
  source: z.string().max(32_768).describe('The text of a check'),
  device: text(255).describe('On which it is tried, by its records and last captures'),
});

export const checkTrialSchema = z.object({
  faults: z.array(templateFaultSchema),
  state: z.enum(checkStates).nullable(),
  findings: z.array(z.string()),
  why: z.string(),
  /** What the device would be asked. */
  questions: z.array(z.string()),
});

export const shippedCheckSchema = z.object({ name: z.string(), title: z.string(), entered: z.boolean() });
