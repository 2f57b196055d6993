/** Whether anything has changed by which devices are watched or captured: in between, plans need not be made again. */
import type { Tx } from '../../store/tx.ts';

/** Events that were seen; `top` is the newest of all. */
export interface SeenEvents {
  top: number;
  seen: ReadonlySet<number>;
}

/** By what layers a device stands in, and what they say. */
const COUNTS = [
  'device',
  'value',
  'setting',
  'label',
  'area',
  'site',
  'room',
  'rack',
  'model',
  'duty',
  'dialect',
  'prefix',
  'address',
  'interface',
];
/** Rows become visible out of order, when a transaction takes its number early and commits late. */
const OVERLAP = 500;

export async function changedSince(
  tx: Tx,
  before: SeenEvents | undefined,
): Promise<{ now: SeenEvents; changed: boolean }> {
  const top = Number((await tx.one<{ top: number | null }>('SELECT MAX(id) AS top FROM event'))?.top ?? 0);
  const since = Math.min(before?.top ?? top, top) - OVERLAP;
  const rows = await tx.select<{ id: number }>('SELECT id FROM event WHERE id > ? AND kind IN (?)', [since, COUNTS]);
  const seen = new Set(rows.map(({ id }) => Number(id)));
  // An event table that was emptied begins anew: nothing is known then.
  const changed =
    !before || top < before.top || [...seen].some((id) => id > before.top - OVERLAP && !before.seen.has(id));
  return { now: { top, seen }, changed };
}
