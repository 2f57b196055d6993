/** The rows of runs: one a device, and what became of it. What is kept under seal is asked for by itself. */
import type { Outcome } from '@zpine/core/fleet/outcomes';
import type { RunRow } from '@zpine/contract/fleetShapes';
import type { Tx } from '../../store/tx.ts';
import { maybe, number, table, text, time, word, type RowOf } from '../../store/table.ts';

export const rows = table('run_row', {
  run_id: number,
  seq: number,
  device_id: number,
  device_key: text,
  state: word<RunRow['state']>(),
  outcome: maybe(word<Outcome>()),
  detail: text,
  started_at: maybe(time),
  ms: maybe(number),
  result: maybe(text),
});
export type RowTableRow = RowOf<typeof rows>;

export type SealedRow = RowTableRow & { sealed: string | null };

export const rowColumns = rows.all;

/** Those that changed after a version of their run, in their order; all after -1. */
export const rowsOfRun = (tx: Tx, run: number, since = -1): Promise<RowTableRow[]> =>
  tx.select(`SELECT ${rowColumns} FROM run_row WHERE run_id = ? AND version > ? ORDER BY seq`, [run, since]);

/** Those with something to show for it. */
export const answeredRows = (tx: Tx, run: number): Promise<RowTableRow[]> =>
  tx.select(`SELECT ${rowColumns} FROM run_row WHERE run_id = ? AND result IS NOT NULL ORDER BY seq`, [run]);

/** Those that wait, with what is kept of their devices. */
export const waitingRowsOf = (tx: Tx, run: number): Promise<SealedRow[]> =>
  tx.select(`SELECT ${rowColumns}, sealed FROM run_row WHERE run_id = ? AND state = 'waiting' ORDER BY seq`, [run]);

/** Those that were changed, with what ran on their devices before and after. */
export const changedRows = (tx: Tx, run: number): Promise<SealedRow[]> =>
  tx.select(
    `SELECT ${rowColumns}, sealed FROM run_row WHERE run_id = ? AND sealed IS NOT NULL AND outcome IS NOT NULL ORDER BY seq`,
    [run],
  );

/** All of a run, with what is kept of their devices. */
export const sealedRows = (tx: Tx, run: number): Promise<SealedRow[]> =>
  tx.select(`SELECT ${rowColumns}, sealed FROM run_row WHERE run_id = ? ORDER BY seq`, [run]);

/** The next version of a run, which rows that change now have. */
export async function nextVersion(tx: Tx, run: number): Promise<number> {
  await tx.execute('UPDATE run SET version = version + 1 WHERE id = ?', [run]);
  return versionOf(tx, run);
}

const versionOf = async (tx: Tx, run: number): Promise<number> =>
  (await tx.one<{ version: number }>('SELECT version FROM run WHERE id = ?', [run]))?.version ?? 0;
