/** What devices take from one milestone to another, learned from earlier arrivals, by model. */
import { usualOf } from '@zpine/core/arrival/board';
import { grouped } from '@zpine/core/lists/grouped';
import type { Milestone } from '@zpine/core/arrival/arrival';
import type { Tx } from '../../store/tx.ts';

/** As many arrivals of the past are looked at; older ones say less. */
const LAST = 2000;

/** Seconds; of models of which too few were seen there is nothing. */
export async function usualByModel(
  tx: Tx,
  models: readonly number[],
  from: Milestone,
  to: readonly Milestone[],
): Promise<Map<number, { usual: number; most: number }>> {
  if (models.length === 0) return new Map();
  const rows = await tx.select<{ model_id: number; seconds: number }>(
    `SELECT d.model_id, TIMESTAMPDIFF(SECOND, p.at, MIN(s.at)) AS seconds
     FROM (SELECT id, device_id FROM arrival WHERE phase IN ('serving', 'closed') ORDER BY id DESC LIMIT ${LAST}) a
     JOIN device d ON d.id = a.device_id AND d.model_id IN (?)
     JOIN milestone p ON p.arrival_id = a.id AND p.name = ?
     JOIN milestone s ON s.arrival_id = a.id AND s.name IN (?)
     GROUP BY a.id, d.model_id, p.at`,
    [models, from, to],
  );
  const out = new Map<number, { usual: number; most: number }>();
  for (const [model, seen] of grouped(rows, (row) => Number(row.model_id))) {
    const usual = usualOf(seen.map(({ seconds }) => Number(seconds)));
    if (usual) out.set(model, usual);
  }
  return out;
}
