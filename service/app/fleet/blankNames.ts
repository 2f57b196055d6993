/** What stands in blanks, as texts see it. */
import type { Catalogue } from '@zpine/core/template/check';
import { mapOf, number, text, type Shape } from '@zpine/core/template/shapes';

/** What stands in blanks, by their names: what a text calls blank.NAME. */
export type BlankValues = Readonly<Record<string, string | number>>;

/** The catalogue of templates, with the blanks that a text is given. */
export const withBlanks = (catalogue: Catalogue, blanks: Readonly<Record<string, { is: string }>>): Catalogue => ({
  ...catalogue,
  names: {
    ...catalogue.names,
    blank: mapOf(
      Object.fromEntries(
        Object.entries(blanks).map(([name, { is }]): [string, Shape] => [name, is === 'number' ? number() : text()]),
      ),
      'What stands in the blanks',
    ),
  },
});
