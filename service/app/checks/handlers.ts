/** What answers the calls of this area. */
import { beginRun } from '../fleet/again.ts';
import type { VerbHandlers } from '../handler.ts';
import { checkCounts, checkPast, checkResults } from './results.ts';
import { shippedChecks, takeShipped } from './shipped.ts';
import { tryCheck } from './trial.ts';

export const checksHandlers = {
  'run.check': (tx, { body }) => beginRun(tx, 'run.check', body),
  'check.results': (tx, { query }) => checkResults(tx, query),
  'check.counts': (tx, { query }) => checkCounts(tx, query),
  'check.past': (tx, { query }) => checkPast(tx, query),
  'check.try': (tx, { body }) => tryCheck(tx, body),
  'check.shipped': (tx) => shippedChecks(tx),
  'check.takeShipped': (tx, { body }) => takeShipped(tx, body),
} satisfies Partial<VerbHandlers>;
