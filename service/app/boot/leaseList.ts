/** Leases as people see them: listed, counted by pool, ended by hand. */
import { parseIp } from '@zpine/core/addressing/ip';
import { mustParse } from '@zpine/core/fault';
import { parseRanges, spanOf } from '@zpine/core/addressing/ranges';
import { Refusal } from '@zpine/contract/errors';
import type { ShownLease, ShownPool } from '@zpine/contract/leaseRoutes';
import type { BodyOf, QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, find, keysOf } from '../../store/records.ts';
import { bytesOf, ipText, valueOf } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { mustFind, mustFindField } from '../records/refs.ts';
import { leases, type LeaseRow } from './leases.ts';

const inState: Record<ShownLease['state'], string> = {
  held: "l.acknowledged = 1 AND l.expires_at > ? AND l.source <> 'declined'",
  over: "NOT (l.acknowledged = 1 AND l.expires_at > ?) AND l.source <> 'declined'",
  'left alone': "l.source = 'declined' AND l.expires_at > ?",
};

export async function listLeases(tx: Tx, query: QueryOf<'lease.list'>): Promise<ReplyOf<'lease.list'>> {
  const { prefix, device, client, state, after, limit } = query;
  const now = await tx.now();
  // What was declined and is over is nobody's lease.
  const tests = ["l.family = 4 AND NOT (l.source = 'declined' AND l.expires_at <= ?)"];
  const values: unknown[] = [now];
  const where = (sql: string, ...more: unknown[]) => {
    tests.push(sql);
    values.push(...more);
  };
  if (prefix !== undefined) where('l.prefix_id = ?', (await mustFindField(tx, 'prefix', prefix, 'prefix')).id);
  if (device !== undefined) where('l.device_id = ?', (await mustFind(tx, 'device', device)).id);
  if (client !== undefined) {
    const begins = `${client.replaceAll(/[\\%_]/g, '\\$&')}%`;
    where('(l.client LIKE ? OR l.mac LIKE ?)', begins, begins.toLowerCase());
  }
  if (state !== undefined) where(inState[state], now);
  if (after !== undefined) {
    const place = await placeOf(tx, after);
    where('(l.vrf_id > ? OR (l.vrf_id = ? AND l.address > ?))', place.vrf, place.vrf, place.bytes);
  }
  const rows = await tx.select<LeaseRow>(
    `SELECT ${leases.of('l')} FROM lease l WHERE ${tests.join(' AND ')} ORDER BY l.vrf_id, l.address LIMIT ?`,
    [...values, limit + 1],
  );
  return { items: await shown(tx, rows.slice(0, limit), now.ms), more: rows.length > limit };
}

/** `10.77.16.9`, or with its VRF, `10.77.64.9@mgmt`. */
async function placeOf(tx: Tx, text: string): Promise<{ vrf: number; bytes: Buffer }> {
  const [address = '', vrf = 'default'] = text.split('@');
  const ip = parseIp(address);
  if (!ip.ok) throw Refusal.at(['address'], ip.fault.code, ip.fault.params);
  const { id } = await mustFindField(tx, 'vrf', vrf, 'address');
  return { vrf: id, bytes: bytesOf(ip.value.family, ip.value.value) };
}

async function shown(tx: Tx, rows: readonly LeaseRow[], now: number): Promise<ShownLease[]> {
  const ids = (of: (row: LeaseRow) => number | null) => rows.flatMap((row) => of(row) ?? []).map(Number);
  const prefixes = await keysOf(
    tx,
    'prefix',
    ids((row) => row.prefix_id),
  );
  const devices = await keysOf(
    tx,
    'device',
    ids((row) => row.device_id),
  );
  const vrfs = await keysOf(
    tx,
    'vrf',
    ids((row) => row.vrf_id),
  );
  return rows.map((row) => {
    const vrf = vrfs.get(Number(row.vrf_id)) ?? 'default';
    const alone = row.source === 'declined';
    const held = Boolean(row.acknowledged) && row.expires_at.getTime() > now;
    return {
      address: `${ipText(4, valueOf(row.address, 4))}${vrf === 'default' ? '' : `@${vrf}`}`,
      prefix: prefixes.get(Number(row.prefix_id)) ?? '',
      state: alone ? 'left alone' : held ? 'held' : 'over',
      source: alone ? null : row.source === 'fixed' ? 'record' : row.source === 'pool' ? 'pool' : 'quarantine',
      device: row.device_id === null ? null : (devices.get(Number(row.device_id)) ?? null),
      client: row.client,
      mac: row.mac,
      since: row.started_at.toISOString(),
      until: row.expires_at.toISOString(),
    };
  });
}

