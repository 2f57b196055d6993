/** What booting clients asked and what came of it: kept for whoever looks for the reason. */
import { visible } from '@zpine/core/text/visible';
import { createHash } from 'node:crypto';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import { keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { mustFind } from '../records/refs.ts';
import { maybe, number, table, text, time, type RowOf } from '../../store/table.ts';

export interface BootNote {
  protocol: 'dhcp' | 'tftp' | 'http';
  /** DISCOVER, REQUEST, read, life. */
  what: string;
  outcome: 'answered' | 'refused' | 'dropped' | 'broken';
  mac?: string | undefined;
  address?: string | undefined;
  device?: number | undefined;
  detail: string;
}

/** Repetitions within this time are counted, not written again: a client that cannot boot asks for ever. */
const SAME_SECONDS = 60;

/** `times`: how often it happened, where it was counted before. */
export async function saveBootRecord(tx: Tx, note: BootNote, times = 1): Promise<void> {
  const now = await tx.now();
  const { protocol, what, outcome, mac = null, address = null, device = null } = note;
  // What a client sends may steer the terminal of whoever reads it.
  const detail = visible(note.detail).slice(0, 500);
  const same_as = createHash('md5')
    .update(JSON.stringify([protocol, what, outcome, mac, address, device, detail]))
    .digest('hex');
  const touched = await tx.execute(
    'UPDATE boot_record SET times = times + ?, last_at = ? WHERE same_as = ? AND last_at > ? - INTERVAL ? SECOND ORDER BY id DESC LIMIT 1',
    [times, now, same_as, now, SAME_SECONDS],
  );
  if (touched > 0) return;
  await tx.insertRows(
    'boot_record',
    [{ at: now, last_at: now, protocol, what, outcome, mac, address, device_id: device, detail, same_as, times }],
    '',
  );
}

export const records = table('boot_record', {
  id: number,
  at: time,
  last_at: time,
  times: number,
  protocol: text,
  what: text,
  outcome: text,
  mac: maybe(text),
  address: maybe(text),
  device_id: maybe(number),
  detail: text,
});
type Row = RowOf<typeof records>;

export async function listBootRecords(tx: Tx, query: QueryOf<'boot.records'>): Promise<ReplyOf<'boot.records'>> {
  const where: string[] = ['1 = 1'];
  const values: unknown[] = [];
  if (query.device !== undefined) {
    where.push('device_id = ?');
    values.push((await mustFind(tx, 'device', query.device)).id);
  }
  if (query.outcome !== undefined) {
    where.push('outcome = ?');
    values.push(query.outcome);
  }
  const rows = await tx.select<Row>(
    `SELECT ${records.all} FROM boot_record WHERE ${where.join(' AND ')} ORDER BY last_at DESC, id DESC LIMIT ?`,
    [...values, query.limit],
  );
  const keys = await keysOf(
    tx,
    'device',
    rows.map((row) => Number(row.device_id)).filter((id) => id > 0),
  );
  return {
    items: rows.map(({ device_id, at, last_at, id, ...row }) => ({
      ...row,
      id: Number(id),
      at: at.toISOString(),
      lastAt: last_at.toISOString(),
      device: device_id === null ? null : (keys.get(Number(device_id)) ?? `#${device_id}`),
    })),
  };
}
