/** What every answer is expected to say. */
import { compilePattern, type Pattern } from '../text/pattern.ts';

export const expectationKinds = ['has', 'lacks', 'matches', 'field', 'no-field'] as const;
export type ExpectationKind = (typeof expectationKinds)[number];

export interface Expectation {
  kind: ExpectationKind;
  /** A text; for `matches` a pattern that a line has to fit; for fields `address=10.77.16.1`. */
  text: string;
}

export const expectationWords = ({ kind, text }: Expectation): string =>
  ({
    has: `has "${text}"`,
    lacks: `has no "${text}"`,
    matches: `has a line that fits ${text}`,
    field: `has ${text}`,
    'no-field': `has no ${text}`,
  })[kind];

/** What is wrong with an answer that is not so. */
export const missWords = ({ kind, text }: Expectation): string =>
  ({
    has: `has no "${text}"`,
    lacks: `has "${text}"`,
    matches: `has no line that fits ${text}`,
    field: `has no ${text}`,
    'no-field': `has ${text}`,
  })[kind];

const inWord = /[\p{L}\p{N}]/u;
const joins = /[.:]/;

/**
 * Whether a text stands in an answer as a word of its own: `10.77.0.4` is not in `10.77.0.42` nor in `110.77.0.4`, and
 * is in `10.77.0.4/24`. Where the text itself ends with another sign than a letter or digit, anything may follow.
 */
export function hasWord(answer: string, text: string): boolean {
  if (text === '') return true;
  const [begins, ends] = [inWord.test(text.charAt(0)), inWord.test(text.charAt(text.length - 1))];
  for (let at = answer.indexOf(text); at >= 0; at = answer.indexOf(text, at + 1)) {
    const [before, behind] = [
      answer.slice(Math.max(0, at - 2), at),
      answer.slice(at + text.length, at + text.length + 2),
    ];
    const goesOn = inWord.test(behind.charAt(0)) || (joins.test(behind.charAt(0)) && inWord.test(behind.charAt(1)));
    const cameFrom = inWord.test(before.charAt(before.length - 1)) || /[\p{L}\p{N}][.:]$/u.test(before);
    if (!(ends && goesOn) && !(begins && cameFrom)) return true;
  }
  return false;
}

export type FieldRows = readonly Readonly<Record<string, string>>[];

/** `address=10.77.16.1`: the name of a field, and its value; undefined where it is not of this form. */
export function fieldIn(text: string): { name: string; value: string } | undefined {
  const [, name, value] = /^([a-z][A-Za-z0-9]*)=(.*)$/.exec(text) ?? [];
  return name === undefined || value === undefined ? undefined : { name, value };
}

/** Whether an answer is as it should be. */
type Test = (text: string, rows: FieldRows) => boolean;

/** Throws where a pattern cannot be read. */
function testOf({ kind, text }: Expectation): Test {
  if (kind === 'has') return (answer) => hasWord(answer, text);
  if (kind === 'lacks') return (answer) => !hasWord(answer, text);
  if (kind === 'matches') {
    const pattern: Pattern = compilePattern(text);
    return (answer) => answer.split('\n').some((line) => pattern.test(line.trimEnd()));
  }
  const field = fieldIn(text);
  const has = (rows: FieldRows) => field !== undefined && rows.some((row) => row[field.name] === field.value);
  return kind === 'field' ? (_, rows) => has(rows) : (_, rows) => !has(rows);
}

/** Of every answer by itself. Throws where a pattern cannot be read. */
export function expectationsFrom(list: readonly Expectation[]): (answer: string, rows?: FieldRows) => Expectation[] {
  const tests = list.map((one) => ({ one, test: testOf(one) }));
  return (answer, rows = []) => tests.filter(({ test }) => !test(answer, rows)).map(({ one }) => one);
}

/** Of several answers together: what is to be there is in one of them, what is not to be there is in none. */
export function missedAmong(
  list: readonly Expectation[],
  answers: readonly { text: string; rows: FieldRows }[],
): Expectation[] {
  return list.filter((one) => {
    const test = testOf(one);
    const none = one.kind === 'lacks' || one.kind === 'no-field';
    const holds = ({ text, rows }: { text: string; rows: FieldRows }) => test(text, rows);
    return !(none ? answers.every(holds) : answers.some(holds));
  });
}
