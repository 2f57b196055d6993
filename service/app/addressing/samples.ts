/** How many addresses of a prefix are free, day by day: kept as far as it changes, so that a line can be drawn. */
import type { Tx } from '../../store/tx.ts';

/** What is looked back on to tell when a prefix runs out. */
const DAYS = 30;
/** Samples are kept for so long. */
const KEPT_DAYS = 800;
const SHOWN = 400;

/** Today's samples of all prefixes; a prefix that is as full as when it was last sampled needs none. */
export async function saveSamples(tx: Tx): Promise<void> {
  await tx.execute(
    `INSERT INTO fill_sample (prefix_id, day, free)
     SELECT s.prefix_id, UTC_DATE(), s.free FROM space s
       LEFT JOIN fill_sample l ON l.prefix_id = s.prefix_id AND l.day =
         (SELECT MAX(m.day) FROM fill_sample m WHERE m.prefix_id = s.prefix_id)
     WHERE s.holds = 'fixed' AND (l.free IS NULL OR l.free <> s.free)
     ON DUPLICATE KEY UPDATE free = VALUES(free)`,
  );
}

export const OLD_SAMPLES = `DELETE FROM fill_sample WHERE day < UTC_DATE() - INTERVAL ${KEPT_DAYS} DAY LIMIT 1000`;

export async function samplesOf(tx: Tx, prefixId: number): Promise<{ day: string; free: string }[]> {
  const rows = await tx.select<{ day: string; free: string }>(
    `SELECT DATE_FORMAT(day, '%Y-%m-%d') AS day, free FROM fill_sample WHERE prefix_id = ? ORDER BY day DESC LIMIT ${SHOWN}`,
    [prefixId],
  );
  return rows.map(({ day, free }) => ({ day, free: String(free) })).reverse();
}

export interface RunsOut {
  id: number;
  prefix: string;
  free: number;
  /** Taken in a month, at the pace of the last days. */
  perMonth: number;
  /** ISO 8601 date. */
  day: string;
}

/**
 * Prefixes that will be full within some days if they fill on as they did in the last month. What fills by less than a
 * handful, or was looked at for less than three days, tells nothing. What has no sample of late did not change.
 */
export async function runningOut(tx: Tx, withinDays: number, prefixes?: readonly number[]): Promise<RunsOut[]> {
  if (prefixes?.length === 0) return [];
  const rows = await tx.select<{
    id: number;
    natural_key: string;
    free: string;
    was: string;
    days: number;
    today: string;
  }>(
    `SELECT p.id, p.natural_key, s.free, f.free AS was, DATEDIFF(UTC_DATE(), GREATEST(f.day, UTC_DATE() - INTERVAL ${DAYS} DAY)) AS days,
       DATE_FORMAT(UTC_DATE(), '%Y-%m-%d') AS today
     FROM (SELECT DISTINCT prefix_id FROM fill_sample
             WHERE ${prefixes === undefined ? `day >= UTC_DATE() - INTERVAL ${DAYS} DAY` : 'prefix_id IN (?)'}) r
       JOIN space s ON s.prefix_id = r.prefix_id JOIN prefix p ON p.id = s.prefix_id
       JOIN fill_sample f ON f.prefix_id = s.prefix_id AND f.day = COALESCE(
         (SELECT MAX(m.day) FROM fill_sample m WHERE m.prefix_id = s.prefix_id AND m.day <= UTC_DATE() - INTERVAL ${DAYS} DAY),
         (SELECT MIN(m.day) FROM fill_sample m WHERE m.prefix_id = s.prefix_id))
     WHERE s.holds = 'fixed' AND s.free < f.free ORDER BY p.sort_key`,
    prefixes === undefined ? [] : [prefixes],
  );
  return rows.flatMap(({ id, natural_key: prefix, free, was, days, today }): RunsOut[] => {
    const taken = Number(BigInt(was) - BigInt(free));
    if (days < 3 || taken < 5) return [];
    const left = Math.floor((Number(free) * Number(days)) / taken);
    if (left > withinDays) return [];
    const day = new Date(Date.parse(today) + left * 86_400_000).toISOString().slice(0, 10);
    return [{ id: Number(id), prefix, free: Number(free), perMonth: Math.round((taken * 30) / Number(days)), day }];
  });
}
