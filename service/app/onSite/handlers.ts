/** What answers the calls of this area. */
import { refOf, type VerbHandlers } from '../handler.ts';
import { listJobs } from './list.ts';
import { boxOfJob, showJob, tickJob } from './show.ts';

export const jobHandlers = {
  'job.list': (tx, { query, user }) => listJobs(tx, query, user),
  'job.show': (tx, call) => showJob(tx, refOf(call)),
  'job.tick': (tx, call) => tickJob(tx, refOf(call), call.body, call.user),
  'job.box': (tx, call) => boxOfJob(tx, refOf(call), call.body, call.user),
} satisfies Partial<VerbHandlers>;
