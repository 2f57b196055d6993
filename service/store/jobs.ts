/** Jobs: what is done in the background, once it is due. */
import { claimDue, type Lease } from './claims.ts';
import type { Actor, Store } from './store.ts';
import { transact } from './transact.ts';

export interface ClaimedJob {
  id: number;
  name: string;
  payload: unknown;
  tries: number;
  lease: Lease;
}

/**
 * What is done in the background; gives after how many seconds to do it again, or nothing when it is done. `lost`: it was
 * given to another, and is to stop.
 */
export type JobWork = (store: Store, payload: unknown, lost?: AbortSignal) => Promise<number | undefined>;

const actor: Actor = { name: 'service', via: 'service' };

/** Claims the next job that is due, if there is one; `not`: names of jobs for which there is no room now. */
export async function claimJob(store: Store, not: readonly string[] = []): Promise<ClaimedJob | undefined> {
  return transact(store, actor, 'claim', async (tx) => {
    const [job] = await claimDue<{ id: number; name: string; payload: string; tries: number }>(tx, 'job', {
      columns: 'id, name, payload, tries',
      where: not.length === 0 ? 'due_at <= ?' : 'due_at <= ? AND name NOT IN (?)',
      values: not.length === 0 ? [await tx.now()] : [await tx.now(), not],
      order: 'due_at, id',
      most: 1,
    });
    if (!job) return undefined;
    const tries = job.tries + 1;
    await tx.execute('UPDATE job SET tries = ? WHERE id = ?', [tries, job.id]);
    return { ...job, id: Number(job.id), payload: JSON.parse(job.payload) as unknown, tries };
  });
}

/** Ends a job; with `againSeconds` it stays and is due once more after that time. */
export const finishJob = (
  store: Store,
  { lease: { id, fence } }: Pick<ClaimedJob, 'lease'>,
  againSeconds?: number,
  failure?: string,
): Promise<number> =>
  transact(store, actor, 'finish', async (tx) =>
    againSeconds === undefined
      ? tx.execute('DELETE FROM job WHERE id = ? AND fence = ?', [id, fence])
      : tx.execute(
          `UPDATE job SET due_at = ? + INTERVAL ? SECOND, claimed_until = NULL, failure = ?,
             tries = IF(? IS NULL, 0, tries) WHERE id = ? AND fence = ?`,
          [await tx.now(), againSeconds, failure ?? null, failure ?? null, id, fence],
        ),
  );
