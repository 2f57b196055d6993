/** What booting clients asked and what came of it: kept for whoever looks for the reason. */
import { visible } from '@zpine/core/text/visible';
import { createHash } from 'node:crypto';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import { Instant } from '../../store/instant.ts';
import { keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { mustFind } from '../records/refs.ts';
import { maybe, number, table, text, time, type RowOf } from '../../store/table.ts';

export interface BootNote {
  protocol: 'dhcp' | 'tftp' | 'http' | 'trap';
  /** DISCOVER, REQUEST, read, life. */
  what: string;
  outcome: 'answered' | 'refused' | 'dropped' | 'broken';
  mac?: string | undefined;
  address?: string | undefined;
  device?: number | undefined;
  detail: string;
  /** Of DHCP: the packets themselves, and how they came. */
  packets?: { request: Uint8Array; reply: Uint8Array | undefined; source: string; broadcast: boolean };
}

/** Repetitions within this time are counted, not written again: a client that cannot boot asks for ever. */
const SAME_SECONDS = 60;

/** With when it happened first and last, ms since 1970, and how often. */
export interface TimedNote extends BootNote {
  at: number;
  lastAt: number;
  times: number;
}

const columnsOf = ({ protocol, what, outcome, mac, address, device, detail }: BootNote) => ({
  protocol,
  what,
  outcome,
  mac: mac ?? null,
  address: address ?? null,
  device_id: device ?? null,
  // What a client sends may steer the terminal of whoever reads it.
  detail: visible(detail).slice(0, 500),
});

const LARGEST = 1500;

/** What is larger than a packet of Ethernet is not kept: nobody boots by it. */
const packetColumns = (packets: BootNote['packets']) => {
  const kept = packets && packets.request.length <= LARGEST ? packets : undefined;
  return {
    request: kept ? Buffer.from(kept.request) : null,
    reply: kept?.reply ? Buffer.from(kept.reply) : null,
    source: kept?.source ?? null,
    broadcast: kept?.broadcast ? 1 : 0,
  };
};

/** `times`: how often it happened, where it was counted before. */
export async function saveBootRecord(tx: Tx, note: BootNote, times = 1): Promise<void> {
  const { ms } = await tx.now();
  await saveBootRecords(tx, [{ ...note, at: ms, lastAt: ms, times }]);
}

/** Many at once, in three statements at most. */
export async function saveBootRecords(tx: Tx, notes: readonly TimedNote[]): Promise<void> {
  if (notes.length === 0) return;
  type Written = ReturnType<typeof columnsOf> & ReturnType<typeof packetColumns>;
  const rows = new Map<string, Written & { at: Instant; last_at: Instant; times: number }>();
  for (const { at, lastAt, times, packets, ...note } of notes) {
    const columns = columnsOf(note);
    const same = createHash('md5')
      .update(JSON.stringify(Object.values(columns)))
      .digest('hex');
    const before = rows.get(same);
    const last_at = new Instant(Math.max(lastAt, before?.last_at.ms ?? 0));
    rows.set(same, {
      ...columns,
      ...packetColumns(packets),
      at: before?.at ?? new Instant(at),
      last_at,
      times: times + (before?.times ?? 0),
    });
  }
  const standing = await tx.select<{ id: number; same_as: string }>(
    `SELECT MAX(id) AS id, same_as FROM boot_record WHERE same_as IN (?) AND last_at > ? - INTERVAL ? SECOND GROUP BY same_as`,
    [[...rows.keys()], await tx.now(), SAME_SECONDS],
  );
  const again = standing.flatMap(({ id, same_as: same }) => {
    const row = rows.get(same);
    rows.delete(same);
    return row ? [{ id: Number(id), row }] : [];
  });
  if (again.length > 0) {
    const more = again.map(() => 'WHEN ? THEN ?').join(' ');
    await tx.execute(`UPDATE boot_record SET times = times + CASE id ${more} ELSE 0 END, last_at = ? WHERE id IN (?)`, [
      ...again.flatMap(({ id, row }) => [id, row.times]),
      new Instant(Math.max(...again.map(({ row }) => row.last_at.ms))),
      again.map(({ id }) => id),
    ]);
  }
  const fresh = [...rows].map(([same_as, row]) => ({ ...row, same_as }));
  if (fresh.length > 0) await tx.insertRows('boot_record', fresh, '');
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
