/** The tree of prefixes, one level at a time: with how full each is, and how much of it its children have. */
import { sizeOf } from '@zpine/core/addressing/prefix';
import { type Family } from '@zpine/core/addressing/ip';
import { type QueryOf, type ReplyOf } from '@zpine/contract/routes';
import { type Tx } from '../../store/tx.ts';
import { defaultVrf } from '@zpine/contract/kinds/addressing';
import { mustFindField } from '../records/refs.ts';
import { fillPercent } from './fill.ts';

interface Row {
  id: number;
  natural_key: string;
  sort_key: string;
  cidr_family: Family;
  cidr_length: number;
  description: string | null;
  site: string | null;
  vlan: string | null;
  use: string | null;
  fixed: string;
  blocks: string;
}

export async function level(tx: Tx, query: QueryOf<'prefix.level'>): Promise<ReplyOf<'prefix.level'>> {
  const parent = query.parent === undefined ? null : await mustFindField(tx, 'prefix', query.parent, 'parent');
  const vrf = parent?.vrf ?? (await mustFindField(tx, 'vrf', query.vrf ?? defaultVrf, 'vrf')).id;
  const rows = await tx.select<Row>(
    `SELECT p.id, p.natural_key, p.sort_key, p.cidr_family, p.cidr_length, p.description, s.natural_key AS site,
       v.natural_key AS vlan, u.natural_key AS \`use\`, f.free AS fixed, b.free AS blocks
     FROM prefix p JOIN space f ON f.prefix_id = p.id AND f.holds = 'fixed' JOIN space b ON b.prefix_id = p.id AND b.holds = 'blocks'
       LEFT JOIN site s ON s.id = p.site_id LEFT JOIN vlan v ON v.id = p.vlan_id LEFT JOIN \`use\` u ON u.id = p.use_id
     WHERE p.vrf_id = ? AND p.parent_id ${parent ? '= ?' : 'IS NULL'} ${query.after === undefined ? '' : 'AND p.sort_key > ?'}
     ORDER BY p.sort_key LIMIT ?`,
    [vrf, ...(parent ? [parent.id] : []), ...(query.after === undefined ? [] : [query.after]), query.limit + 1],
  );
  const shown = rows.slice(0, query.limit);
  const below = await childrenOf(
    tx,
    shown.map((row) => Number(row.id)),
  );
  return {
    items: shown.map((row) => {
      const size = sizeOf({ family: row.cidr_family, first: 0n, length: row.cidr_length });
      const { count, share } = below.get(Number(row.id)) ?? { count: 0, share: 0 };
      const { natural_key: key, description, site, vlan, use } = row;
      return {
        prefix: key,
        description,
        site,
        vlan,
        use,
        children: count,
        givenPercent: tenth(100 * share),
        // What is for addresses is said where there are no children: those have the rest.
        fillPercent: fillPercent(size, BigInt(count > 0 ? row.blocks : row.fixed)),
        free: String(row.fixed),
      };
    }),
    next: rows.length > shown.length ? (shown.at(-1)?.sort_key ?? null) : null,
  };
}

const tenth = (percent: number): number => (percent > 0 && percent < 0.1 ? 0.1 : Math.round(percent * 10) / 10);

/** How many children, and which share of their parent they have: each is a power of two of it. */
async function childrenOf(tx: Tx, ids: number[]): Promise<Map<number, { count: number; share: number }>> {
  if (ids.length === 0) return new Map();
  const rows = await tx.select<{ parent_id: number; count: number; share: number }>(
    `SELECT c.parent_id, COUNT(*) AS count, SUM(POW(2, p.cidr_length - CAST(c.cidr_length AS SIGNED))) AS share
     FROM prefix c JOIN prefix p ON p.id = c.parent_id WHERE c.parent_id IN (?) GROUP BY c.parent_id`,
    [ids],
  );
  return new Map(rows.map((row) => [Number(row.parent_id), { count: Number(row.count), share: Number(row.share) }]));
}
