/** What stands in the fields of a routine. */
import { fieldIn, type Expectation } from '@zpine/core/fleet/expectations';
import type { Stored } from '@zpine/contract/kinds';

export const questionsIn = (routine: Pick<Stored<'routine'>, 'questions'>): string[] =>
  (routine.questions ?? '').split(/[\s,]+/).filter(Boolean);

export const expectsIn = ({ expect }: Pick<Stored<'routine'>, 'expect'>): Expectation[] =>
  (expect ?? '')
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean)
    .map((text): Expectation => ({ kind: fieldIn(text) ? 'field' : 'has', text }));
