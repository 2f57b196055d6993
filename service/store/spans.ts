/**
 * Free space, kept and not searched: per prefix a space for fixed addresses and one for blocks, each a set of disjoint,
 * maximal spans. Takes and gives touch one or two rows; shape changes rebuild a stretch from what stands in it.
 */
import { formatIp, fromBytes, parseIp, toBytes, type Family } from '@zpine/core/addressing/ip';
import { bitsOf } from '@zpine/core/addressing/ip';
import { formatPrefix, lastOf, parsePrefix, usableRange, type Prefix } from '@zpine/core/addressing/prefix';
import { parseRanges, spanOf } from '@zpine/core/addressing/ranges';
import { countOf, fitOf, freeWithin, merged, type Span } from '@zpine/core/addressing/spans';
import { mustParse } from '@zpine/core/fault';
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import type { Tx } from './tx.ts';

export type Holds = 'fixed' | 'blocks';

interface SpaceRow {
  id: number;
  prefix_id: number;
  holds: Holds;
  free: string;
}
interface SpanRow {
  first: Buffer;
  last: Buffer;
}

export const bytesOf = (family: Family, value: bigint): Buffer => Buffer.from(toBytes({ family, value }));
export const valueOf = (bytes: Buffer, family: Family): bigint => fromBytes(bytes, family).value;

const spanFrom = (row: SpanRow, family: Family): Span => ({
  first: valueOf(row.first, family),
  last: valueOf(row.last, family),
});

export async function createSpaces(tx: Tx, prefixId: number): Promise<void> {
  await tx.insertRows(
    'space',
    (['fixed', 'blocks'] as const).map((holds) => ({ prefix_id: prefixId, holds })),
  );
}

/** A space that is locked until the unit of work ends. */
interface Locked {
  id: number;
  free: bigint;
}

/** Locks the spaces of prefixes, in the one order that keeps writers from waiting on each other in a ring. */
export async function lockSpaces(tx: Tx, prefixIds: number[]): Promise<Map<string, Locked>> {
  if (prefixIds.length === 0) return new Map();
  const rows = await tx.select<SpaceRow>(
    'SELECT id, prefix_id, holds, free FROM space WHERE prefix_id IN (?) ORDER BY id FOR UPDATE',
    [prefixIds],
  );
  return new Map(rows.map((row) => [`${row.prefix_id} ${row.holds}`, { id: Number(row.id), free: BigInt(row.free) }]));
}

export async function spaceOf(tx: Tx, prefixId: number, holds: Holds): Promise<number> {
  const row = await tx.one<{ id: number }>('SELECT id FROM space WHERE prefix_id = ? AND holds = ?', [prefixId, holds]);
  if (!row) throw new Error(`prefix ${prefixId} has no space for ${holds}`);
  return Number(row.id);
}

/** The first free address at or above `from`. */
export async function nextFree(tx: Tx, space: number, family: Family, from: bigint): Promise<bigint | undefined> {
  const row = await spanAt(tx, space, family, from);
  if (!row) return undefined;
  const { first } = spanFrom(row, family);
  return first > from ? first : from;
}

/** Takes one stretch out of both spaces of a prefix, from each as far as it was wholly free there. They must be locked. */
export async function occupy(tx: Tx, spaces: Iterable<Locked>, family: Family, taken: Span): Promise<void> {
  const from: number[] = [];
  for (const { id } of spaces) {
    const row = await spanAt(tx, id, family, taken.last);
    if (!row || spanFrom(row, family).first > taken.first) continue;
    await cut(tx, id, family, row, taken);
    from.push(id);
  }
  if (from.length === 0) return;
  await tx.execute('UPDATE space SET free = free - ? WHERE id IN (?)', [countOf([taken]), from]);
}

/**
 * Takes the first address at or above `from` that is free for fixed assignment; gives it with what is left then, or
 * undefined when there is none. Everybody who assigns here waits for the same lock, so the caller may go on while the
 * last statements are under way, and must wait for `done`.
 */
export async function occupyNext(
  tx: Tx,
  prefixId: number,
  family: Family,
  from: bigint,
): Promise<{ value: bigint; left: bigint; done: Promise<unknown> } | undefined> {
  // Sent one behind the other: the spans are looked up when the lock is there, without a way back and forth.
  const [spaces, row, near] = await Promise.all([
    lockSpaces(tx, [prefixId]),
    spanIn(tx, prefixId, 'fixed', family, from),
    spanIn(tx, prefixId, 'blocks', family, from),
  ]);
  const fixed = spaces.get(`${prefixId} fixed`);
  const blocks = spaces.get(`${prefixId} blocks`);
  if (!fixed || !blocks) throw new Refusal('not-found', { kind: 'prefix', ref: `#${prefixId}` });
  if (!row) return undefined;
  const { first } = spanFrom(row, family);
  const value = first > from ? first : from;
  const taken = { first: value, last: value };
  const holdsIt = near && spanFrom(near, family).last >= value && spanFrom(near, family).first <= value;
  const block = holdsIt ? near : await spanAt(tx, blocks.id, family, value);
  if (!block) throw new Error(`prefix ${prefixId}: an address is free that is in no free block`);
  const done = Promise.all([
    cut(tx, fixed.id, family, row, taken),
    cut(tx, blocks.id, family, block, taken),
    tx.execute('UPDATE space SET free = free - 1 WHERE id IN (?)', [[fixed.id, blocks.id]]),
  ]);
  return { value, left: fixed.free - 1n, done };
}

