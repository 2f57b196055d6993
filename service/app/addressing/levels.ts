/** The tree of prefixes, one level at a time: with how full each is, and how much of it its children have. */
import { Refusal } from '@zpine/contract/errors';
import { isAscii } from '@zpine/core/text/ascii';
import { sizeOf } from '@zpine/core/addressing/prefix';
import type { Family } from '@zpine/core/addressing/ip';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Tx } from '../../store/tx.ts';
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
  nested: number;
}

export async function level(tx: Tx, query: QueryOf<'prefix.level'>): Promise<ReplyOf<'prefix.level'>> {
  if (query.after !== undefined && !isAscii(query.after)) throw Refusal.at(['after'], 'cursor-invalid');
  const parent = query.parent === undefined ? null : await mustFindField(tx, 'prefix', query.parent, 'parent');
  const vrf = parent?.vrf ?? (await mustFindField(tx, 'vrf', query.vrf ?? defaultVrf, 'vrf')).id;
  const rows = await tx.select<Row>(
    `SELECT p.id, p.natural_key, p.sort_key, p.cidr_family, p.cidr_length, p.description, s.natural_key AS site,
       v.natural_key AS vlan, u.natural_key AS \`use\`, f.free AS fixed, b.free AS blocks,
       EXISTS (SELECT 1 FROM prefix c WHERE c.parent_id = p.id) AS nested
     FROM prefix p JOIN space f ON f.prefix_id = p.id AND f.holds = 'fixed' JOIN space b ON b.prefix_id = p.id AND b.holds = 'blocks'
       LEFT JOIN site s ON s.id = p.site_id LEFT JOIN vlan v ON v.id = p.vlan_id LEFT JOIN \`use\` u ON u.id = p.use_id
     WHERE p.vrf_id = ? AND p.parent_id ${parent ? '= ?' : 'IS NULL'} ${query.after === undefined ? '' : 'AND p.sort_key > ?'}
     ORDER BY p.sort_key LIMIT ?`,
    [vrf, ...(parent ? [parent.id] : []), ...(query.after === undefined ? [] : [query.after]), query.limit + 1],
  );
  const shown = rows.slice(0, query.limit);
  const direct = await directly(
    tx,
    shown.filter((row) => Number(row.nested) === 1).map((row) => Number(row.id)),
  );
  return {
    items: shown.map((row) => {
      const size = sizeOf({ family: row.cidr_family, first: 0n, length: row.cidr_length });
      const nested = Number(row.nested) === 1;
      const given = nested ? size - BigInt(row.blocks) - (direct.get(Number(row.id)) ?? 0n) : 0n;
      const { natural_key: key, description, site, vlan, use } = row;
      return {
        prefix: key,
        description,
        site,
        vlan,
        use,
        nested,
        givenPercent: fillPercent(size, size - given),
        // What is for addresses is said where there are no children: those have the rest.
        fillPercent: fillPercent(size, BigInt(nested ? row.blocks : row.fixed)),
        free: String(row.fixed),
      };
    }),
    next: rows.length > shown.length ? (shown.at(-1)?.sort_key ?? null) : null,
  };
}

/** How many addresses are directly in prefixes that have others inside: all else that is taken there, these have. */
async function directly(tx: Tx, ids: number[]): Promise<Map<number, bigint>> {
  if (ids.length === 0) return new Map();
  const rows = await tx.select<{ prefix_id: number; count: number }>(
    'SELECT prefix_id, COUNT(*) AS count FROM address WHERE prefix_id IN (?) GROUP BY prefix_id',
    [ids],
  );
  return new Map(rows.map((row) => [Number(row.prefix_id), BigInt(row.count)]));
}
