/** How devices take part in batches, as it stands in the database. */
import type { Stored } from '@zpine/contract/kinds';
import { maybe, number, table, text, time, word, type RowOf } from '../../store/table.ts';
import { find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

type Turn = 'in' | 'held' | 'left out';

const parts = table('batch_device', {
  batch_id: number,
  device_id: number,
  turn: word<Turn>(),
  why: maybe(text),
  said_by: maybe(text),
  said_at: maybe(time),
  arrival_id: maybe(number),
  fault: maybe(text),
  remedy: maybe(text),
  tried_at: maybe(time),
});
export type PartRow = RowOf<typeof parts>;

export async function partsIn(tx: Tx, batch: number): Promise<Map<number, PartRow>> {
  const rows = await tx.select<PartRow>(`SELECT ${parts.all} FROM batch_device WHERE batch_id = ?`, [batch]);
  return new Map(rows.map((row) => [Number(row.device_id), row]));
}

export const devicesOf = (tx: Tx, batch: number): Promise<Stored<'device'>[]> =>
  find(tx, 'device', { batch_id: batch }, { order: ['sort_key', 'id'] });

export async function setPart(
  tx: Tx,
  batch: number,
  device: number,
  fields: Partial<Omit<PartRow, 'batch_id' | 'device_id'>>,
): Promise<void> {
  const names = Object.keys(fields);
  await tx.execute(
    `INSERT INTO batch_device (batch_id, device_id, ${['turn', ...names.filter((n) => n !== 'turn')].join(', ')}) VALUES (?, ?, ?${', ?'.repeat(names.filter((n) => n !== 'turn').length)})
     ON DUPLICATE KEY UPDATE ${names.map((n) => `${n} = VALUES(${n})`).join(', ')}`,
    [
      batch,
      device,
      fields.turn ?? 'in',
      ...names.filter((n) => n !== 'turn').map((n) => (fields as Record<string, unknown>)[n] ?? null),
    ],
  );
  tx.hint('batch', batch, null);
}

/** Whether a batch is under way: opened, and not ended. */
export const isUnderWay = (batch: Stored<'batch'>, nowIso: string): boolean =>
  batch.opensAt !== null && batch.opensAt <= nowIso && batch.endedAt === null;
