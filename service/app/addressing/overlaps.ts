/** What overlaps: inside a VRF prefixes only nest, so it is the same space in two VRFs, or a prefix in another site's. */
import { overlapping } from '@zpine/core/addressing/overlaps';
import { covers, parsePrefix, type Prefix } from '@zpine/core/addressing/prefix';
import type { Family } from '@zpine/core/addressing/ip';
import { Refusal } from '@zpine/contract/errors';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import { valueOf } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';

type Overlaps = ReplyOf<'prefix.overlaps'>;

const SHOWN = 500;

interface Row {
  natural_key: string;
  vrf_id: number;
  vrf: string;
  site: string | null;
  cidr: Buffer;
  cidr_family: Family;
  cidr_length: number;
}

export async function overlaps(tx: Tx, query: QueryOf<'prefix.overlaps'>): Promise<Overlaps> {
  const within = query.in === undefined ? undefined : parsePrefix(query.in);
  if (within && !within.ok) throw Refusal.at(['in'], within.fault.code, within.fault.params);
  const asked = (p: Prefix) => !within?.ok || covers(within.value, p) || covers(p, within.value);
  const pairs = await overlapsOf(tx, asked);
  const strays = await straysOf(tx, asked);
  return {
    overlaps: pairs.slice(0, SHOWN),
    strays: strays.slice(0, SHOWN),
    count: { overlaps: pairs.length, strays: strays.length },
  };
}

/** The innermost prefixes of different VRFs that overlap. */
export async function overlapsOf(tx: Tx, asked: (p: Prefix) => boolean = () => true): Promise<Overlaps['overlaps']> {
  const rows = await tx.select<Row>(
    `SELECT p.natural_key, p.vrf_id, v.natural_key AS vrf, s.natural_key AS site, p.cidr, p.cidr_family, p.cidr_length
     FROM prefix p JOIN vrf v ON v.id = p.vrf_id LEFT JOIN site s ON s.id = p.site_id
     WHERE NOT EXISTS (SELECT 1 FROM prefix c WHERE c.parent_id = p.id)`,
  );
  const blocks = rows.map((row) => ({
    family: row.cidr_family,
    first: valueOf(row.cidr, row.cidr_family),
    length: row.cidr_length,
    vrf: Number(row.vrf_id),
    shown: { prefix: row.natural_key, vrf: row.vrf, site: row.site },
  }));
  return overlapping(blocks.filter(asked)).map(([one, other]) => ({
    one: one.shown,
    other: other.shown,
    // Of a pair the first covers the second.
    relation: one.length === other.length ? 'same' : 'holds',
  }));
}

async function straysOf(tx: Tx, asked: (p: Prefix) => boolean): Promise<Overlaps['strays']> {
  const rows = await tx.select<{
    prefix: string;
    site: string;
    inside: string;
    there: string;
    cidr: Buffer;
    cidr_family: Family;
    cidr_length: number;
  }>(
    `SELECT p.natural_key AS prefix, s.natural_key AS site, o.natural_key AS inside, t.natural_key AS there,
       p.cidr, p.cidr_family, p.cidr_length
     FROM prefix p JOIN prefix o ON o.id = p.parent_id JOIN site s ON s.id = p.site_id JOIN site t ON t.id = o.site_id
     WHERE p.site_id <> o.site_id ORDER BY p.sort_key`,
  );
  return rows
    .filter((row) =>
      asked({ family: row.cidr_family, first: valueOf(row.cidr, row.cidr_family), length: row.cidr_length }),
    )
    .map(({ prefix, site, inside, there }) => ({ prefix, site, inside, siteThere: there }));
}
