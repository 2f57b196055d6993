/** What answers the calls of this area. */
import { askCheck, listChecks, showCheck } from '../soundness/checks.ts';
import { doubtfulData } from './report.ts';
import { today, todayCounts } from './today.ts';
import type { VerbHandlers } from '../handler.ts';

export const mattersHandlers = {
  'doctor.data': (tx, { query }) => doubtfulData(tx, query),
  'doctor.store': (tx, { body }) => askCheck(tx, body),
  'doctor.storeChecks': (tx) => listChecks(tx),
  'doctor.storeCheck': (tx, { params }) => showCheck(tx, params.id ?? ''),
  today: (tx) => today(tx),
  'today.counts': (tx) => todayCounts(tx),
} satisfies Partial<VerbHandlers>;
