/** Strangers that talk are met: signed in to at their address, by the rules of sweeps, to see what they are. */
import { Refusal } from '@zpine/contract/errors';
import type { SweepHead, Swept } from '@zpine/contract/sweepRoutes';
import type { Stage } from '@zpine/contract/kinds/devices';
import { boxesOf, strangers, type StrangerRow } from '../arrivals/presentStrangers.ts';
import { mustFindUnsettled } from '../arrivals/strangers.ts';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { startSweep } from './sweeps.ts';

export async function meetStranger(tx: Tx, id: string): Promise<SweepHead> {
  const row = await mustFindUnsettled(tx, id);
  return begin(tx, row);
}

async function begin(tx: Tx, row: StrangerRow): Promise<SweepHead> {
  const { address, prefix_id: prefix } = row;
  if (address === null || prefix === null) throw new Refusal('stranger-address');
  await tx.execute('UPDATE stranger SET met_at = ? WHERE id = ?', [await tx.now(), row.id]);
  return startSweep(tx, { prefix: `#${prefix}`, perSecond: 1 }, { address, stranger: Number(row.id) });
}

/** What it said of itself stands with it: then its box and the devices that it could be are found as of one that boots. */
export async function metStranger(tx: Tx, id: number, found: Swept | 'silent' | 'shut'): Promise<void> {
  const met = typeof found === 'object' ? found.met : null;
  if (!met) return;
  const words = [met.model, met.dialect, met.version].filter(Boolean).join(' ');
  await tx.execute(
    `UPDATE stranger SET serial = COALESCE(?, serial), mac = IF(mac = '', COALESCE(?, ''), mac), vendor_class = COALESCE(NULLIF(?, ''), vendor_class),
       says = ?, version = version + 1 WHERE id = ? AND settled_at IS NULL`,
    [met.serial, met.mac?.toLowerCase() ?? null, words, `ssh: ${[met.name, words].filter(Boolean).join(', ')}`, id],
  );
  tx.hint('stranger', id, null);
  await settleByBox(tx, id);
}

/** Stages in which a device waits for its hardware to be heard of. */
const WAITS: readonly Stage[] = ['sketched', 'prepared', 'arriving', 'proving', 'unproved', 'faulty'];

/** A box that is fitted to a device already, which waits: nobody has to say which one it is. */
async function settleByBox(tx: Tx, id: number): Promise<void> {
  const row = await tx.one<StrangerRow>(
    `SELECT ${strangers.all} FROM stranger WHERE id = ? AND settled_at IS NULL FOR UPDATE`,
    [id],
  );
  if (row?.serial === undefined || row.serial === null) return;
  const box = (await boxesOf(tx, [row])).get(row.id);
  if (!box || box.device === null || box.serial?.toLowerCase() !== row.serial.toLowerCase()) return;
  const device = (await byIds(tx, 'device', [box.device])).get(box.device);
  if (!device || !WAITS.includes(device.stage as Stage)) return;
  await tx.execute(
    "UPDATE stranger SET settled_at = ?, settled_by = ?, settled_as = 'device', device_id = ?, version = version + 1 WHERE id = ?",
    [await tx.now(), tx.actor.name, box.device, id],
  );
}

/** Their hosts are devices by now. */
export async function settleTalkers(tx: Tx, found: readonly Swept[]): Promise<void> {
  for (const { address } of found) {
    await tx.execute(
      "UPDATE stranger SET settled_at = ?, settled_by = ?, settled_as = 'device', version = version + 1 WHERE address = ? AND client LIKE 'at %' AND settled_at IS NULL",
      [await tx.now(), tx.actor.name, address],
    );
  }
  if (found.length > 0) tx.hint('stranger', 0, null);
}

const SLICE = 20;

/** By itself, as far as its prefix permits: so many a day, and only those that a word fits. Gives whether it began one. */
export async function meetByRule(tx: Tx): Promise<boolean> {
  const rows = await tx.select<StrangerRow & { meets: string | null; meets_a_day: number }>(
    `SELECT ${strangers.of('s')}, p.meets, p.meets_a_day FROM stranger s JOIN prefix p ON p.id = s.prefix_id
     WHERE s.settled_at IS NULL AND s.met_at IS NULL AND s.says IS NOT NULL AND p.meets_a_day > 0 AND p.sweep = 'sign-in'
       AND NOT EXISTS (SELECT 1 FROM sweep w WHERE w.prefix_id = p.id AND w.state <> 'ended')
     ORDER BY s.id LIMIT ${SLICE}`,
  );
  for (const row of rows) {
    const words = `${row.says ?? ''} ${row.vendor_class ?? ''}`.toLowerCase();
    if (row.meets !== null && !words.includes(row.meets.toLowerCase())) continue;
    const done = await tx.one<{ count: number }>(
      'SELECT COUNT(*) AS count FROM stranger WHERE prefix_id = ? AND met_at > ? - INTERVAL 1 DAY',
      [row.prefix_id, await tx.now()],
    );
    if (Number(done?.count) >= row.meets_a_day) continue;
    await begin(tx, row);
    return true;
  }
  return false;
}