const spanIn = (tx: Tx, prefixId: number, holds: Holds, family: Family, value: bigint): Promise<SpanRow | undefined> =>
  tx.one<SpanRow>(
    `SELECT f.first, f.last FROM space s JOIN free_span f ON f.space_id = s.id
     WHERE s.prefix_id = ? AND s.holds = ? AND f.last >= ? ORDER BY f.last LIMIT 1`,
    [prefixId, holds, bytesOf(family, value)],
  );

/** The free span that ends at or above `value`, the lowest of them. */
const spanAt = (tx: Tx, space: number, family: Family, value: bigint): Promise<SpanRow | undefined> =>
  tx.one<SpanRow>('SELECT first, last FROM free_span WHERE space_id = ? AND last >= ? ORDER BY last LIMIT 1', [
    space,
    bytesOf(family, value),
  ]);

/** Takes a stretch out of the one free span that holds it whole. */
async function cut(tx: Tx, space: number, family: Family, row: SpanRow, taken: Span): Promise<void> {
  const span = spanFrom(row, family);
  const before = span.first < taken.first ? { first: span.first, last: taken.first - 1n } : undefined;
  const after = taken.last < span.last ? { first: taken.last + 1n, last: span.last } : undefined;
  if (after) {
    const values = [bytesOf(family, after.first), fitOf(after, family), space, row.last];
    await tx.execute('UPDATE free_span SET first = ?, fit = ? WHERE space_id = ? AND last = ?', values);
  } else {
    await tx.execute('DELETE FROM free_span WHERE space_id = ? AND last = ?', [space, row.last]);
  }
  if (before) await insertSpans(tx, space, family, [before]);
}

async function insertSpans(tx: Tx, space: number, family: Family, spans: Span[]): Promise<void> {
  const rows = spans.map((span) => ({
    space_id: space,
    first: bytesOf(family, span.first),
    last: bytesOf(family, span.last),
    fit: fitOf(span, family),
  }));
  if (rows.length > 0) await tx.insertRows('free_span', rows, '');
}

/** Makes `free` the free spans of a stretch, whatever was there before; what touches its edges is joined. */
async function replaceStretch(tx: Tx, space: number, family: Family, stretch: Span, free: Span[]): Promise<void> {
  const below = stretch.first === 0n ? 0n : stretch.first - 1n;
  const top = (1n << BigInt(bitsOf(family))) - 1n;
  const above = stretch.last === top ? top : stretch.last + 1n;
  // Spans are disjoint, so those that touch the stretch are a run in the order of their ends.
  const touching = await tx.select<SpanRow>(
    `SELECT first, last FROM free_span WHERE space_id = ? AND last >= ? AND last <=
       COALESCE((SELECT last FROM free_span WHERE space_id = ? AND last >= ? ORDER BY last LIMIT 1), ?) ORDER BY last`,
    [space, bytesOf(family, below), space, bytesOf(family, above), bytesOf(family, top)],
  );
  const old = touching.map((row) => spanFrom(row, family)).filter((span) => span.first <= above);
  const kept = old.flatMap((span) => freeWithin(span, [stretch]));
  if (old.length > 0) {
    await tx.execute('DELETE FROM free_span WHERE space_id = ? AND last >= ? AND last <= ?', [
      space,
      bytesOf(family, old[0]?.last ?? 0n),
      bytesOf(family, old.at(-1)?.last ?? 0n),
    ]);
  }
  const fresh = merged([...kept, ...free]);
  await insertSpans(tx, space, family, fresh);
  const grown = countOf(fresh) - countOf(old);
  if (grown !== 0n) await tx.execute('UPDATE space SET free = free + ? WHERE id = ?', [grown, space]);
}

/** What a prefix keeps from being handed out by itself, beside children and assigned addresses. */
export function withheld(
  p: Prefix,
  record: Pick<Stored<'prefix'>, 'gateway' | 'heldBack' | 'pool' | 'quarantine'>,
): Span[] {
  const usable = usableRange(p);
  const edges = freeWithin({ first: p.first, last: lastOf(p) }, [usable]);
  const ranges = [record.heldBack, record.pool, record.quarantine].flatMap((text) =>
    text ? mustParse(parseRanges(text)).map(spanOf) : [],
  );
  const gateway = record.gateway ? [mustParse(parseIp(record.gateway)).value] : [];
  return [...edges, ...ranges, ...gateway.map((value) => ({ first: value, last: value }))];
}

