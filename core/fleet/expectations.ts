/** What every answer is expected to say. */
import { compilePattern, type Pattern } from '../text/pattern.ts';

export const expectationKinds = ['has', 'lacks', 'matches'] as const;
export type ExpectationKind = (typeof expectationKinds)[number];

export interface Expectation {
  kind: ExpectationKind;
  /** A text, or for `matches` a pattern that a line has to fit. */
  text: string;
}

export const expectationWords = ({ kind, text }: Expectation): string =>
  ({ has: `has "${text}"`, lacks: `has no "${text}"`, matches: `has a line that fits ${text}` })[kind];

/** What is wrong with an answer that is not so. */
export const missWords = ({ kind, text }: Expectation): string =>
  ({ has: `has no "${text}"`, lacks: `has "${text}"`, matches: `has no line that fits ${text}` })[kind];

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

/** Throws where a pattern cannot be read. */
export function expectationsFrom(list: readonly Expectation[]): (answer: string) => Expectation[] {
  const compiled: { one: Expectation; pattern: Pattern | undefined }[] = list.map((one) => ({
    one,
    pattern: one.kind === 'matches' ? compilePattern(one.text) : undefined,
  }));
  return (answer) =>
    compiled
      .filter(({ one, pattern }) => {
        if (pattern) return !answer.split('\n').some((line) => pattern.test(line.trimEnd()));
        return hasWord(answer, one.text) === (one.kind === 'lacks');
      })
      .map(({ one }) => one);
}
