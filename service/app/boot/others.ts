/** Boxes that are fitted nowhere, and strangers: what is known of clients that are no devices. */
import { find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

type Spare = { id: number; serial: string | null; mac: string | null };

/** Of these alone where some are named. */
export async function spareBoxes(tx: Tx, ids?: Iterable<number>): Promise<Spare[]> {
  const asked = ids && [...ids];
  if (asked) {
    const boxes = await find(tx, 'box', { id: asked });
    return boxes.flatMap(({ id, serial, mac, device }) => (device === null ? [{ id, serial, mac }] : []));
  }
  const rows = await tx.select<{ id: number }>('SELECT id FROM box WHERE device_id IS NULL');
  return spareBoxes(
    tx,
    rows.map(({ id }) => Number(id)),
  );
}

type Known = { word: string; prefix: number; settled: boolean };

/** `ids`: of these alone; all of them where one is 0. */
export async function strangersIn(tx: Tx, ids?: ReadonlySet<number>): Promise<Known[]> {
  const some = ids !== undefined && !ids.has(0);
  const rows = await tx.select<{ client: string; prefix_id: number | null; settled: number }>(
    `SELECT client, prefix_id, settled_at IS NOT NULL AS settled FROM stranger ${some ? 'WHERE id IN (?)' : ''}`,
    some ? [[...ids, 0]] : [],
  );
  return rows.map((row) => ({
    word: row.client,
    prefix: Number(row.prefix_id ?? 0),
    settled: Boolean(row.settled),
  }));
}
