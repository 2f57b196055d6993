/** Shapes of what the fleet's routes take and give. */
import { z } from 'zod';
import { checkStates } from '@zpine/core/checks/judge';
import { blankSchema } from '@zpine/core/dialect/blanks';
import { expectationKinds } from '@zpine/core/fleet/expectations';
import { outcomes } from '@zpine/core/fleet/outcomes';
import { rungNames } from '@zpine/core/fleet/rungs';
import { hasControl } from './fieldTexts.ts';
import { runKinds } from './runKinds.ts';
import { comparisonSchema, fileDriftSchema } from './driftShapes.ts';
import { text, time } from './onboardingShapes.ts';

/** Which devices: named, or by a selection expression. */
export const selection = {
  devices: z.array(text(255)).min(1).max(20_000).optional().describe('Devices by key or #id'),
  where: text(2000).optional().describe('A selection: site=ard duty=access'),
};

/** Lines as somebody typed them: breaks allowed, other control characters not. */
const linesSchema = z
  .string()
  .max(65_536)
  .transform((typed) => typed.replace(/\r\n/g, '\n'))
  .refine((typed) => !hasControl(typed, true), { params: { code: 'text-control', params: {} } });
const commandSchema = z.string().trim().min(1).max(1000);

/** What stands in blanks, by their names. */
export const blanksSchema = z.record(z.string().regex(/^[a-z][A-Za-z0-9-]{0,29}$/), text(500));

const askedSchema = z.strictObject({
  command: commandSchema.optional().describe('A command that only reads'),
  question: text(40).optional().describe('A named question of the dialects'),
  blanks: blanksSchema.optional().describe('What stands in the blanks of the question'),
  rows: text(1000).optional().describe('Of a command: a pattern; each line that fits is a row of its named parts'),
  part: text(500)
    .optional()
    .describe('Instead: a part of what runs, by the beginning of a line: all that stands below it'),
  lines: text(500)
    .optional()
    .describe('Instead, or of that part: the lines that fit a pattern, with the blocks they stand in'),
});

const expectationSchema = z.strictObject({ kind: z.enum(expectationKinds), text: text(500) });

/** A table with one column or one row a device, as CSV. */
export const sheetOfLinesSchema = z.strictObject({
  text: z.string().min(1).max(4_000_000),
  by: z.enum(['columns', 'rows']).optional().describe('Left out: seen by where the names of devices stand'),
});

export const askBodySchema = z.strictObject({
  ...selection,
  asks: z.array(askedSchema).max(20).default([]),
  perDevice: sheetOfLinesSchema.optional().describe('Commands that differ from device to device, as CSV'),
  expect: z.array(expectationSchema).max(50).default([]),
});

/** How a change proves that it did what it should. */
const afterwards = {
  questions: z.array(text(40)).max(10).default([]).describe('Named questions, asked before and after'),
  expect: z
    .array(expectationSchema)
    .max(50)
    .default([])
    .describe('What the answers to these questions have to say afterwards; names of templates may stand in it'),
};

export const errandBodySchema = z.strictObject({
  ...selection,
  lines: linesSchema.optional().describe('Lines as in a configuration; "- " before a line takes it away'),
  perDevice: sheetOfLinesSchema.optional().describe('Lines that differ from device to device, as CSV'),
  away: z.boolean().default(false).describe('Take away what the lines say, wherever it stands'),
  secretsFrom: z
    .int()
    .positive()
    .optional()
    .describe('The number of a capture: dots in the lines stand for what it has there'),
  secretsFromEdition: z
    .strictObject({ device: text(255), number: z.int().positive() })
    .optional()
    .describe('The same of an edition'),
  ...afterwards,
  keep: z.boolean().default(true).describe('Have the devices store what then runs'),
  perSite: z.int().min(1).max(200).optional().describe('So many devices of one site at a time'),
  everything: z.boolean().default(false).describe('The selection may be every device there is'),
  insist: z.boolean().default(false).describe('Send it although the service would lose its way in; needs a reason'),
});

export const upgradeBodySchema = z.strictObject({
  ...selection,
  image: text(63).optional().describe('Left out: the one that each device wants by its layers'),
  ...afterwards,
  perSite: z.int().min(1).max(200).optional().describe('So many devices of one site at a time'),
  everything: z.boolean().default(false).describe('The selection may be every device there is'),
  insist: z
    .boolean()
    .default(false)
    .describe('Even where lines that run are not stored, and go with the restart; needs a reason'),
});

export const compareBodySchema = z.strictObject({
  ...selection,
  captured: z.boolean().default(false).describe('By their last captures, without asking the devices'),
});

export const pushBodySchema = z.strictObject({
  ...selection,
  ...afterwards,
  keep: z.boolean().default(true).describe('Have the devices store what then runs'),
  everything: z.boolean().default(false).describe('The selection may be every device there is'),
  insist: z.boolean().default(false).describe('Send it although the service would lose its way in; needs a reason'),
  perSite: z.int().min(1).max(200).optional().describe('So many devices of one site at a time'),
  stale: z.boolean().default(false).describe('Push editions, too, whose inputs have changed since they were made'),
  secrets: z
    .boolean()
    .default(false)
    .describe('Send secrets, too, that devices do not show well enough to say whether they are right'),
});

