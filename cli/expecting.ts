/** What is expected of answers, as it is typed: a word, or a field and its value. */
import { fieldIn, type Expectation } from '@zpine/core/fleet/expectations';

/** `fields`: whether there are any. */
export const expectationsOf = (
  { expect, expectNot }: { expect: string[]; expectNot: string[] },
  fields = true,
): Expectation[] => [
  ...expect.map((text): Expectation => ({ kind: fields && fieldIn(text) ? 'field' : 'has', text })),
  ...expectNot.map((text): Expectation => ({ kind: fields && fieldIn(text) ? 'no-field' : 'lacks', text })),
];
