/** Leases: one a device, from the records where they hold an address in its prefix, else from the pool. */
import { formatIp, parseIp } from '@zpine/core/addressing/ip';
import { parseRanges, spanOf } from '@zpine/core/addressing/ranges';
import type { Span } from '@zpine/core/addressing/spans';
import type { LeaseOffer, LeaseSource } from '@zpine/core/dhcp/look';
import { mustParse } from '@zpine/core/fault';
import type { Stored } from '@zpine/contract/kinds';
import { sha256Hex } from '../../store/digests.ts';
import { bytesOf, lockSpaces, valueOf } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { bytes, maybe, number, table, text, time, word, type RowOf } from '../../store/table.ts';

export interface Holder {
  /** One word for the client. */
  word: string;
  mac: string;
  device: number | null;
  stranger: number | null;
}

export const leases = table('lease', {
  id: number,
  vrf_id: number,
  prefix_id: number,
  address: bytes,
  source: word<LeaseSource | 'declined'>(),
  client: text,
  mac: text,
  device_id: maybe(number),
  stranger_id: maybe(number),
  started_at: time,
  expires_at: time,
  acknowledged: number,
});
export type LeaseRow = RowOf<typeof leases>;

const spansOf = (text: string | null): Span[] => (text ? mustParse(parseRanges(text)).map(spanOf) : []);
const sizeOf = (spans: Span[]): bigint => spans.reduce((sum, span) => sum + span.last - span.first + 1n, 0n);

function nthOf(spans: Span[], n: bigint): bigint {
  let left = n;
  for (const span of spans) {
    const size = span.last - span.first + 1n;
    if (left < size) return span.first + left;
    left -= size;
  }
  throw new Error('behind the end of the pool');
}

const offerFrom = (link: { key: string }, source: 'pool' | 'quarantine', value: bigint): LeaseOffer => ({
  address: formatIp({ family: 4, value }),
  source,
  from: `${source === 'pool' ? 'pool' : 'quarantine pool'} of ${link.key}`,
});

/** The first address of a pool, whoever may have it. */
export function poolOffer(link: Stored<'prefix'>, source: 'pool' | 'quarantine'): LeaseOffer | undefined {
  const [first] = spansOf(source === 'pool' ? link.pool : link.quarantine);
  return first && offerFrom(link, source, first.first);
}

const TRIES = 24;
/** An offer is held for so long. */
const OFFER_SECONDS = 60;

/**
 * An address of the pool for a client: the one it has or had, else one that its own word leads to, else the first that
 * is free, else the one that has been out of use the longest. Undefined when all are in use. Where one is `taking` it, the
 * prefix is locked.
 */
export async function poolAddress(
  tx: Tx,
  link: Stored<'prefix'>,
  source: 'pool' | 'quarantine',
  word: string,
  taking: boolean,
): Promise<LeaseOffer | undefined> {
  const spans = spansOf(source === 'pool' ? link.pool : link.quarantine);
  const size = sizeOf(spans);
  if (size === 0n) return undefined;
  if (taking) await lockSpaces(tx, [link.id]);
  const place = (value: bigint): LeaseOffer => offerFrom(link, source, value);
  const inside = (value: bigint) => spans.some((span) => value >= span.first && value <= span.last);
  const had = await tx.select<LeaseRow>(
    `SELECT ${leases.all} FROM lease WHERE prefix_id = ? AND client = ? AND source = ?`,
    [link.id, word, source],
  );
  const mine = had.map((row) => valueOf(row.address, 4)).find(inside);
  if (mine !== undefined) return place(mine);
  const start = BigInt(`0x${sha256Hex(word).slice(0, 12)}`) % size;
  for (let i = 0n; i < BigInt(TRIES) && i < size; i += 1n) {
    const value = nthOf(spans, (start + i) % size);
    if (await isFree(tx, link, value)) return place(value);
  }
  return firstFree(tx, link, spans, place);
}

async function isFree(tx: Tx, link: Stored<'prefix'>, value: bigint): Promise<boolean> {
  // An expired lease is kept for its client as long as there is other room.
  const row = await tx.one<{ id: number }>('SELECT id FROM lease WHERE vrf_id = ? AND family = 4 AND address = ?', [
    link.vrf,
    bytesOf(4, value),
  ]);
  return !row;
}