/** The lease at an address, for whoever looks it up. */
export async function leaseOf(tx: Tx, vrf: number, address: bigint): Promise<ShownLease | null> {
  const now = await tx.now();
  const rows = await tx.select<LeaseRow>(
    `SELECT ${leases.all} FROM lease WHERE vrf_id = ? AND family = 4 AND address = ? AND NOT (source = 'declined' AND expires_at <= ?)`,
    [vrf, bytesOf(4, address), now],
  );
  return (await shown(tx, rows, now.ms))[0] ?? null;
}

export async function endLease(tx: Tx, { address }: BodyOf<'lease.end'>): Promise<ShownLease> {
  const now = await tx.now();
  const place = await placeOf(tx, address);
  const row = await tx.one<LeaseRow>(
    `SELECT ${leases.all} FROM lease WHERE vrf_id = ? AND family = 4 AND address = ? FOR UPDATE`,
    [place.vrf, place.bytes],
  );
  const [before] = row ? await shown(tx, [row], now.ms) : [];
  if (!row || !before || before.state === 'over') throw new Refusal('lease-none', { address });
  await tx.execute('DELETE FROM lease WHERE id = ?', [row.id]);
  tx.hint('leases-in', Number(row.prefix_id), null);
  await tx.change({
    kind: 'lease',
    id: Number(row.id),
    key: `lease of ${before.address}`,
    versionFrom: 1,
    versionTo: null,
    before: { state: before.state, device: before.device, client: before.client, until: before.until },
    after: null,
  });
  return { ...before, state: 'over', until: now.iso };
}

const POOLS = ['pool', 'quarantine'] as const;

/** Those of all prefixes that have any, or of one. */
async function poolsOf(tx: Tx, prefixes: readonly Stored<'prefix'>[]): Promise<ShownPool[]> {
  if (prefixes.length === 0) return [];
  const rows = await tx.select<{ prefix_id: number; address: Buffer; source: string }>(
    `SELECT prefix_id, address, source FROM lease WHERE family = 4 AND prefix_id IN (?) AND source <> 'fixed' AND expires_at > ?
     AND (acknowledged = 1 OR source = 'declined')`,
    [prefixes.map(({ id }) => id), await tx.now()],
  );
  return prefixes.flatMap((prefix) =>
    POOLS.flatMap((pool): ShownPool[] => {
      const ranges = mustParse(parseRanges(prefix[pool] ?? '')).map(spanOf);
      const size = ranges.reduce((sum, { first, last }) => sum + Number(last - first) + 1, 0);
      if (size === 0) return [];
      const here = rows.filter((row) => {
        const value = valueOf(row.address, 4);
        return Number(row.prefix_id) === prefix.id && ranges.some(({ first, last }) => value >= first && value <= last);
      });
      const leftAlone = here.filter(({ source }) => source === 'declined').length;
      return [{ prefix: prefix.key, pool, size, held: here.length - leftAlone, leftAlone }];
    }),
  );
}

/** Prefixes of IPv4 with a pool; those with leases in it first, as only they can be full. */
async function prefixesWithPools(tx: Tx): Promise<Stored<'prefix'>[]> {
  const rows = await tx.select<{ id: number }>(
    "SELECT id FROM prefix WHERE cidr_family = 4 AND (COALESCE(pool, '') <> '' OR COALESCE(quarantine, '') <> '')",
  );
  return [
    ...(
      await byIds(
        tx,
        'prefix',
        rows.map(({ id }) => Number(id)),
      )
    ).values(),
  ];
}

const share = ({ held, leftAlone, size }: ShownPool): number => (held + leftAlone) / size;

export async function listPools(tx: Tx, query: QueryOf<'lease.pools'>): Promise<ReplyOf<'lease.pools'>> {
  const prefixes =
    query.prefix === undefined
      ? await prefixesWithPools(tx)
      : await find(tx, 'prefix', { id: [(await mustFindField(tx, 'prefix', query.prefix, 'prefix')).id] });
  const pools = await poolsOf(tx, prefixes);
  return { items: pools.sort((a, b) => share(b) - share(a)).slice(0, query.limit) };
}

/** A pool with less than that left is told of before it is full. */
const LOW = 0.85;

/** Only prefixes in which anybody has an address of a pool are looked at. */
export async function lowPools(tx: Tx): Promise<ShownPool[]> {
  const rows = await tx.select<{ prefix_id: number }>(
    "SELECT DISTINCT prefix_id FROM lease WHERE family = 4 AND source <> 'fixed' AND expires_at > ?",
    [await tx.now()],
  );
  if (rows.length === 0) return [];
  const prefixes = await byIds(tx, 'prefix', rows, 'prefix_id');
  return (await poolsOf(tx, [...prefixes.values()])).filter((pool) => share(pool) >= LOW);
}