export const restoreBodySchema = z.strictObject({
  captures: z
    .array(z.int().positive())
    .min(1)
    .max(2000)
    .describe('Numbers of captures: of a device its running or its stored configuration, and files beside'),
  keep: z.boolean().default(true).describe('Have the devices store what then runs'),
  whole: z
    .boolean()
    .default(false)
    .describe('Put it in as a whole and restart, instead of changing what differs: where the dialect knows how'),
  insist: z.boolean().default(false).describe('Send it although the service would lose its way in; needs a reason'),
});

export const operationBodySchema = z.strictObject({
  ...selection,
  operation: text(40).describe('restart, wipe, or one that the dialects of the devices name'),
  blanks: blanksSchema.default({}).describe('What stands in its blanks; names of templates may stand in it'),
  perDevice: sheetOfLinesSchema
    .optional()
    .describe('Blanks that differ from device to device: a table with a head row, one column of which is the device'),
  insist: z.boolean().default(false).describe('Do it although the service would lose its way in; needs a reason'),
  hours: z
    .number()
    .positive()
    .max(24 * 14)
    .optional()
    .describe('Of a wipe: the arrival window that is opened, so that it boots from here'),
  everything: z.boolean().default(false).describe('The selection may be every device there is'),
});

export const runHeadSchema = z.object({
  id: z.int(),
  kind: z.enum(runKinds),
  state: z.enum(['waiting', 'working', 'previewed', 'ended']),
  title: z.string(),
  selection: z.string(),
  /** How many devices it is for, and how many are done with. */
  expected: z.int(),
  done: z.int(),
  counts: z.partialRecord(z.enum(outcomes), z.int()),
  /** Of an errand or a push that was looked at: how many devices it would change. */
  toDo: z.int(),
  madeAt: time,
  startedAt: time.nullable(),
  endedAt: time.nullable(),
  by: z.string(),
  reason: z.string().nullable(),
  stopping: z.boolean(),
  /** Devices that are not begun with wait. */
  paused: z.boolean(),
  /** It changes nothing: all devices at once, and none waits for another. */
  sideBySide: z.boolean().optional(),
  /** The errand or push that this one takes back. */
  takesBack: z.int().nullable(),
  /** What ended it early. */
  ended: z.string().nullable(),
  version: z.int(),
});
export type RunHead = z.output<typeof runHeadSchema>;

const rungFoundSchema = z.object({
  rung: z.enum(rungNames),
  state: z.enum(['holds', 'gives', 'open', 'not tried']),
  detail: z.string(),
  ms: z.int(),
});

export const hostKeyShownSchema = z.object({
  fingerprint: z.string(),
  algorithm: z.string(),
  /** The public key itself, in base64. */
  key: z.string().optional(),
});

const fieldsRowSchema = z.record(z.string(), z.string());

const answerSchema = z.object({
  /** The command, or the name of the question. */
  ask: z.string(),
  command: z.string(),
  /** Secrets are masked. */
  text: z.string(),
  rows: z.array(fieldsRowSchema),
  digest: z.string(),
  bytes: z.int(),
  /** Only the beginning was read. */
  cut: z.boolean(),
  refused: z.string().nullable(),
  missed: z.array(expectationSchema),
});
export type ShownAnswer = z.output<typeof answerSchema>;

const capturedShownSchema = z.object({
  file: z.string(),
  bytes: z.int(),
  /** Equal for equal contents; keyed, so that nobody can try words for a secret in it. */
  fingerprint: z.string(),
  changed: z.boolean(),
  binary: z.boolean(),
  failed: z.string().nullable(),
});

const errandStepSchema = z.object({
  above: z.array(z.string()),
  line: z.string(),
  away: z.boolean(),
  instead: z.string().nullable(),
  right: z.boolean(),
});

const errandDoneSchema = z.object({
  steps: z.array(errandStepSchema),
  /** What was sent, and what the device said to it. */
  sent: z.array(z.object({ command: z.string(), said: z.string(), refused: z.string().nullable() })),
  kept: z.enum(['kept', 'not asked for', 'not kept', 'nothing to keep']).nullable(),
  questions: z.array(
    z.object({
      question: z.string(),
      before: z.string(),
      after: z.string().nullable(),
      /** What is another line afterwards, with `-` or `+` before it. */
      changes: z.array(z.string()).optional(),
    }),
  ),
  /** What the answers do not say afterwards. */
  missed: z.array(expectationSchema).optional(),
  /** What is odd about its lines. */
  warnings: z.array(z.string()).optional(),
  /** Files that it brings or takes away. */
  files: z.array(fileDriftSchema).optional(),
});
export type ErrandDone = z.output<typeof errandDoneSchema>;

