/** Open tasks: every row names the thing, what is wrong in one sentence, and the remedy. */
import { todayCodes } from '@zpine/contract/matters';
import type { ReplyOf } from '@zpine/contract/routes';
import type { Tx } from '../../store/tx.ts';
import { isLarge, leadsOf } from './leads.ts';
import { lookFor } from './report.ts';

type Today = ReplyOf<'today'>;

/** So many rows of each. */
const MOST = 50;
/** What is counted for everybody is counted once in so long. */
const HELD_MS = 5000;

export async function today(tx: Tx): Promise<Today> {
  const doubts = await tx.one<{ count: number | null; at: Date | null }>(
    'SELECT SUM(count) AS count, MAX(at) AS at FROM doubt_count',
  );
  const leads = await leadsOf(tx, doubts?.at ?? null);
  const found = await lookFor(tx, todayCodes, MOST, leads);
  return {
    items: found.flatMap(({ name, looked }) =>
      looked.rows.map(({ kind, key, detail, remedy, since, assignable }) => ({
        code: name,
        kind,
        key,
        detail: sentence(detail),
        since: since?.toISOString() ?? null,
        remedy: assignable ? ('assign-management' as const) : ('open' as const),
        command: remedy,
      })),
    ),
    doubts: doubts?.at ? { count: Number(doubts.count), at: doubts.at.toISOString() } : null,
    // In a large estate they are counted once in a while: that takes longer than all the rest.
    counts: await (leads ? tx.heldFor('stages', HELD_MS, () => stages(tx)) : stages(tx)),
  };
}

const sentence = (words: string): string => `${words[0]?.toUpperCase() ?? ''}${words.slice(1)}.`;

async function stages(tx: Tx): Promise<Record<string, number>> {
  const rows = await tx.select<{ stage: string; count: number }>(
    'SELECT stage, COUNT(*) AS count FROM device GROUP BY stage',
  );
  return Object.fromEntries(rows.map(({ stage, count }) => [stage, Number(count)]));
}

/** How many tasks are open, and how many devices arrive: what every page shows. In a large estate, as of the last seconds. */
export async function todayCounts(tx: Tx): Promise<ReplyOf<'today.counts'>> {
  const count = async () => {
    const { items, counts } = await today(tx);
    return { open: items.length, arriving: (counts.arriving ?? 0) + (counts.proving ?? 0) };
  };
  return (await isLarge(tx)) ? tx.heldFor('today', HELD_MS, count) : count();
}
