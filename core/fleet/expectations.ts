/** What every answer is expected to say. */
import { compilePattern, type Pattern } from '../dialect/pattern.ts';

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
        return answer.includes(one.text) === (one.kind === 'lacks');
      })
      .map(({ one }) => one);
}
