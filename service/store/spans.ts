/**
 * Free space, kept and not searched: per prefix a space for fixed addresses and one for blocks, each a set of disjoint,
 * maximal spans. Takes and gives touch one or two rows; shape changes rebuild a stretch from what stands in it.
 */
import { formatIp, fromBytes, parseIp, toBytes, type Family } from '@zpine/core/addressing/ip';
import { bitsOf } from '@zpine/core/addressing/ip';
import { formatPrefix, lastOf, parsePrefix, usableRange, type Prefix } from '@zpine/core/addressing/prefix';
import { parseRanges, spanOf } from '@zpine/core/addressing/ranges';
import { countOf, fitOf, freeWithin, merged, type Span } from '@zpine/core/addressing/spans';
import { sure } from '@zpine/core/fault';
import { type Stored } from '@zpine/contract/kinds';
import { type Tx } from './tx.ts';

export type Holds = 'fixed' | 'blocks';

interface SpaceRow {
  id: number;
  prefix_id: number;
  holds: Holds;
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

/** Locks the spaces of prefixes, in the one order that keeps writers from waiting on each other in a ring. */
export async function lockSpaces(tx: Tx, prefixIds: number[], holds?: Holds): Promise<Map<string, number>> {
  if (prefixIds.length === 0) return new Map();
  const rows = await tx.select<SpaceRow>(
    `SELECT id, prefix_id, holds FROM space WHERE prefix_id IN (?) ${holds ? 'AND holds = ?' : ''} ORDER BY id FOR UPDATE`,
    holds ? [prefixIds, holds] : [prefixIds],
  );
  return new Map(rows.map((row) => [`${row.prefix_id} ${row.holds}`, Number(row.id)]));
}

export async function spaceOf(tx: Tx, prefixId: number, holds: Holds, lock = false): Promise<number> {
  const row = await tx.one<{ id: number }>(
    `SELECT id FROM space WHERE prefix_id = ? AND holds = ? ${lock ? 'FOR UPDATE' : ''}`,
    [prefixId, holds],
  );
  if (!row) throw new Error(`prefix ${prefixId} has no space for ${holds}`);
  return Number(row.id);
}

/** The first free address at or above `from`. */
export async function nextFree(tx: Tx, space: number, family: Family, from: bigint): Promise<bigint | undefined> {
  const row = await tx.one<SpanRow>(
    'SELECT first, last FROM free_span WHERE space_id = ? AND last >= ? ORDER BY last LIMIT 1',
    [space, bytesOf(family, from)],
  );
  if (!row) return undefined;
  const { first } = spanFrom(row, family);
  return first > from ? first : from;
}

/** Takes one stretch out of the free space. False when not all of it was free. The space must be locked. */
export async function take(tx: Tx, space: number, family: Family, taken: Span): Promise<boolean> {
  const row = await tx.one<SpanRow>(
    'SELECT first, last FROM free_span WHERE space_id = ? AND last >= ? ORDER BY last LIMIT 1',
    [space, bytesOf(family, taken.last)],
  );
  if (!row) return false;
  const span = spanFrom(row, family);
  if (span.first > taken.first) return false;
  const before = span.first < taken.first ? { first: span.first, last: taken.first - 1n } : undefined;
  const after = taken.last < span.last ? { first: taken.last + 1n, last: span.last } : undefined;
  if (after) {
    await tx.execute('UPDATE free_span SET first = ?, fit = ? WHERE space_id = ? AND last = ?', [
      bytesOf(family, after.first),
      fitOf(after, family),
      space,
      row.last,
    ]);
  } else {
    await tx.execute('DELETE FROM free_span WHERE space_id = ? AND last = ?', [space, row.last]);
  }
  if (before) await insertSpans(tx, space, family, [before]);
  return true;
}

/** Gives a stretch back and lets it grow together with its neighbours. The space must be locked. */
export async function give(tx: Tx, space: number, family: Family, given: Span): Promise<void> {
  await replaceStretch(tx, space, family, given, [given]);
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
  await insertSpans(tx, space, family, merged([...kept, ...free]));
}

/** What a prefix keeps from being handed out by itself, beside children and assigned addresses. */
export function withheld(p: Prefix, record: Pick<Stored<'prefix'>, 'gateway' | 'heldBack' | 'pool'>): Span[] {
  const usable = usableRange(p);
  const edges = freeWithin({ first: p.first, last: lastOf(p) }, [usable]);
  const ranges = [record.heldBack, record.pool].flatMap((text) => (text ? sure(parseRanges(text)).map(spanOf) : []));
  const gateway = record.gateway ? [sure(parseIp(record.gateway)).value] : [];
  return [...edges, ...ranges, ...gateway.map((value) => ({ first: value, last: value }))];
}

/** The addresses assigned directly in a prefix, within a stretch. */
async function assignedIn(tx: Tx, prefixId: number, family: Family, stretch: Span): Promise<Span[]> {
  const rows = await tx.select<{ address: Buffer }>(
    'SELECT address FROM address WHERE prefix_id = ? AND address >= ? AND address <= ?',
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
  const p = sure(parsePrefix(record.cidr));
  const within = stretch ?? { first: p.first, last: lastOf(p) };
  const spaces = await lockSpaces(tx, [record.id]);
  const children = await childrenIn(tx, record.id, p.family, within);
  const assigned = await assignedIn(tx, record.id, p.family, within);
  const taken: Record<Holds, Span[]> = {
    blocks: [...children, ...assigned],
    fixed: [...children, ...assigned, ...withheld(p, record)],
  };
  for (const holds of ['fixed', 'blocks'] as const) {
    const space = spaces.get(`${record.id} ${holds}`);
    if (space === undefined) throw new Error(`prefix ${record.key} has no space for ${holds}`);
    await replaceStretch(tx, space, p.family, within, freeWithin(within, taken[holds]));
  }
}

/** How much of a prefix is free for fixed assignment. */
export async function freeCount(tx: Tx, prefixId: number, family: Family): Promise<bigint> {
  const rows = await tx.select<SpanRow>(
    'SELECT f.first, f.last FROM free_span f JOIN space s ON s.id = f.space_id WHERE s.prefix_id = ? AND s.holds = ?',
    [prefixId, 'fixed'],
  );
  return countOf(rows.map((row) => spanFrom(row, family)));
}

/** The free spans of a prefix, in order: for tests and for the map of a space. */
export async function freeSpans(tx: Tx, prefixId: number, family: Family, holds: Holds): Promise<Span[]> {
  const rows = await tx.select<SpanRow>(
    'SELECT f.first, f.last FROM free_span f JOIN space s ON s.id = f.space_id WHERE s.prefix_id = ? AND s.holds = ? ORDER BY f.last',
    [prefixId, holds],
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
  const probes = candidates.map((c) => [bytesOf(family, c.first), c.length]);
  const row = await tx.one<{ id: number }>(
    `SELECT id FROM prefix WHERE vrf_id = ? AND cidr_family = ? AND (cidr, cidr_length) IN (?)
     ORDER BY cidr_length DESC LIMIT 1 ${lock ? 'FOR UPDATE' : ''}`,
    [vrfId, family, probes],
  );
  return row === undefined ? undefined : Number(row.id);
}

export const prefixText = (family: Family, bytes: Buffer, length: number): string =>
  formatPrefix({ family, first: valueOf(bytes, family), length });
export const ipText = (family: Family, value: bigint): string => formatIp({ family, value });
