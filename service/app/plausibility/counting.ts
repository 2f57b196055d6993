/** Counts what is doubtful now and then, so that the list of today can say it at once. */
import { type JobWork } from '../../store/jobs.ts';
import { read, run, type Actor } from '../../store/tx.ts';
import { doubtfulData } from './report.ts';

const AGAIN_SECONDS = 600;
const actor: Actor = { name: 'service', via: 'service' };

export const countDoubts: JobWork = async (store) => {
  // Looked at without a transaction: it may take long, and holds nobody up.
  const { items } = await read(store, actor, (tx) => doubtfulData(tx, { limit: 0 }));
  await run(store, actor, 'plausibility', async (tx) => {
    const at = await tx.now();
    for (const { doubt, count } of items)
      await tx.execute('REPLACE INTO doubt_count (doubt, count, at) VALUES (?, ?, ?)', [doubt, count, at]);
    tx.hint('doubt', 0, null);
  });
  return AGAIN_SECONDS;
};
