/** Operations of a sheet: named acts that are neither questions nor configuration, and how it is seen that they succeeded. */
import { z } from 'zod';
import { compilePattern } from '../text/pattern.ts';
import { filledIn, filledPattern, holesIn, sampleValues, blankSchema } from './blanks.ts';
import type { SheetFault } from './sheetFault.ts';

/** What sheets know by a key of their own. */
export const ownOperations = ['restart', 'wipe'] as const;
export type OwnOperation = (typeof ownOperations)[number];
export const isOwnOperation = (name: string): name is OwnOperation =>
  (ownOperations as readonly string[]).includes(name);

const line = z.string().min(1).max(1000);
const fieldName = z.string().regex(/^[A-Za-z][A-Za-z0-9]*$/);

/** Looked at before and after, until it is so or its time is over. */
const proofSchema = z.strictObject({
  question: z.string().max(40).describe('A named question of this sheet, asked before and after'),
  row: z
    .record(fieldName, line)
    .default({})
    .describe('Which of its rows: fields with their values; blanks may stand in them'),
  is: z.record(fieldName, line).default({}).describe('Patterns that fields of that row have to fit afterwards'),
  asBefore: z.array(fieldName).max(10).default([]).describe('Fields that have to be as before'),
  changes: z.array(fieldName).max(10).default([]).describe('Fields that have to be others than before'),
  seconds: z.int().min(0).max(600).default(15).describe('How long it may take'),
});
export type Proof = z.output<typeof proofSchema>;

export const operationSchema = z.strictObject({
  title: z.string().min(1).max(60),
  about: z.string().max(300).optional(),
  changes: z
    .boolean()
    .default(true)
    .describe('false: it changes nothing on the device, and no device waits for another'),
  blanks: z.record(z.string().regex(/^[a-z][a-z0-9-]{0,29}$/), blankSchema).default({}),
  commands: z.array(line).min(1).max(10).describe('What is said to the device; {blank} is what stands in a blank'),
  answers: z
    .array(z.strictObject({ ask: line, say: z.string().max(200) }))
    .max(10)
    .default([])
    .describe('Questions that the device puts back, as patterns of its last line, and what is typed then'),
  seconds: z
    .int()
    .min(1)
    .max(3600)
    .optional()
    .describe('How long each command may take; left out: as long as all others'),
  succeeds: line.optional().describe('A pattern that a line of its answers has to fit; blanks may stand in it'),
  fields: z.array(line).max(20).default([]).describe('Patterns whose named parts are what it tells'),
  proves: proofSchema.optional(),
  touches: z.string().max(30).optional().describe('The blank with the port whose link is lost meanwhile'),
  hostKey: line
    .optional()
    .describe('The device shows another SSH host key afterwards: the part named fingerprint of its answer'),
});
export type Operation = z.output<typeof operationSchema>;

interface Knows {
  questions: Readonly<Record<string, unknown>>;
  operations: Readonly<Record<string, Operation>>;
}

/** What the schema cannot say. */
export function operationFaults({ questions, operations }: Knows): SheetFault[] {
  const faults: SheetFault[] = [];
  for (const [name, one] of Object.entries(operations)) {
    const add = (path: (string | number)[], message: string) =>
      faults.push({ path: ['operations', name, ...path], message });
    if (isOwnOperation(name)) add([], `${name} is a key of its own in a sheet`);
    const holes = (text: string, path: (string | number)[]): void => {
      for (const hole of holesIn(text)) if (!Object.hasOwn(one.blanks, hole)) add(path, `there is no blank {${hole}}`);
    };
    const patterned = (source: string, path: (string | number)[], group?: string): void => {
      holes(source, path);
      try {
        const { groups } = compilePattern(filledPattern(source, sampleValues(one.blanks)));
        if (group !== undefined && !groups.includes(group))
          add(path, `it has no part named ${group}: (?<${group}>...)`);
      } catch (error) {
        add(path, `no pattern: ${error instanceof Error ? error.message : ''}`);
      }
    };
    for (const [i, text] of one.commands.entries()) holes(text, ['commands', i]);
    for (const [i, { ask }] of one.answers.entries()) patterned(ask, ['answers', i, 'ask']);
    if (one.succeeds !== undefined) patterned(one.succeeds, ['succeeds']);
    for (const [i, source] of one.fields.entries()) patterned(source, ['fields', i]);
    if (one.hostKey !== undefined) patterned(one.hostKey, ['hostKey'], 'fingerprint');
    if (one.touches !== undefined && one.blanks[one.touches]?.is !== 'port')
      add(['touches'], `"${one.touches}" is not a blank for a port`);
    if (!one.proves) continue;
    if (!Object.hasOwn(questions, one.proves.question))
      add(['proves', 'question'], `there is no question ${one.proves.question}`);
    for (const [field, text] of Object.entries(one.proves.row)) holes(text, ['proves', 'row', field]);
    for (const [field, source] of Object.entries(one.proves.is)) patterned(source, ['proves', 'is', field]);
  }
  return faults;
}

export type ProofRows = readonly Readonly<Record<string, string>>[];

const rowOf = (
  rows: ProofRows,
  wanted: Readonly<Record<string, string>>,
): Readonly<Record<string, string>> | undefined =>
  rows.find((row) => Object.entries(wanted).every(([field, value]) => row[field] === value));

/** The row that a proof is about, blanks filled in. */
export const provenRow = (
  { row }: Proof,
  rows: ProofRows,
  values: Readonly<Record<string, string>>,
): Readonly<Record<string, string>> | undefined =>
  rowOf(rows, Object.fromEntries(Object.entries(row).map(([field, text]) => [field, filledIn(text, values, false)])));

/** What is not as it has to be after an operation, in words; empty: it succeeded. */
export function unproved(
  proof: Proof,
  { before, after, values }: { before: ProofRows; after: ProofRows; values: Readonly<Record<string, string>> },
): string[] {
  const was = provenRow(proof, before, values);
  const now = provenRow(proof, after, values);
  const which = Object.values(proof.row)
    .map((text) => filledIn(text, values, false))
    .join(' ');
  if (!now) return [`the answer to ${proof.question} has nothing about ${which === '' ? 'it' : which}`];
  const out: string[] = [];
  const told = (field: string): string => (now[field] === undefined ? 'not told' : `"${now[field]}"`);
  for (const [field, source] of Object.entries(proof.is))
    if (!compilePattern(filledPattern(source, values)).test(now[field] ?? '')) out.push(`${field} is ${told(field)}`);
  for (const field of proof.asBefore)
    if (!was) out.push(`nothing was told of ${field} before`);
    else if (now[field] !== was[field]) out.push(`${field} is ${told(field)}, and was "${was[field] ?? ''}"`);
  for (const field of proof.changes)
    if (now[field] === undefined || now[field] === was?.[field]) out.push(`${field} is ${told(field)}, as before`);
  return out;
}

/** The fields that an operation tells in its answer. */
export function toldBy(
  { fields }: Pick<Operation, 'fields'>,
  answer: string,
  values: Readonly<Record<string, string>>,
): Record<string, string> {
  const out: Record<string, string> = {};
  const patterns = fields.map((source) => compilePattern(filledPattern(source, values)));
  for (const raw of answer.split('\n'))
    for (const pattern of patterns) Object.assign(out, pattern.find(raw.trimEnd()) ?? {});
  return out;
}