/** What a device said of itself; null for what it did not say. */
export const metSchema = z.object({
  dialect: z.string(),
  name: z.string().nullable(),
  model: z.string().nullable(),
  version: z.string().nullable(),
  serial: z.string().nullable(),
  mac: z.string().nullable(),
});
export type Met = z.output<typeof metSchema>;

/** What would come into the records of what devices said of themselves, or came. */
export const takenSchema = z.object({
  applied: z.boolean(),
  items: z.array(
    z.object({
      device: z.string(),
      changes: z.array(z.object({ field: z.string(), from: z.string().nullable(), to: z.string() })),
      /** What is not taken, and why. */
      left: z.array(z.string()),
    }),
  ),
});

export const runRowSchema = z.object({
  device: z.string(),
  state: z.enum(['waiting', 'working', 'done']),
  outcome: z.enum(outcomes).nullable(),
  detail: z.string(),
  startedAt: time.nullable(),
  ms: z.int().nullable(),
  rungs: z.array(rungFoundSchema).optional(),
  hostKey: hostKeyShownSchema.nullable().optional(),
  /** Of a device that was reached: what it says that it is. */
  met: metSchema.optional(),
  answers: z.array(answerSchema).optional(),
  files: z.array(capturedShownSchema).optional(),
  errand: errandDoneSchema.optional(),
  /** What it should run held against what it ran, and how many lines of that are not stored. */
  compared: z
    .object({ edition: z.int().nullable(), comparison: comparisonSchema.nullable(), unkept: z.int().nullable() })
    .optional(),
  /** Of checks: what each of them came to. */
  judged: z
    .array(z.object({ check: z.string(), state: z.enum(checkStates), findings: z.array(z.string()), why: z.string() }))
    .optional(),
  /** Of a push: the edition that the device is brought to. */
  edition: z.int().optional(),
});
export type RunRow = z.output<typeof runRowSchema>;

export const run = runHeadSchema.extend({
  rows: z.array(runRowSchema),
  asks: z.array(z.string()),
  expect: z.array(expectationSchema),
});
export type ShownRun = z.output<typeof run>;

export const answerGroupSchema = z.object({
  ask: z.string(),
  /** `37 alike, 3 differ`. */
  words: z.string(),
  groups: z.array(
    z.object({
      devices: z.array(z.string()),
      text: z.string(),
      /** Against the answer of the largest group: lines with `-`, `+` or a blank before them. */
      diff: z.array(z.string()),
    }),
  ),
  failing: z.array(z.object({ device: z.string(), missed: z.array(expectationSchema) })),
});

export const captureSchema = z.object({
  id: z.int(),
  device: z.string(),
  file: z.string(),
  bytes: z.int(),
  /** Equal for equal contents; keyed, so that nobody can try words for a secret in it. */
  fingerprint: z.string(),
  binary: z.boolean(),
  /** When this text was first seen, and last. */
  firstAt: time,
  lastAt: time,
  run: z.int().nullable(),
  current: z.boolean(),
  /** It was looked for, and was not there. */
  gone: z.boolean(),
});
export type ShownCapture = z.output<typeof captureSchema>;

export const diffLineSchema = z.object({ sign: z.enum([' ', '+', '-']), text: z.string() });

export const blankShownSchema = blankSchema.extend({ name: z.string() });
export type ShownBlank = z.output<typeof blankShownSchema>;

export const dialectWordsSchema = z.object({
  dialect: z.string(),
  title: z.string(),
  questions: z.array(
    z.object({
      question: z.string(),
      about: z.string(),
      command: z.string(),
      fields: z.array(z.string()),
      blanks: z.array(blankShownSchema),
    }),
  ),
  operations: z.array(
    z.object({ operation: z.string(), title: z.string(), about: z.string(), blanks: z.array(blankShownSchema) }),
  ),
});
export type DialectWords = z.output<typeof dialectWordsSchema>;

export const sheetFaultSchema = z.object({ line: z.int(), column: z.int(), place: z.string(), message: z.string() });

export const triedSchema = z.object({
  what: z.string(),
  command: z.string(),
  fits: z.boolean(),
  detail: z.string(),
  rows: z.array(fieldsRowSchema),
});

export const watchedSchema = z.object({
  device: z.string(),
  what: z.string(),
  state: z.string(),
  since: time,
  flapping: z.boolean(),
  lookedAt: time,
});

export const deliverySchema = z.object({
  id: z.int(),
  at: time,
  url: z.string(),
  subject: z.string(),
  tries: z.int(),
  sentAt: time.nullable(),
  fault: z.string().nullable(),
  /** When it is tried again; null: it is sent, or given up. */
  nextAt: time.nullable(),
});

export const noticeSchema = z.object({
  id: z.int(),
  at: time,
  device: z.string(),
  what: z.string(),
  text: z.string(),
  /** The device that is at the bottom of it, once its letter was written. */
  cause: z.string().nullable(),
  mailedAt: time.nullable(),
  mailFault: z.string().nullable(),
});
