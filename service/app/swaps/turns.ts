/** Where a swap has come to by itself: the box was put in, the device serves; and when it is looked at. */
import { boxName } from '@zpine/core/naming/boxName';
import { byIds, find } from '../../store/records.ts';
import { claimDue, holds, type Lease } from '../../store/claims.ts';
import type { Instant } from '../../store/instant.ts';
import { problemOf, Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import { openArrival } from '../arrivals/arrivals.ts';
import { handmadeLines } from './handmade.ts';
import { awaySince, fitNamed } from './swap.ts';
import { openWindow } from '../arrivals/window.ts';
import type { Tx } from '../../store/tx.ts';
import type { Target } from '../fleet/access.ts';
import { targetsOf } from '../fleet/targets.ts';
import { saveSwap, swaps, type Said, type SwapRow } from './rows.ts';

/** Takes note of what changed. Gives how many swaps are open. */
export async function turnSwaps(tx: Tx): Promise<number> {
  const rows = await tx.select<SwapRow>(
    `SELECT ${swaps.all} FROM swap WHERE closed_at IS NULL ORDER BY id LIMIT 200 FOR UPDATE SKIP LOCKED`,
  );
  if (rows.length === 0) return 0;
  for (const row of rows)
    if (row.state === 'begun')
      try {
        await fitNamed(tx, row);
      } catch (error) {
        if (!(error instanceof Refusal)) throw error;
        // It was sound when it was named: somebody names another.
        await saveSwap(tx, Number(row.id), { spare: null, fault: problemOf(error).detail.slice(0, 500) });
      }
  const devices = await byIds(tx, 'device', rows, 'device_id');
  const boxes = new Map(
    (await find(tx, 'box', { device_id: rows.map((row) => Number(row.device_id)) })).map((box) => [box.device, box]),
  );
  const now = await tx.now();
  for (const row of rows) {
    const device = devices.get(Number(row.device_id));
    const box = boxes.get(Number(row.device_id));
    if (!device) {
      await saveSwap(tx, Number(row.id), { state: 'called off', closed_at: now.date, look_at: null });
      continue;
    }
    const other = box !== undefined && box.id !== Number(row.old_box_id);
    if (row.state === 'begun' && other) {
      const fault = await expectIt(tx, device);
      await saveSwap(tx, Number(row.id), {
        state: 'booting',
        new_box: boxName(box),
        fitted_at: now.date,
        down_at: row.down_at ?? (await awaySince(tx, Number(row.device_id))) ?? now.date,
        // What it ran beyond its edition went with the old box.
        lost: JSON.stringify(await handmadeLines(tx, device)),
        // Nothing that the new box says is how it was before.
        look_at: null,
        fault,
      });
    }
    if (row.state === 'booting' && device.stage === 'serving')
      await saveSwap(tx, Number(row.id), { state: 'serving', served_at: now.date, look_at: now.date });
    if (row.state === 'serving' && device.stage !== 'serving')
      await saveSwap(tx, Number(row.id), { state: 'booting', served_at: null, is: null, look_at: null });
    // Its serial is told at the latest when it calls home.
    if (row.state !== 'begun' && box && other && boxName(box) !== row.new_box)
      await saveSwap(tx, Number(row.id), { new_box: boxName(box) });
  }
  return rows.length;
}

/** So long a box is waited for that was recognised by its port, or by somebody. */
const HOURS = 24;

/** Opens its window where none is open. Gives why that cannot be. */
async function expectIt(tx: Tx, device: Stored<'device'>): Promise<string | null> {
  if (await openArrival(tx, device.id)) return null;
  try {
    await openWindow(tx, device, HOURS);
    return null;
  } catch (error) {
    if (error instanceof Refusal) return problemOf(error).detail.slice(0, 500);
    throw error;
  }
}

/** A device that is to be asked what it says of its ports. */
export interface SwapLook {
  id: number;
  lease: Lease;
  state: SwapRow['state'];
  target: Target;
}

export async function claimSwapLook(tx: Tx): Promise<SwapLook | 'impossible' | undefined> {
  const [row] = await claimDue<SwapRow>(tx, 'swap', {
    columns: swaps.all,
    where: 'look_at <= ? AND closed_at IS NULL',
    values: [await tx.now()],
    order: 'look_at',
    most: 1,
  });
  if (!row) return undefined;
  const device = (await byIds(tx, 'device', [Number(row.device_id)])).get(Number(row.device_id));
  const target = device && (await targetsOf(tx, [device])).get(device.id);
  if (target?.dialect) return { id: Number(row.id), lease: row.lease, state: row.state, target };
  await saveSwap(tx, Number(row.id), { look_at: null, fault: 'its records do not say how it is asked' });
  return 'impossible';
}

/** Between two looks while somebody plugs cables. */
const AGAIN_SECONDS = 10;
/** So long that lasts; a swap that nobody closes is looked at now and then. */
const LATELY_SECONDS = 3600;
const SELDOM_SECONDS = 600;
/** Between two tries to ask the old box. */
const UNREACHED_SECONDS = 30;

export async function saveSwapLook(
  tx: Tx,
  { id, lease, state }: SwapLook,
  said: Omit<Said, 'at'> | { fault: string },
): Promise<void> {
  if (!(await holds(tx, lease))) return;
  const now = await tx.now();
  const row = await tx.one<SwapRow>(`SELECT ${swaps.all} FROM swap WHERE id = ? FOR UPDATE`, [id]);
  if (!row) return;
  const unasked = row.state === 'begun' && row.was === null && 'fault' in said;
  const lately = row.served_at !== null && now.ms - row.served_at.getTime() < LATELY_SECONDS * 1000;
  const again = row.state === 'serving' ? (lately ? AGAIN_SECONDS : SELDOM_SECONDS) : UNREACHED_SECONDS;
  const next: Instant | null = row.state === 'serving' || unasked ? now.plus(again) : null;
  await tx.execute('UPDATE swap SET claimed_until = NULL, look_at = ? WHERE id = ?', [next, id]);
  // What it was asked for is over: another box is in it by now.
  if (row.state !== state) return saveSwap(tx, id, { look_at: row.state === 'serving' ? now.date : null });
  if ('fault' in said) return saveSwap(tx, id, { fault: said.fault.slice(0, 500) });
  const held = JSON.stringify({ at: now.iso, ...said } satisfies Said);
  await saveSwap(tx, id, state === 'begun' ? { was: held, fault: null } : { is: held, fault: null });
}
