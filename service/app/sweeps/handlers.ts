/** What answers the calls of this area. */
import type { VerbHandlers } from '../handler.ts';
import { listSweeps, showSweep, startSweep, stopSweep } from './sweeps.ts';
import { meetStranger } from './meet.ts';
import { takeSwept } from './take.ts';

export const sweepHandlers = {
  'sweep.start': (tx, { body }) => startSweep(tx, body),
  'stranger.meet': (tx, { params }) => meetStranger(tx, params.id ?? ''),
  'sweep.list': (tx, { query }) => listSweeps(tx, query),
  'sweep.show': (tx, { params }) => showSweep(tx, params.id ?? ''),
  'sweep.stop': (tx, { params }) => stopSweep(tx, params.id ?? ''),
  'sweep.take': (tx, { params, body }) => takeSwept(tx, params.id ?? '', body),
} satisfies Partial<VerbHandlers>;
