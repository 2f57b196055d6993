/** Routes that take in, give out and take back many records at once. */
import { z } from 'zod';
import { kindNames, type KindName } from './kinds.ts';
import { route, type Route } from './route.ts';

/** What rows of an import can be: records of the kinds, and values of settings in layers. */
export const importKinds = [...kindNames, 'value'] as const;
export type ImportKind = KindName | 'value';
export const isImportKind = (name: string): name is ImportKind => (importKinds as readonly string[]).includes(name);

const text = (max = 255) => z.string().trim().min(1).max(max);
const formats = ['csv', 'yaml', 'json'] as const;

const faultSchema = z.object({
  /** Which text, where there are several. */
  file: z.string().nullable(),
  /** As a spreadsheet counts: the head of a CSV is row 1. Of YAML and JSON, the place in its list, from 1. 0 for the whole file. */
  row: z.int(),
  kind: z.string().nullable(),
  column: z.string().nullable(),
  value: z.string().nullable(),
  code: z.string(),
  detail: z.string(),
  remedy: z.string().nullable(),
});
export type ImportFault = z.output<typeof faultSchema>;

const importedRowSchema = z.object({
  file: z.string().nullable(),
  row: z.int(),
  kind: z.string(),
  key: z.string(),
  action: z.enum(['add', 'edit']),
  changes: z.array(z.object({ field: z.string(), before: z.json(), after: z.json() })),
});
export type ImportedRow = z.output<typeof importedRowSchema>;

const undoneRowSchema = z.object({ kind: z.string(), key: z.string(), action: z.enum(['removed', 'edited', 'added']) });

const columnsSchema = z
  .record(z.string(), z.string().nullable())
  .default({})
  .describe('Fields of columns whose heads are called otherwise; null leaves a column out; remembered once saved');

export const outcomeSchema = z.object({
  format: z.enum(formats),
  applied: z.boolean(),
  rows: z.int(),
  counts: z.object({ add: z.int(), edit: z.int(), same: z.int() }),
  /** The first five hundred that would be added or edited. */
  items: z.array(importedRowSchema),
  /** The first five hundred. */
  faults: z.array(faultSchema),
  /** How many there are, as far as was read. */
  faultCount: z.int(),
  /** Heads of a CSV, each with the field that it is taken for. */
  heads: z.array(z.object({ column: z.string(), field: z.string().nullable(), remembered: z.boolean() })),
  /** Where prefixes were added: their place in the tree. */
  tree: z
    .object({
      /** In others, of this import or from before. */
      nested: z.int(),
      /** In none; the first twenty. */
      tops: z.array(z.string()),
      topCount: z.int(),
      /** Prefixes that stood before and are inside new ones now. */
      takenOver: z.int(),
      /** The same space in another VRF; the first twenty. */
      overlaps: z.array(z.tuple([z.string(), z.string()])),
      overlapCount: z.int(),
    })
    .nullable(),
});
export type ImportOutcome = z.output<typeof outcomeSchema>;

/** Who says what a word of a list means. */
const meaningSources = ['said', 'remembered', 'guessed'] as const;

/** How far an uploaded import is. */
export const uploadStates = [
  'waiting',
  'reading',
  'read',
  'saving',
  'saved',
  'refused',
  'cancelled',
  'failed',
] as const;

const uploadSchema = z.object({
  id: z.int(),
  name: z.string(),
  state: z.enum(uploadStates),
  bytes: z.int(),
  /** How much of it was looked at, and how many rows that were. */
  bytesDone: z.int(),
  rowsDone: z.int(),
  encoding: z.enum(['utf-8', 'windows-1252']),
  startedBy: z.string(),
  at: z.string(),
  /** What would come of it, or came of it; null until then. */
  outcome: outcomeSchema.nullable(),
  /** Why it failed. */
  failure: z.string().nullable(),
});
export type Upload = z.output<typeof uploadSchema>;

