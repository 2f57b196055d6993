import { run, type Actor, type Store, type Tx } from './tx.ts';

/** Which job, and by which claim. */
export type JobHold = Pick<ClaimedJob, 'id' | 'fence'>;

export interface ClaimedJob {
  id: number;
  name: string;
  payload: unknown;
  /** Grows with every claim: work under an older number must not be written any more. */
  fence: number;
  tries: number;
}

/** What is done in the background; gives after how many seconds to do it again, or nothing when it is done. */
export type JobWork = (store: Store, payload: unknown) => Promise<number | undefined>;

const CLAIM_SECONDS = 30;
const actor: Actor = { name: 'service', via: 'service' };

/** Claims the next job that is due, if there is one; several instances never get the same. */
export async function claim(store: Store): Promise<ClaimedJob | undefined> {
  return run(store, actor, 'claim', async (tx) => {
    const job = await tx.one<{ id: number; name: string; payload: string; fence: number; tries: number }>(
      `SELECT id, name, payload, fence, tries FROM job
       WHERE due_at <= UTC_TIMESTAMP(3) AND (claimed_until IS NULL OR claimed_until < UTC_TIMESTAMP(3))
       ORDER BY due_at, id LIMIT 1 FOR UPDATE SKIP LOCKED`,
    );
    if (!job) return undefined;
    await tx.execute(
      'UPDATE job SET claimed_until = UTC_TIMESTAMP(3) + INTERVAL ? SECOND, fence = fence + 1, tries = tries + 1 WHERE id = ?',
      [CLAIM_SECONDS, job.id],
    );
    return {
      id: Number(job.id),
      name: job.name,
      payload: JSON.parse(job.payload) as unknown,
      fence: job.fence + 1,
      tries: job.tries + 1,
    };
  });
}

/** Somebody else has the job by now: nothing of this work may be kept. */
export class JobLost extends Error {}

/** Inside the unit of work that keeps what a job made: fails when the job was given to another meanwhile. */
export async function mustHold(tx: Tx, job: JobHold): Promise<void> {
  const held = await tx.one('SELECT id FROM job WHERE id = ? AND fence = ? FOR UPDATE', [job.id, job.fence]);
  if (!held) throw new JobLost(`job ${job.id} was given to another`);
}

/** Says that the work goes on. False when another has the job by now. */
export const heartbeat = async (store: Store, job: ClaimedJob): Promise<boolean> =>
  run(store, actor, 'heartbeat', async (tx) => {
    // A row that stays as it is counts as none: a sign of life in the millisecond of the claim moves it on by another.
    const set = `UPDATE job SET claimed_until = GREATEST(UTC_TIMESTAMP(3) + INTERVAL ? SECOND, claimed_until + INTERVAL 1000 MICROSECOND)
       WHERE id = ? AND fence = ?`;
    return (await tx.execute(set, [CLAIM_SECONDS, job.id, job.fence])) === 1;
  });

/** Ends a job; with `againSeconds` it stays and is due once more after that time. */
export const finish = (store: Store, job: ClaimedJob, againSeconds?: number, failure?: string): Promise<number> =>
  run(store, actor, 'finish', (tx) =>
    againSeconds === undefined
      ? tx.execute('DELETE FROM job WHERE id = ? AND fence = ?', [job.id, job.fence])
      : tx.execute(
          `UPDATE job SET due_at = UTC_TIMESTAMP(3) + INTERVAL ? SECOND, claimed_until = NULL, failure = ?,
             tries = IF(? IS NULL, 0, tries) WHERE id = ? AND fence = ?`,
          [againSeconds, failure ?? null, failure ?? null, job.id, job.fence],
        ),
  );
