/** What answers the calls of this area. */
import { beginRun } from '../fleet/again.ts';
import { mustFind } from '../records/refs.ts';
import { readBlanks } from './blanks.ts';
import type { VerbHandlers } from '../handler.ts';
import { shippedRoutines, takeShippedRoutines } from './shipped.ts';

export const routineHandlers = {
  'routine.run': (tx, { params, body }) => beginRun(tx, 'routine.run', body, params.ref ?? ''),
  'routine.blanks': async (tx, { params }) => ({
    items: Object.entries(readBlanks((await mustFind(tx, 'routine', params.ref ?? '')).blanks).blanks).map(
      ([name, blank]) => ({ name, ...blank }),
    ),
  }),
  'routine.shipped': (tx) => shippedRoutines(tx),
  'routine.takeShipped': (tx, { body }) => takeShippedRoutines(tx, body),
} satisfies Partial<VerbHandlers>;
