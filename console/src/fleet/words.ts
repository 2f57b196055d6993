/** What dialects answer and do, for fields that offer it. */
import type { DialectWords, ShownBlank } from '@zpine/contract/fleetShapes';
import type { Knows } from './draft.ts';

/** Of several dialects, each blank once. */
export const distinctBlanks = (all: readonly { blanks: readonly ShownBlank[] }[]): ShownBlank[] => [
  ...new Map(all.flatMap(({ blanks }) => blanks.map((one): [string, ShownBlank] => [one.name, one]))).values(),
];

export const questionNames = (words: readonly DialectWords[]): string[] =>
  [...new Set(words.flatMap(({ questions }) => questions.map(({ question }) => question)))].sort();

/** The blanks of what is called so. */
export const blanksNamed = (words: readonly DialectWords[], name: string): ShownBlank[] =>
  distinctBlanks(
    words.flatMap(({ questions, operations }) => [
      ...questions.filter(({ question }) => question === name),
      ...operations.filter(({ operation }) => operation === name),
    ]),
  );

export const knows = (words: readonly DialectWords[]): Knows => ({
  blanksOf: (name) => blanksNamed(words, name).map((blank) => blank.name),
});