async function firstFree(
  tx: Tx,
  link: Stored<'prefix'>,
  spans: Span[],
  place: (value: bigint) => LeaseOffer,
): Promise<LeaseOffer | undefined> {
  for (const span of spans) {
    const rows = await tx.select<{ address: Buffer }>(
      'SELECT address FROM lease WHERE vrf_id = ? AND family = 4 AND address BETWEEN ? AND ? ORDER BY address',
      [link.vrf, bytesOf(4, span.first), bytesOf(4, span.last)],
    );
    let next = span.first;
    for (const row of rows) {
      const taken = valueOf(row.address, 4);
      if (taken > next) break;
      next = taken + 1n;
    }
    if (next <= span.last) return place(next);
  }
  const bounds = spans.map(() => 'address BETWEEN ? AND ?').join(' OR ');
  const oldest = await tx.one<LeaseRow>(
    `SELECT ${leases.all} FROM lease WHERE vrf_id = ? AND family = 4 AND expires_at <= ? AND (${bounds}) ORDER BY expires_at LIMIT 1`,
    [link.vrf, await tx.now(), ...spans.flatMap((span) => [bytesOf(4, span.first), bytesOf(4, span.last)])],
  );
  return oldest && place(valueOf(oldest.address, 4));
}

/** Writes a lease down: held for an offer, or for its whole time once it is asked for. */
export async function saveLease(
  tx: Tx,
  link: { id: number; vrf: number },
  place: LeaseOffer,
  holder: Holder,
  seconds: number,
  acknowledged: boolean,
): Promise<void> {
  const now = await tx.now();
  const { value } = mustParse(parseIp(place.address));
  if (acknowledged && holder.device !== null) {
    await tx.execute('DELETE FROM lease WHERE device_id = ? AND NOT (vrf_id = ? AND family = 4 AND address = ?)', [
      holder.device,
      link.vrf,
      bytesOf(4, value),
    ]);
  }
  const lasting = acknowledged ? seconds : OFFER_SECONDS;
  await tx.execute(
    `INSERT INTO lease (vrf_id, prefix_id, address, family, source, client, mac, device_id, stranger_id, started_at, expires_at, acknowledged)
     VALUES (?, ?, ?, 4, ?, ?, ?, ?, ?, ?, ? + INTERVAL ? SECOND, ?)
     ON DUPLICATE KEY UPDATE prefix_id = VALUES(prefix_id), source = VALUES(source), started_at = IF(client = VALUES(client), started_at, VALUES(started_at)),
       expires_at = IF(client = VALUES(client) AND acknowledged > VALUES(acknowledged), expires_at, VALUES(expires_at)),
       acknowledged = IF(client = VALUES(client), GREATEST(acknowledged, VALUES(acknowledged)), VALUES(acknowledged)),
       mac = VALUES(mac), device_id = VALUES(device_id), stranger_id = VALUES(stranger_id), client = VALUES(client)`,
    [
      link.vrf,
      link.id,
      bytesOf(4, value),
      place.source,
      holder.word,
      holder.mac,
      holder.device,
      holder.stranger,
      now,
      now,
      lasting,
      acknowledged ? 1 : 0,
    ],
  );
}

/** The lease that an address has now, if any. */
export async function leaseAt(tx: Tx, address: string): Promise<LeaseRow | undefined> {
  const read = parseIp(address);
  if (!read.ok || read.value.family !== 4) return undefined;
  return tx.one<LeaseRow>(
    `SELECT ${leases.all} FROM lease WHERE family = 4 AND address = ? AND acknowledged = 1 AND expires_at > ? ORDER BY vrf_id LIMIT 1`,
    [bytesOf(4, read.value.value), await tx.now()],
  );
}

/** RELEASE: the client gives its address back. */
export async function release(tx: Tx, address: string, word: string): Promise<boolean> {
  const lease = await leaseAt(tx, address);
  if (lease?.client !== word) return false;
  await tx.execute('UPDATE lease SET expires_at = ?, acknowledged = 0 WHERE id = ?', [await tx.now(), lease.id]);
  return true;
}

/** DECLINE: somebody else answers there. It is kept out of use for a while. */
export async function decline(tx: Tx, address: string, word: string, seconds: number): Promise<boolean> {
  const read = parseIp(address);
  if (!read.ok) return false;
  const touched = await tx.execute(
    "UPDATE lease SET source = 'declined', client = '', device_id = NULL, stranger_id = NULL, acknowledged = 0, expires_at = ? + INTERVAL ? SECOND WHERE family = 4 AND address = ? AND client = ?",
    [await tx.now(), seconds, bytesOf(4, read.value.value), word],
  );
  return touched > 0;
}
