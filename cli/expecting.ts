/** What is expected of answers, as it is typed: a word, or a field and its value. */
import { fieldIn, type Expectation } from '@zpine/core/fleet/expectations';

export const expectationsOf = ({ expect, expectNot }: { expect: string[]; expectNot: string[] }): Expectation[] => [
  ...expect.map((text): Expectation => ({ kind: fieldIn(text) ? 'field' : 'has', text })),
  ...expectNot.map((text): Expectation => ({ kind: fieldIn(text) ? 'no-field' : 'lacks', text })),
];