export const importRoutes = {
  'import.run': route({
    method: 'POST',
    large: true,
    path: '/imports',
    role: 'engineer',
    apart: true,
    summary: 'Take in records from CSV, YAML or JSON: what would come of it, or all of it in one change set',
    group: 'Import',
    body: z.strictObject({
      text: z.string().min(1).optional(),
      files: z
        .array(z.strictObject({ name: text(), text: z.string(), kind: text(30).optional() }))
        .min(1)
        .max(500)
        .optional()
        .describe('Instead of one text several, taken in together'),
      kind: text(30).optional().describe('Of all rows; YAML and JSON may have rows below the names of their kinds'),
      as: z.enum(formats).optional().describe('Left out, it is told by the content'),
      apply: z.boolean().default(false).describe('Left out, nothing is saved'),
      columns: columnsSchema,
    }),
    reply: outcomeSchema,
  }),
  'import.scan': route({
    method: 'POST',
    path: '/scans',
    role: 'engineer',
    apart: true,
    summary: 'Boxes from the scans of a barcode reader: into stock, or fitted to devices that wait for one',
    group: 'Import',
    body: z.strictObject({
      text: z.string().min(1).max(1_000_000).describe('One scan a line, or a table of model, serial, mac in any order'),
      model: text().optional().describe('Of boxes whose model is not among the scans'),
      whereabouts: text(200).optional().describe('Where they lie'),
      owner: text().optional(),
      labels: text(1000).optional(),
      where: text(2000).optional().describe('Devices without a box that get one each, in the order of their names'),
      apply: z.boolean().default(false).describe('Left out, nothing is saved'),
    }),
    reply: outcomeSchema,
  }),
  'import.paste': route({
    method: 'POST',
    path: '/pasted-devices',
    role: 'engineer',
    apart: true,
    summary: 'Devices that run already, from a list of names and addresses: they become unproved',
    group: 'Import',
    body: z.strictObject({
      text: z
        .string()
        .min(1)
        .max(1_000_000)
        .describe(
          'Lines of a hosts file, a table with blanks, tabs or commas between, or a tree of groups in INI or YAML',
        ),
      means: z
        .record(z.string().min(1).max(100), z.string().trim().min(1).max(200))
        .default({})
        .describe(
          'What words of the list mean: address, user, password, setting NAME, members ...; [GROUP]: label NAME, site NAME ...; WORD:VALUE: as it is called here; remembered once saved',
        ),
      dialect: text().optional(),
      site: text().optional(),
      duty: text().optional(),
      model: text().optional(),
      vrf: text().optional(),
      labels: text(1000).optional(),
      label: text(40).optional().describe('The label that holds the login settings; one is made when not given'),
      user: text(63).optional().describe('By whom the service signs in'),
      password: z.string().min(1).max(500).optional(),
      port: z.int().min(1).max(65535).optional(),
      length: z
        .int()
        .min(0)
        .max(128)
        .optional()
        .describe('Of prefixes that are made for addresses which no prefix covers'),
      apply: z.boolean().default(false).describe('Left out, nothing is saved'),
    }),
    reply: outcomeSchema.extend({
      label: z.string().nullable(),
      form: z.enum(['lines', 'ini', 'yaml']),
      /** Words of the list with what they were taken for; null for those that have no counterpart, and are left out. */
      words: z.array(
        z.object({
          word: z.string(),
          means: z.string().nullable(),
          by: z.enum(meaningSources).nullable(),
          times: z.int(),
          /** Null where it is a secret, or sounds like one. */
          example: z.string().nullable(),
        }),
      ),
      groups: z.array(z.object({ group: z.string(), hosts: z.int(), means: z.string(), by: z.enum(meaningSources) })),
    }),
  }),
  'import.upload': route({
    method: 'POST',
    own: true,
    unforeseen: true,
    path: '/uploads',
    role: 'engineer',
    summary: 'Send a large file as the body of the request; it is looked at in the background',
    group: 'Import',
    query: z.strictObject({
      name: text().default('upload'),
      kind: text(30).optional(),
      as: z.enum(formats).optional(),
      columns: text(10_000).optional().describe('As JSON: fields of columns whose heads are called otherwise'),
      apply: z.enum(['true', 'false']).default('false').describe('Save at once what is read without a fault'),
    }),
    reply: uploadSchema,
    status: 201,
    unrecorded: true,
  }),
  'import.show': route({
    method: 'GET',
    path: '/uploads/{id}',
    role: 'engineer',
    summary: 'How far an uploaded import is, and what would come of it',
    group: 'Import',
    reply: uploadSchema,
  }),
  'import.apply': route({
    method: 'POST',
    path: '/uploads/{id}/apply',
    role: 'engineer',
    summary: 'Save an uploaded import that was read without a fault; in the background, in one change set',
    group: 'Import',
    reply: uploadSchema,
  }),
  'import.cancel': route({
    method: 'POST',
    unforeseen: true,
    path: '/uploads/{id}/cancel',
    role: 'engineer',
    summary: 'Stop an uploaded import: nothing of it is saved',
    group: 'Import',
    reply: uploadSchema,
  }),
  'import.example': route({
    method: 'GET',
    path: '/examples/{kind}',
    role: 'viewer',
    summary: 'A file of a few rows that an import of this kind would take',
    group: 'Import',
    query: z.strictObject({ as: z.enum(formats).default('csv') }),
    reply: z.object({ text: z.string() }),
  }),
  'export.run': route({
    method: 'GET',
    path: '/exports',
    role: 'viewer',
    apart: true,
    summary: 'Records as a text that can be imported again',
    group: 'Import',
    query: z.strictObject({
      kinds: text(500).optional().describe('With commas; all of them if not given. CSV has one'),
      as: z.enum(formats).default('yaml'),
      where: text(2000).optional().describe('Only what a selection lets through; with one kind'),
    }),
    reply: z.object({
      text: z.string(),
      records: z.int(),
      /** Values of secret settings, which are never given out. */
      secretsLeftOut: z.int(),
    }),
  }),
  'history.undo': route({
    method: 'POST',
    path: '/history/{id}/undo',
    role: 'engineer',
    apart: true,
    summary: 'Undo one change set, whole; refused where something newer depends on it',
    group: 'History',
    body: z.strictObject({ apply: z.boolean().default(true).describe('False: only what would come of it') }),
    reply: z.object({
      undone: z.int(),
      applied: z.boolean(),
      /** The first five hundred. */
      items: z.array(undoneRowSchema),
      count: z.int(),
    }),
  }),
} as const satisfies Record<string, Route>;
