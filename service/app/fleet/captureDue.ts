/** Which devices are to be captured now, by the plan of their settings. */
import type { Stored } from '@zpine/contract/kinds';
import { among } from '../../store/among.ts';
import { Instant } from '../../store/instant.ts';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { numbersOf } from '../settings/numbers.ts';
import type { Touched } from './planned.ts';

const HOUR_MS = 3_600_000;
/** So many devices are captured by one run at most; the next one takes the others. */
const MOST = 20_000;

export interface DueCaptures {
  /** In the order of their names. */
  devices: Stored<'device'>[];
  /** When the next one is due, as far as things stay as they are; undefined for never. Milliseconds. */
  next: number | undefined;
}

/** `touched`: of these alone. */
export async function captureDue(tx: Tx, touched?: Touched): Promise<DueCaptures> {
  const hours = await numbersOf(tx, 'capture.hours', touched);
  const plans = hours ? [hours.everywhere, ...hours.own.values()].filter((every) => every > 0) : [];
  if (!hours || plans.length === 0) return { devices: [], next: undefined };
  const own = touched ?? (hours.everywhere > 0 ? undefined : [...hours.own.keys()]);
  // None is due before the shortest time is over, nor is a later one before the one that was tried first of the others.
  const soonest = Math.min(...plans) * HOUR_MS;
  const now = (await tx.now()).ms;
  const cut = new Instant(now - soonest);
  const rows = await tx.select<{ id: number; tried_at: Date | null }>(
    `SELECT d.id, t.tried_at FROM device d LEFT JOIN capture_try t ON t.device_id = d.id
     WHERE d.stage <> 'retired' AND (t.tried_at IS NULL OR t.tried_at <= ?) ${among('d.id', own)}
     ORDER BY d.sort_key, d.id`,
    [cut],
  );
  const oldest = await tx.one<{ at: Date | null }>(
    `SELECT MIN(tried_at) AS at FROM capture_try WHERE tried_at > ? ${among('device_id', own)}`,
    [cut],
  );
  let next = oldest?.at ? oldest.at.getTime() + soonest : undefined;
  const due = rows.filter(({ id, tried_at: tried }) => {
    const every = hours.own.get(Number(id)) ?? hours.everywhere;
    if (every <= 0) return false;
    const at = (tried?.getTime() ?? 0) + every * HOUR_MS;
    next = Math.min(next ?? at, at);
    return at <= now;
  });
  const ids = due.slice(0, MOST).map(({ id }) => Number(id));
  const devices = await byIds(tx, 'device', ids);
  return { devices: ids.flatMap((id) => devices.get(id) ?? []), next };
}
