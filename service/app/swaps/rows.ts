/** Swaps in the database. */
import type { Answers } from '@zpine/core/fleet/effects';
import type { swapStates } from '@zpine/contract/swapRoutes';
import { Refusal } from '@zpine/contract/errors';
import { maybe, number, table, text, time, word, type RowOf } from '../../store/table.ts';
import type { Tx } from '../../store/tx.ts';

export type SwapState = (typeof swapStates)[number];

export const swaps = table('swap', {
  id: number,
  device_id: number,
  device_key: text,
  state: word<SwapState>(),
  old_box_id: maybe(number),
  old_box: text,
  new_box: maybe(text),
  reason: maybe(text),
  started_at: time,
  started_by: text,
  fitted_at: maybe(time),
  served_at: maybe(time),
  closed_at: maybe(time),
  down_at: maybe(time),
  spare: maybe(text),
  spare_hours: maybe(number),
  was: maybe(text),
  is: maybe(text),
  fault: maybe(text),
  ticks: text,
  behind: text,
  lost: maybe(text),
  report: maybe(text),
  compare_run: maybe(number),
  look_at: maybe(time),
});
export type SwapRow = RowOf<typeof swaps>;

/** What a device said of itself at a moment. */
export interface Said {
  at: string;
  version: string | null;
  answers: Answers;
}
export const saidIn = (held: string | null): Said | null => (held === null ? null : (JSON.parse(held) as Said));

export type Ticks = Record<string, { by: string; at: string }>;
export const ticksOf = (row: Pick<SwapRow, 'ticks'>): Ticks => JSON.parse(row.ticks) as Ticks;

const OPEN: SwapState[] = ['begun', 'booting', 'serving'];
export const isOpen = ({ state }: Pick<SwapRow, 'state'>): boolean => OPEN.includes(state);

export const openSwapOf = (tx: Tx, device: number, lock = false): Promise<SwapRow | undefined> =>
  tx.one<SwapRow>(
    `SELECT ${swaps.all} FROM swap WHERE device_id = ? AND closed_at IS NULL ORDER BY id DESC LIMIT 1${lock ? ' FOR UPDATE' : ''}`,
    [device],
  );

export async function mustFindSwap(tx: Tx, id: string, lock = false): Promise<SwapRow> {
  const row = /^[1-9][0-9]{0,15}$/.test(id)
    ? await tx.one<SwapRow>(`SELECT ${swaps.all} FROM swap WHERE id = ?${lock ? ' FOR UPDATE' : ''}`, [Number(id)])
    : undefined;
  if (!row) throw new Refusal('not-found', { kind: 'swap', ref: id });
  return row;
}

export async function mustBeOpen(tx: Tx, id: string): Promise<SwapRow> {
  const row = await mustFindSwap(tx, id, true);
  if (!isOpen(row)) throw new Refusal('swap-over', { id: row.id, device: row.device_key, state: row.state });
  return row;
}

export async function saveSwap(tx: Tx, id: number, fields: Partial<SwapRow>): Promise<void> {
  const names = Object.keys(fields);
  await tx.execute(`UPDATE swap SET ${names.map((name) => `\`${name}\` = ?`).join(', ')} WHERE id = ?`, [
    ...Object.values(fields),
    id,
  ]);
  tx.hint('swap', id, null);
}
