/** Counts what is doubtful now and then, so that the list of today can say it at once. */
import type { JobWork } from '../../store/jobs.ts';
import type { Actor } from '../../store/store.ts';
import { readOnly, transact } from '../../store/transact.ts';
import { findLeads, saveLeads } from './leads.ts';
import { doubtfulData } from './report.ts';

export const DOUBTS_AGAIN_SECONDS = 600;
const actor: Actor = { name: 'service', via: 'service' };

export const countDoubts: JobWork = async (store) => {
  // Looked at without a transaction: it may take long, and holds nobody up.
  const { items } = await readOnly(store, actor, (tx) => doubtfulData(tx, { limit: 0 }));
  const leads = await readOnly(store, actor, findLeads);
  await transact(store, actor, 'plausibility', async (tx) => {
    await saveLeads(tx, leads);
    const at = await tx.now();
    for (const { doubt, count } of items)
      await tx.execute('REPLACE INTO doubt_count (doubt, count, at) VALUES (?, ?, ?)', [doubt, count, at]);
    tx.hint('doubt', 0, null);
  });
  return DOUBTS_AGAIN_SECONDS;
};
