/** The time in which a prepared device may fetch its files. */
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import { Instant } from '../../store/instant.ts';
import type { Tx } from '../../store/tx.ts';
import { mustFind } from '../records/refs.ts';
import { forgetVain } from './vain.ts';
import { addArrival, applyEvent, mustFindArrival, openArrival, type ArrivalRow } from './arrivals.ts';

/** Opens the window; an open one is given the new end. */
export const openWindow = async (tx: Tx, device: Stored<'device'>, hours: number): Promise<ArrivalRow> =>
  openUntil(tx, device, (await tx.now()).plus(hours * 3600));

export async function openUntil(tx: Tx, device: Stored<'device'>, closes: Instant): Promise<ArrivalRow> {
  if (device.stage === 'retired') throw new Refusal('stage-window', { device: device.key, stage: device.stage });
  const published = await tx.one('SELECT id FROM edition WHERE device_id = ? AND published_at IS NOT NULL LIMIT 1', [
    device.id,
  ]);
  if (!published) throw new Refusal('edition-none', { device: device.key });
  await forgetVain(tx, device.id);
  const now = await tx.now();
  const standing = await openArrival(tx, device.id);
  if (standing) {
    await tx.execute('UPDATE arrival SET closes_at = ?, version = version + 1 WHERE id = ?', [closes, standing.id]);
    tx.hint('arrival', standing.id, standing.version + 1);
    return mustFindArrival(tx, standing.id);
  }
  return addArrival(tx, {
    device,
    openedAt: now,
    closesAt: closes,
    openedBy: tx.actor.name,
  });
}

export async function closeWindow(tx: Tx, ref: string): Promise<void> {
  const device = await mustFind(tx, 'device', ref, true);
  const row = await openArrival(tx, device.id);
  if (!row) throw new Refusal('window-none', { device: device.key });
  await endWindow(tx, row);
}

/** What was seen of it is past, and it is expected once more, for as long as it was. */
export async function beginAnew(tx: Tx, device: Stored<'device'>): Promise<ArrivalRow> {
  const row = await openArrival(tx, device.id);
  if (!row) throw new Refusal('window-none', { device: device.key });
  await endWindow(tx, row);
  return openUntil(tx, device, Instant.of(row.closes_at));
}

/** Ends an arrival whose window closes before it serves. */
export async function endWindow(tx: Tx, row: ArrivalRow): Promise<void> {
  const after = await applyEvent(tx, row, { kind: 'window-closed' });
  await tx.execute(
    'UPDATE arrival SET ended_at = ?, probe_at = NULL, limit_at = NULL WHERE id = ? AND ended_at IS NULL',
    [await tx.now(), after.id],
  );
}
