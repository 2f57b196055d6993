/** Blocks out of the free space of a prefix. */
import { carve as carveFree, type CarveWay } from '@zpine/core/addressing/carve';
import { bitsOf, formatIp } from '@zpine/core/addressing/ip';
import { formatPrefix, lastOf, parsePrefix, usableRange, type Prefix } from '@zpine/core/addressing/prefix';
import { countOf, firstAligned, freeWithin, type Span } from '@zpine/core/addressing/spans';
import { mustParse } from '@zpine/core/fault';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf, QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { find } from '../../store/records.ts';
import { freeSpans, lockSpaces, withheld } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { add } from '../records/add.ts';
import { mustFind, mustFindField } from '../records/refs.ts';

type Carved = ReplyOf<'prefix.carve'>;

/** Holes that are looked at: the lowest of those that are large enough. */
const MOST_HOLES = 10_000;

export async function carve(tx: Tx, ref: string, body: BodyOf<'prefix.carve'>): Promise<Carved> {
  const prefix = await mustFind(tx, 'prefix', ref);
  const blocks = await nextBlocks(tx, prefix, body);
  const items = blocks.map((block) => ({ cidr: formatPrefix(block), gateway: gatewayOf(block, body.gateway) }));
  const { description, site, vlan, use, owner } = body;
  const shared = Object.fromEntries(
    Object.entries({ description, site, vlan, use, owner }).filter(([, v]) => v !== undefined),
  );
  await add(
    tx,
    'prefix',
    items.map(({ cidr, gateway }) => ({ cidr, vrf: `#${prefix.vrf}`, ...shared, ...(gateway ? { gateway } : {}) })),
    () => [],
  );
  if (!body.apply) tx.discarded = true;
  return { applied: body.apply, items };
}

/** The next free blocks of a prefix; nobody else takes them before this unit of work ends. */
export async function nextBlocks(
  tx: Tx,
  prefix: Stored<'prefix'>,
  { length, count, way }: { length: number; count: number; way: CarveWay },
): Promise<Prefix[]> {
  const p = mustParse(parsePrefix(prefix.cidr));
  if (length <= p.length || length > bitsOf(p.family))
    throw Refusal.at(['length'], 'carve-length', { length, prefix: prefix.key, max: bitsOf(p.family) });
  // Changes of shape wait for one another.
  await tx.select('SELECT id FROM vrf WHERE id = ? FOR UPDATE', [prefix.vrf]);
  await lockSpaces(tx, [prefix.id]);
  const within = { first: p.first, last: lastOf(p) };
  const blocks = carveFree(await holesOf(tx, prefix, p, length), { length, count, way, family: p.family, within });
  if (blocks.length < count)
    throw Refusal.at(['count'], 'carve-full', { prefix: prefix.key, count, length, room: blocks.length });
  return blocks;
}

/** What is free for blocks, without what the prefix keeps for its own addresses. */
async function holesOf(tx: Tx, prefix: Stored<'prefix'>, p: Prefix, length: number): Promise<Span[]> {
  const kept = [prefix.pool, prefix.quarantine, prefix.heldBack, prefix.gateway].some((one) => one !== null);
  const free = await freeSpans(tx, prefix.id, p.family, 'blocks', { length, most: MOST_HOLES });
  if (!kept) return free;
  const edges = new Set([p.first, lastOf(p)]);
  // Network and broadcast are kept back for devices, not from blocks.
  const ranges = withheld(p, prefix).filter(({ first, last }) => !(first === last && edges.has(first)));
  return free.flatMap((span) =>
    freeWithin(
      span,
      ranges.filter((range) => range.first <= span.last && span.first <= range.last),
    ),
  );
}

/** The first or the last address for devices. */
export function gatewayOf(block: Prefix, which: 'first' | 'last' | 'none' | null): string | null {
  if (which === 'none' || which === null) return null;
  const usable = usableRange(block);
  return formatIp({ family: block.family, value: which === 'first' ? usable.first : usable.last });
}

const MOST_PREFIXES = 200;

/** Prefixes with room for a block of a size; of nested ones each counts its own room. */
export async function fits(tx: Tx, query: QueryOf<'prefix.fits'>): Promise<ReplyOf<'prefix.fits'>> {
  const { length } = query;
  // So long are blocks of one family only.
  const family = query.family === '6' || (query.family === undefined && length > bitsOf(4)) ? 6 : 4;
  if (length > bitsOf(family)) throw Refusal.at(['length'], 'value-high', { max: bitsOf(family) });
  const where: Record<string, number> = { cidr_family: family };
  if (query.site !== undefined) where.site_id = (await mustFindField(tx, 'site', query.site, 'site')).id;
  if (query.vrf !== undefined) where.vrf_id = (await mustFindField(tx, 'vrf', query.vrf, 'vrf')).id;
  const rows = await tx.select<{ id: number }>(
    `SELECT p.id FROM prefix p WHERE ${Object.keys(where)
      .map((column) => `p.${column} = ?`)
      .join(' AND ')} AND p.cidr_length < ?
       AND EXISTS (SELECT 1 FROM space s JOIN free_span f ON f.space_id = s.id WHERE s.prefix_id = p.id AND s.holds = 'blocks' AND f.fit <= ?)
     ORDER BY p.sort_key LIMIT ${MOST_PREFIXES}`,
    [...Object.values(where), length, length],
  );
  const items: ReplyOf<'prefix.fits'>['items'] = [];
  const prefixes = await find(tx, 'prefix', { id: rows.map((row) => Number(row.id)) }, { order: ['sort_key'] });
  const size = 1n << BigInt(bitsOf(family) - length);
  for (const prefix of prefixes) {
    const p = mustParse(parsePrefix(prefix.cidr));
    const holes = await holesOf(tx, prefix, p, length);
    const fitting = holes.flatMap((span) => {
      const first = firstAligned(span, length, family);
      return first === undefined ? [] : [{ first, last: span.last }];
    });
    const [lowest] = fitting;
    if (!lowest) continue;
    const blocks = fitting.reduce((sum, span) => sum + countOf([span]) / size, 0n);
    const first = formatPrefix({ family, first: lowest.first, length });
    items.push({ prefix: prefix.key, description: prefix.description, first, blocks: String(blocks) });
  }
  return { items };
}
