/** A run as it is being put together: whether it can begin, and what is asked for then. */
import { fieldIn, type Expectation, type ExpectationKind } from '@zpine/core/fleet/expectations';
import type { Client } from '@zpine/contract/client';
import type { Problem } from '@zpine/contract/errors';
import type { RunHead } from '@zpine/contract/fleetShapes';
import type { RunKind } from '@zpine/contract/runKinds';

/** What is begun by a selection; restores begin at captures. */
export type DraftKind = Exclude<RunKind, 'restore'>;

export type RunDraft = {
  kind: DraftKind;
  where: string;
  /** Of an ask. */
  questions: string[];
  command: string;
  expect: string;
  expectKind: ExpectationKind;
  /** A part of what runs, by the beginning of a line, or lines that fit. */
  part: string;
  partLines: string;
  /** Of questions and operations. */
  blanks: Record<string, string>;
  operation: string;
  /** Of an errand. */
  lines: string;
  before: string[];
  /** What their answers have to say afterwards, a line each. */
  expectAfter: string;
  keep: boolean;
  insist: boolean;
  /** Of a push: editions may be stale. */
  stale: boolean;
  /** Of a push: secrets that nobody can compare are sent anyway. */
  secrets: boolean;
  reason: string;
  /** Of an upgrade: this one, whatever the layers say. */
  image: string;
  /** One column or one row a device. */
  table: string;
};

export const emptyDraft: RunDraft = {
  kind: 'reach',
  where: '',
  questions: [],
  command: '',
  expect: '',
  expectKind: 'has',
  part: '',
  partLines: '',
  blanks: {},
  operation: '',
  lines: '',
  before: [],
  expectAfter: '',
  keep: true,
  insist: false,
  stale: false,
  secrets: false,
  reason: '',
  image: '',
  table: '',
};

const takesTable = (kind: RunKind): boolean => ['ask', 'errand', 'operation'].includes(kind);

const linesIn = (text: string): string[] =>
  text
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line !== '');

/** `count`: how many devices the selection has, as far as that is known. */
export function isReady(draft: RunDraft, count: number | undefined): boolean {
  const { kind, where, table, questions, command, lines, insist, reason } = draft;
  if (count === 0 || (where === '' && (table === '' || !takesTable(kind)))) return false;
  if (kind === 'ask') return questions.length > 0 || command.trim() !== '' || table !== '' || wantsPart(draft);
  if (kind === 'operation') return draft.operation !== '' && (!insist || reason.trim() !== '');
  if (kind === 'errand') return (lines.trim() !== '' || table !== '') && (!insist || reason.trim() !== '');
  if (kind === 'push' || kind === 'upgrade') return !insist || reason.trim() !== '';
  return true;
}

const wantsPart = ({ part, partLines }: RunDraft): boolean => part.trim() !== '' || partLines.trim() !== '';

/** What stands in the blanks that a question has. */
function blanksFor(question: string, { blanks }: RunDraft, known: Knows): Record<string, string> | undefined {
  const names = known.blanksOf(question);
  const given = Object.entries(blanks).filter(([name, value]) => names.includes(name) && value.trim() !== '');
  return given.length === 0 ? undefined : Object.fromEntries(given);
}

/** The blanks of questions and operations, by the names of these. */
export interface Knows {
  blanksOf: (name: string) => string[];
}

/** A word of an answer, or a field and its value. */
const expectsIn = ({ before, expectAfter }: RunDraft): Expectation[] =>
  before.length === 0
    ? []
    : linesIn(expectAfter).map((text): Expectation => ({ kind: fieldIn(text) ? 'field' : 'has', text }));

/** All that is wrong with it, in words. */
export const faultWords = ({ detail, remedy, errors }: Problem): string[] =>
  (errors?.length ? errors : [{ detail, remedy }]).map((one) => [one.detail, one.remedy].filter(Boolean).join('; '));

/** Asks for the run; gives what was begun. */
export function begin(client: Pick<Client, 'call'>, draft: RunDraft, known: Knows): Promise<RunHead> {
  const { kind, questions, command, expectKind, before, keep, insist } = draft;
  const selection = draft.where === '' ? {} : { where: draft.where };
  if (kind === 'reach') return client.call('run.reach', { body: selection });
  if (kind === 'capture') return client.call('run.capture', { body: selection });
  if (kind === 'check') return client.call('run.check', { body: selection });
  if (kind === 'compare') return client.call('run.compare', { body: selection });
  const why = insist ? { reason: draft.reason.trim() } : {};
  if (kind === 'push')
    return client.call('run.push', {
      body: {
        ...selection,
        questions: before,
        expect: expectsIn(draft),
        keep,
        insist,
        stale: draft.stale,
        secrets: draft.secrets,
      },
      ...why,
    });
  if (kind === 'upgrade') {
    const image = draft.image === '' ? {} : { image: draft.image };
    const body = { ...selection, ...image, questions: before, expect: expectsIn(draft), insist };
    return client.call('run.upgrade', { body, ...why });
  }
  const many = draft.table === '' ? selection : { ...selection, perDevice: { text: draft.table } };
  if (kind === 'operation') {
    const blanks = Object.fromEntries(
      Object.entries(draft.blanks).filter(
        ([name, value]) => known.blanksOf(draft.operation).includes(name) && value.trim() !== '',
      ),
    );
    return client.call('run.operation', { body: { ...many, operation: draft.operation, blanks, insist }, ...why });
  }
  if (kind === 'ask') {
    const [part, partLines] = [draft.part.trim(), draft.partLines.trim()];
    const asks = [
      ...questions.map((question) => {
        const blanks = blanksFor(question, draft, known);
        return { question, ...(blanks ? { blanks } : {}) };
      }),
      ...linesIn(command).map((line) => ({ command: line })),
      ...(wantsPart(draft)
        ? [{ ...(part === '' ? {} : { part }), ...(partLines === '' ? {} : { lines: partLines }) }]
        : []),
    ];
    const expect = linesIn(draft.expect).map((text) => ({ kind: expectKind, text }));
    return client.call('run.ask', { body: { ...many, asks, expect } });
  }
  const lines = draft.lines.trim() === '' ? {} : { lines: draft.lines };
  return client.call('run.errand', {
    body: { ...many, ...lines, questions: before, expect: expectsIn(draft), keep, insist },
    ...why,
  });
}
