/** Leases as they are kept: who was promised which address until when. */
import type { Held, LeaseSource } from '@zpine/core/dhcp/leases';
import { Instant } from '../../store/instant.ts';
import { insertsOf } from '../../store/inserts.ts';
import { bytesOf, valueOf } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { bytes, maybe, number, table, text, time, word, type RowOf } from '../../store/table.ts';

export const leases = table('lease', {
  id: number,
  vrf_id: number,
  prefix_id: number,
  address: bytes,
  source: word<LeaseSource | 'declined'>(),
  client: text,
  mac: text,
  device_id: maybe(number),
  started_at: time,
  expires_at: time,
  acknowledged: number,
  changed_at: time,
});
export type LeaseRow = RowOf<typeof leases>;

/** What is to be written of a lease: as it is from now on. */
export type Kept = Omit<Held, 'kept'>;

const placeOf = ({ vrf, address }: Pick<Held, 'vrf' | 'address'>): string => `${vrf} ${address}`;

/**
 * A write goes before what stands there where it is of the same client, where that is over, where the records say whose the
 * address is, or where its client found somebody else there. Assignments are made from left to right, so that all others go by the first one.
 */
const TAKEN = `ON DUPLICATE KEY UPDATE
  won = client = VALUES(client) OR (device_id IS NOT NULL AND device_id <=> VALUES(device_id)) OR client = ''
    OR expires_at <= VALUES(changed_at) OR acknowledged = 0 OR VALUES(source) IN ('fixed', 'declined'),
  started_at = IF(won, IF(client = VALUES(client) AND expires_at > VALUES(changed_at), started_at, VALUES(started_at)), started_at),
  ${['prefix_id', 'source', 'mac', 'device_id', 'expires_at', 'acknowledged', 'changed_at', 'writer', 'client']
    .map((column) => `${column} = IF(won, VALUES(${column}), ${column})`)
    .join(', ')}`;

/**
 * Writes leases together. Gives those that another client has by now: of two services that promise the same address one
 * is first.
 */
export async function keepLeases(tx: Tx, rows: readonly Kept[], writer: number): Promise<Kept[]> {
  const now = await tx.now();
  const written = rows.map((row) => ({
    vrf_id: row.vrf,
    prefix_id: row.prefix,
    address: bytesOf(4, BigInt(row.address)),
    family: 4,
    source: row.source,
    client: row.word,
    mac: row.mac,
    device_id: row.device,
    started_at: now,
    expires_at: new Instant(row.expires),
    acknowledged: row.acknowledged ? 1 : 0,
    changed_at: now,
    writer,
  }));
  for (const { sql, values } of insertsOf('lease', written, { tail: ` ${TAKEN}` })) await tx.execute(sql, values);
  const contended = rows.filter(({ source, acknowledged }) => source !== 'fixed' && acknowledged);
  if (contended.length === 0) return [];
  const standing = await tx.select<{ vrf_id: number; address: Buffer; client: string }>(
    'SELECT vrf_id, address, client FROM lease WHERE family = 4 AND vrf_id IN (?) AND address IN (?)',
    [[...new Set(contended.map(({ vrf }) => vrf))], contended.map(({ address }) => bytesOf(4, BigInt(address)))],
  );
  const holders = new Map(standing.map((row) => [`${row.vrf_id} ${valueOf(row.address, 4)}`, row.client]));
  return contended.filter((row) => holders.get(placeOf(row)) !== row.word);
}

/** Leases that a device had elsewhere: it has one. */
export async function dropLeases(tx: Tx, rows: readonly Held[]): Promise<void> {
  for (const { vrf, address, word } of rows)
    await tx.execute('DELETE FROM lease WHERE family = 4 AND vrf_id = ? AND address = ? AND client = ?', [
      vrf,
      bytesOf(4, BigInt(address)),
      word,
    ]);
}

/** Ends leases by the records: whoever answers from memory is told of their prefixes. */
export async function endLeases(tx: Tx, where: string, values: readonly unknown[]): Promise<number> {
  const rows = await tx.select<{ prefix_id: number }>(`SELECT DISTINCT prefix_id FROM lease WHERE ${where}`, values);
  if (rows.length === 0) return 0;
  const count = await tx.execute(`DELETE FROM lease WHERE ${where}`, values);
  for (const { prefix_id: prefix } of rows) tx.hint('leases-in', Number(prefix), null);
  return count;
}
