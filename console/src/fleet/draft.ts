/** A run as it is being put together: whether it can begin, and what is asked for then. */
import { fieldIn, type Expectation, type ExpectationKind } from '@zpine/core/fleet/expectations';
import type { Client } from '@zpine/contract/client';
import type { RunHead } from '@zpine/contract/fleetShapes';
import type { RunKind } from '@zpine/contract/runKinds';

/** What is begun by a selection; restores begin at captures, operations at devices. */
export type DraftKind = Exclude<RunKind, 'restore' | 'operation'>;

export type RunDraft = {
  kind: DraftKind;
  where: string;
  /** Of an ask. */
  questions: string[];
  command: string;
  expect: string;
  expectKind: ExpectationKind;
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
  lines: '',
  before: [],
  expectAfter: '',
  keep: true,
  insist: false,
  stale: false,
  secrets: false,
  reason: '',
  table: '',
};

const takesTable = (kind: RunKind): boolean => kind === 'ask' || kind === 'errand';

const linesIn = (text: string): string[] =>
  text
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line !== '');

/** `count`: how many devices the selection has, as far as that is known. */
export function isReady(draft: RunDraft, count: number | undefined): boolean {
  const { kind, where, table, questions, command, lines, insist, reason } = draft;
  if (count === 0 || (where === '' && (table === '' || !takesTable(kind)))) return false;
  if (kind === 'ask') return questions.length > 0 || command.trim() !== '' || table !== '';
  if (kind === 'errand') return (lines.trim() !== '' || table !== '') && (!insist || reason.trim() !== '');
  if (kind === 'push') return !insist || reason.trim() !== '';
  return true;
}

/** A word of an answer, or a field and its value. */
const expectsIn = ({ before, expectAfter }: RunDraft): Expectation[] =>
  before.length === 0
    ? []
    : linesIn(expectAfter).map((text): Expectation => ({ kind: fieldIn(text) ? 'field' : 'has', text }));

/** Asks for the run; gives what was begun. */
export function begin(client: Pick<Client, 'call'>, draft: RunDraft): Promise<RunHead> {
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
  const many = draft.table === '' ? selection : { ...selection, perDevice: { text: draft.table } };
  if (kind === 'ask') {
    const asks = [
      ...questions.map((question) => ({ question })),
      ...linesIn(command).map((line) => ({ command: line })),
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

/** The names below `questions:` of a sheet. */
export function questionsIn(sheet: string): string[] {
  const [, below = ''] = sheet.split(/^questions:\n/m);
  const [part = ''] = below.split(/^\S/m);
  return [...part.matchAll(/^ {2}([a-z][a-z0-9-]*):$/gm)].map((match) => match[1] ?? '');
}