/** The addresses assigned directly in a prefix, within a stretch. */
const assignedIn = (tx: Tx, prefixId: number, family: Family, stretch: Span): Promise<Span[]> =>
  singlesIn(tx, 'address', prefixId, family, stretch);

/** Those that were given back not long ago: nobody gets them by itself yet. */
const restingIn = (tx: Tx, prefixId: number, family: Family, stretch: Span): Promise<Span[]> =>
  singlesIn(tx, 'resting', prefixId, family, stretch);

async function singlesIn(
  tx: Tx,
  table: 'address' | 'resting',
  prefixId: number,
  family: Family,
  stretch: Span,
): Promise<Span[]> {
  const rows = await tx.select<{ address: Buffer }>(
    `SELECT address FROM ${table} WHERE prefix_id = ? AND address >= ? AND address <= ?`,
    [prefixId, bytesOf(family, stretch.first), bytesOf(family, stretch.last)],
  );
  return rows.map((row) => valueOf(row.address, family)).map((value) => ({ first: value, last: value }));
}

async function childrenIn(tx: Tx, prefixId: number, family: Family, stretch: Span): Promise<Span[]> {
  const rows = await tx.select<{ cidr: Buffer; cidr_length: number }>(
    'SELECT cidr, cidr_length FROM prefix WHERE parent_id = ? AND cidr >= ? AND cidr <= ?',
    [prefixId, bytesOf(family, stretch.first), bytesOf(family, stretch.last)],
  );
  return rows.map((row) => {
    const child: Prefix = { family, first: valueOf(row.cidr, family), length: row.cidr_length };
    return { first: child.first, last: lastOf(child) };
  });
}

/**
 * Works both spaces of a prefix out anew within a stretch, from its children, its addresses and what it keeps back.
 * Used by every change of shape; the spaces must be locked, and children and addresses must already stand right.
 */
export async function rebuild(tx: Tx, record: Stored<'prefix'>, stretch?: Span): Promise<void> {
  const p = mustParse(parsePrefix(record.cidr));
  const within = stretch ?? { first: p.first, last: lastOf(p) };
  const spaces = await lockSpaces(tx, [record.id]);
  const children = await childrenIn(tx, record.id, p.family, within);
  const assigned = await assignedIn(tx, record.id, p.family, within);
  const taken: Record<Holds, Span[]> = {
    blocks: [...children, ...assigned],
    fixed: [...children, ...assigned, ...withheld(p, record), ...(await restingIn(tx, record.id, p.family, within))],
  };
  for (const holds of ['fixed', 'blocks'] as const) {
    const space = spaces.get(`${record.id} ${holds}`);
    if (space === undefined) throw new Error(`prefix ${record.key} has no space for ${holds}`);
    await replaceStretch(tx, space.id, p.family, within, freeWithin(within, taken[holds]));
  }
}

/** How many addresses of a prefix are free for fixed assignment; the count is kept with the spans. */
export async function freeCount(tx: Tx, prefixId: number): Promise<bigint> {
  const row = await tx.one<{ free: string }>("SELECT free FROM space WHERE prefix_id = ? AND holds = 'fixed'", [
    prefixId,
  ]);
  return BigInt(row?.free ?? 0);
}

/** The free spans of a prefix, in order; only so many of them, and only those into which a block of a length fits. */
export async function freeSpans(
  tx: Tx,
  prefixId: number,
  family: Family,
  holds: Holds,
  { most, length = bitsOf(family) }: { most?: number; length?: number } = {},
): Promise<Span[]> {
  const rows = await tx.select<SpanRow>(
    `SELECT f.first, f.last FROM free_span f JOIN space s ON s.id = f.space_id
     WHERE s.prefix_id = ? AND s.holds = ? AND f.fit <= ? ORDER BY f.last ${most === undefined ? '' : 'LIMIT ?'}`,
    [prefixId, holds, length, ...(most === undefined ? [] : [most])],
  );
  return rows.map((row) => spanFrom(row, family));
}

/** The smallest prefix that covers a block or an address, by exact probes of all its truncations. */
export async function smallestCovering(
  tx: Tx,
  vrfId: number,
  candidates: Prefix[],
  lock = false,
): Promise<number | undefined> {
  const family = candidates[0]?.family;
  if (family === undefined) return undefined;
  const probes = candidates.map(() => '(?, ?)').join(', ');
  const row = await tx.one<{ id: number }>(
    `SELECT id FROM prefix WHERE vrf_id = ? AND cidr_family = ? AND (cidr, cidr_length) IN (${probes})
     ORDER BY cidr_length DESC LIMIT 1 ${lock ? 'FOR UPDATE' : ''}`,
    [vrfId, family, ...candidates.flatMap((c) => [bytesOf(family, c.first), c.length])],
  );
  return row === undefined ? undefined : Number(row.id);
}

export const prefixText = (family: Family, bytes: Buffer, length: number): string =>
  formatPrefix({ family, first: valueOf(bytes, family), length });
export const ipText = (family: Family, value: bigint): string => formatIp({ family, value });
