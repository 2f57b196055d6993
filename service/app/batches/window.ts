/** The window of a batch: those of its devices open with it, and at its end there is a report. */
import { openingAt } from '@zpine/core/arrival/opening';
import { problemOf, Refusal } from '@zpine/contract/errors';
import type { Board } from '@zpine/contract/batchRoutes';
import type { BodyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import { Instant } from '../../store/instant.ts';
import type { Tx } from '../../store/tx.ts';
import { openArrival } from '../arrivals/arrivals.ts';
import { endWindow, openUntil } from '../arrivals/window.ts';
import { setFields } from '../records/edit.ts';
import { mustFind } from '../records/refs.ts';
import { textSetting } from '@zpine/core/settings/read';
import { everywhereSettings } from '../settings/effective.ts';
import { boardOf, standingNow } from './board.ts';
import { writeReport } from './report.ts';
import { devicesOf, isUnderWay, partsIn, setPart } from './rows.ts';

export async function openBatch(tx: Tx, ref: string, { at, hours }: BodyOf<'batch.open'>): Promise<Board> {
  const batch = await mustFind(tx, 'batch', ref, true);
  const now = await tx.now();
  const zone = textSetting(await everywhereSettings(tx), 'time.zone') ?? 'UTC';
  const begins = at === undefined ? { ok: true as const, value: now.ms } : openingAt(at, now.ms, zone);
  if (!begins.ok) throw Refusal.at(['at'], begins.fault.code, begins.fault.params);
  const opens = new Instant(begins.value);
  const closes = opens.plus(hours * 3600);
  if (closes.ms <= now.ms) throw Refusal.at(['at'], 'batch-past', { from: opens.iso, hours });
  const devices = await devicesOf(tx, batch.id);
  if (devices.length === 0) throw new Refusal('batch-empty', { batch: batch.key });
  // Another night is another report; what somebody said of a device stays.
  await tx.execute(
    'UPDATE batch_device SET arrival_id = NULL, fault = NULL, remedy = NULL, tried_at = NULL WHERE batch_id = ?',
    [batch.id],
  );
  await tx.execute('DELETE FROM batch_report WHERE batch_id = ?', [batch.id]);
  const after = await setFields(tx, 'batch', batch.id, { opensAt: opens.iso, closesAt: closes.iso, endedAt: null });
  if (opens.ms <= now.ms) await openDue(tx, after, await tx.now());
  return boardOf(tx, after);
}

export async function closeBatch(tx: Tx, ref: string): Promise<Board> {
  const batch = await mustFind(tx, 'batch', ref, true);
  if (batch.opensAt === null || batch.endedAt !== null) throw new Refusal('batch-not-open', { batch: batch.key });
  const before = await standingNow(tx, batch, true);
  const now = await tx.now();
  for (const { device_id } of await tx.select<{ device_id: number }>(
    'SELECT device_id FROM batch_device WHERE batch_id = ? AND arrival_id IS NOT NULL ORDER BY device_id',
    [batch.id],
  )) {
    const row = await openArrival(tx, Number(device_id));
    if (row) await endWindow(tx, row);
  }
  return end(tx, batch, now, before);
}

async function end(tx: Tx, batch: Stored<'batch'>, now: Instant, standing: Board): Promise<Board> {
  const after = await setFields(tx, 'batch', batch.id, { endedAt: now.iso });
  const report: Board = { ...standing, endedAt: now.iso, window: 'over', kept: true };
  await tx.execute('INSERT INTO batch_report (batch_id, at, report) VALUES (?, ?, ?)', [
    batch.id,
    now,
    JSON.stringify(report),
  ]);
  await writeReport(tx, after, report);
  return report;
}

/** Another try for one that could not be opened. */
const AGAIN_SECONDS = 20;

/** Opens what is due, and ends what is over. Gives how many batches were under way. */
export async function turnBatches(tx: Tx): Promise<number> {
  const now = await tx.now();
  const rows = await tx.select<{ id: number }>(
    'SELECT id FROM batch WHERE ended_at IS NULL AND opens_at <= ? ORDER BY id LIMIT 20 FOR UPDATE SKIP LOCKED',
    [now.iso],
  );
  const batches = await byIds(
    tx,
    'batch',
    rows.map(({ id }) => Number(id)),
  );
  for (const batch of batches.values()) {
    await openDue(tx, batch, now);
    if (!(await mayEnd(tx, batch, now))) continue;
    const board = await standingNow(tx, batch);
    const done = board.items.every(({ standing }) => standing === 'serves' || standing === 'left out');
    if (board.window === 'over') await end(tx, batch, now, board);
    else if (board.items.length > 0 && done) await end(tx, batch, now, await standingNow(tx, batch, true));
  }
  return batches.size;
}

/** Its time is over, or nobody of it is waited for any more: only then is everything of it read. */
async function mayEnd(tx: Tx, batch: Stored<'batch'>, now: Instant): Promise<boolean> {
  if (batch.closesAt !== null && batch.closesAt <= now.iso) return true;
  const waited = await tx.one(
    `SELECT d.id FROM device d LEFT JOIN batch_device b ON b.batch_id = d.batch_id AND b.device_id = d.id
     WHERE d.batch_id = ? AND d.stage <> 'serving' AND COALESCE(b.turn, 'in') <> 'left out' LIMIT 1`,
    [batch.id],
  );
  return waited === undefined;
}

/** Windows of the devices that take part and have none yet. One that cannot be opened does not stop the others. */
async function openDue(tx: Tx, batch: Stored<'batch'>, now: Instant): Promise<void> {
  if (batch.closesAt === null || batch.closesAt <= now.iso) return;
  const closes = Instant.of(batch.closesAt);
  const parts = await partsIn(tx, batch.id);
  for (const device of await devicesOf(tx, batch.id)) {
    const part = parts.get(device.id);
    if ((part && part.turn !== 'in') || (part?.arrival_id ?? null) !== null || device.stage === 'serving') continue;
    if (part?.tried_at && part.tried_at.getTime() > now.ms - AGAIN_SECONDS * 1000) continue;
    try {
      const row = await openUntil(tx, device, closes);
      await setPart(tx, batch.id, device.id, { arrival_id: row.id, fault: null, remedy: null });
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      const { detail, remedy } = problemOf(error);
      await setPart(tx, batch.id, device.id, {
        fault: detail.slice(0, 1000),
        remedy: remedy?.slice(0, 500) ?? null,
        tried_at: now.date,
      });
    }
  }
}

export async function turnOf(tx: Tx, ref: string, { devices, turn, why }: BodyOf<'batch.turn'>): Promise<Board> {
  const batch = await mustFind(tx, 'batch', ref, true);
  const now = await tx.now();
  for (const key of devices) {
    const device = await mustFind(tx, 'device', key, true);
    if (device.batch !== batch.id) throw new Refusal('batch-other', { device: device.key, batch: batch.key });
    if (turn === 'left out' && why === undefined) throw Refusal.at(['why'], 'batch-why', { device: device.key });
    const open = await openArrival(tx, device.id);
    if (open && turn !== 'in') await endWindow(tx, open);
    await setPart(tx, batch.id, device.id, {
      turn: turn === 'anew' ? 'in' : turn,
      why: why ?? null,
      said_by: tx.actor.name,
      said_at: now.date,
      arrival_id: turn === 'in' && open ? open.id : null,
      fault: null,
      remedy: null,
      tried_at: null,
    });
  }
  if (isUnderWay(batch, now.iso)) await openDue(tx, batch, now);
  return boardOf(tx, batch);
}
