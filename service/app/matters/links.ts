/** Cables whose two ends do not agree, and addresses that nobody has. */
import { grouped } from '@zpine/core/lists/grouped';
import type { Tx } from '../../store/tx.ts';
import { numbersAt } from '../interfaces/vlans.ts';
import { agreeing, disagreement, type End } from './ends.ts';
import { Found, type Finding, type Look, type Looked } from './matter.ts';

const BATCH = 2000;

interface LinkRow {
  id: number;
  cable: string;
  a: string;
  b: string;
  prefix: string;
  other: string | null;
}

/** Both ends have addresses of a family, and no prefix in common. */
export const differentPrefixes: Look = async (tx, { limit }) => {
  const from = `FROM cable c JOIN \`interface\` ia ON ia.port_id = c.from_id JOIN \`interface\` ib ON ib.port_id = c.to_id
     JOIN address xa ON xa.interface_id = ia.id JOIN address xb ON xb.interface_id = ib.id AND xb.address_family = xa.address_family
     WHERE NOT EXISTS (SELECT 1 FROM address y JOIN address z ON z.prefix_id = y.prefix_id WHERE y.interface_id = ia.id AND z.interface_id = ib.id
       AND y.address_family = xa.address_family)`;
  const rows = await tx.select<LinkRow>(
    `SELECT c.id, c.natural_key AS cable, ia.natural_key AS a, ib.natural_key AS b,
       (SELECT p.natural_key FROM prefix p WHERE p.id = MIN(xa.prefix_id)) AS prefix, (SELECT p.natural_key FROM prefix p WHERE p.id = MIN(xb.prefix_id)) AS other
     ${from} GROUP BY c.id, c.natural_key, ia.natural_key, ib.natural_key ORDER BY c.id LIMIT ${limit}`,
  );
  return {
    rows: rows.map(({ cable, a, b, prefix, other }) => ({
      kind: 'cable',
      key: cable,
      detail: `${a} is in ${prefix}, ${b} in ${other ?? ''}`,
      remedy: `zpine address list --where 'interface=${a} or interface=${b}'`,
      since: null,
    })),
    count: () => counted(tx, `SELECT COUNT(DISTINCT c.id) AS count ${from}`),
  };
};

const counted = async (tx: Tx, sql: string): Promise<number> =>
  Number((await tx.one<{ count: number }>(sql))?.count ?? 0);

interface EndsRow {
  id: number;
  cable: string;
  a: number;
  b: number;
}

/** VLANs, by their number, on one end of a cable and not on the other, or tagged on one and untagged on the other. */
export const vlansOnOneEnd: Look = async (tx, { limit }): Promise<Looked> => {
  const found = new Found(limit);
  for (let after = 0; ;) {
    const rows = await tx.select<EndsRow>(
      `SELECT c.id, c.natural_key AS cable, ia.id AS a, ib.id AS b
       FROM cable c JOIN \`interface\` ia ON ia.port_id = c.from_id AND ia.form = 'port' JOIN \`interface\` ib ON ib.port_id = c.to_id AND ib.form = 'port'
       WHERE c.id > ? AND (ia.vlan_id IS NOT NULL OR ia.tagged IS NOT NULL OR ib.vlan_id IS NOT NULL OR ib.tagged IS NOT NULL
           OR EXISTS (SELECT 1 FROM \`interface\` s WHERE s.on_id = ia.id) OR EXISTS (SELECT 1 FROM \`interface\` s WHERE s.on_id = ib.id))
         AND ia.member_of_id IS NULL AND ib.member_of_id IS NULL ORDER BY c.id LIMIT ${BATCH}`,
      [after],
    );
    if (rows.length === 0) return found.looked;
    after = Number(rows.at(-1)?.id);
    const ends = await endsOf(
      tx,
      rows.flatMap((row) => [Number(row.a), Number(row.b)]),
    );
    for (const row of rows) {
      const [a, b] = [ends.get(Number(row.a)), ends.get(Number(row.b))];
      const detail = a && b && disagreement(a, b);
      if (!detail) continue;
      found.add(() => ({ kind: 'cable', key: row.cable, detail, remedy: agreeing(a, b).join(' && ') }));
    }
  }
};

interface EndRow {
  id: number;
  natural_key: string;
  mode: string | null;
  tagged: string | null;
  vlan: number | null;
  site: string | null;
  site_id: number | null;
  router: number;
}

/** Interfaces of ports with all that says what VLANs they carry. */
async function endsOf(tx: Tx, ids: number[]): Promise<Map<number, End>> {
  const rows = await tx.select<EndRow>(
    `SELECT i.id, i.natural_key, i.mode, i.tagged, v.number AS vlan, s.natural_key AS site, d.site_id,
       EXISTS (SELECT 1 FROM \`interface\` r WHERE r.device_id = d.id AND (r.mode = 'routed' OR r.form IN ('sub-interface', 'loopback')))
         AND NOT EXISTS (SELECT 1 FROM \`interface\` w WHERE w.device_id = d.id AND w.mode IN ('access', 'trunk')) AS router
     FROM \`interface\` i JOIN device d ON d.id = i.device_id LEFT JOIN site s ON s.id = d.site_id LEFT JOIN vlan v ON v.id = i.vlan_id
     WHERE i.id IN (?)`,
    [ids],
  );
  const subs = await tx.select<{ on_id: number; natural_key: string; tag: number | null; vlan: number | null }>(
    `SELECT i.on_id, i.natural_key, i.tag, v.number AS vlan FROM \`interface\` i LEFT JOIN vlan v ON v.id = i.vlan_id WHERE i.on_id IN (?) ORDER BY i.sort_key`,
    [ids],
  );
  const below = grouped(subs, (sub) => Number(sub.on_id));
  const known = await numbersAt(tx, [
    ...new Set(rows.flatMap((row) => (row.site_id === null ? [] : [Number(row.site_id)]))),
  ]);
  return new Map(
    rows.map(({ id, natural_key, mode, tagged, vlan, site, site_id, router }): [number, End] => [
      Number(id),
      {
        key: natural_key,
        mode,
        router: router === 1,
        vlan,
        tagged: tagged ? tagged.split(',').map(Number) : [],
        subs: (below.get(Number(id)) ?? []).map((sub) => ({ key: sub.natural_key, tag: sub.tag, vlan: sub.vlan })),
        site,
        known: new Set(known.get(Number(site_id))?.keys()),
      },
    ]),
  );
}

/** A far end in words that is the name of a device of ours: it should be one of its ports. */
export const endsInWords: Look = async (tx, { limit }) => {
  const from = `FROM cable c JOIN device d ON d.natural_key = CONVERT(LOWER(SUBSTRING_INDEX(SUBSTRING_INDEX(TRIM(c.far_end), ':', 1), ' ', 1)) USING ascii)
    WHERE c.to_id IS NULL AND c.far_end IS NOT NULL`;
  const rows = await tx.select<{ cable: string; device: string; far_end: string; port: string | null }>(
    `SELECT c.natural_key AS cable, d.natural_key AS device, c.far_end,
       (SELECT p.natural_key FROM port p WHERE p.natural_key = CONVERT(LOWER(TRIM(c.far_end)) USING ascii)) AS port ${from} ORDER BY c.id LIMIT ${limit}`,
  );
  return {
    rows: rows.map(({ cable, device, far_end, port }): Finding => ({
      kind: 'cable',
      key: cable,
      detail:
        port === null
          ? `it ends at "${far_end}", and ${device} has no such port`
          : `it ends at "${far_end}" in words, and that is a port`,
      remedy: `zpine cable edit ${cable} --to ${port ?? `${device}:PORT`} --clear farEnd`,
      since: null,
    })),
    count: () => counted(tx, `SELECT COUNT(*) AS count ${from}`),
  };
};

/** Addresses that are taken, and nothing says by what. */
export const unattachedAddresses: Look = async (tx, { limit }) => {
  const from = `FROM address a WHERE a.interface_id IS NULL AND a.shared = 0 AND COALESCE(a.description, '') = '' AND COALESCE(a.note, '') = ''
     AND NOT EXISTS (SELECT 1 FROM carrier c WHERE c.address_id = a.id)`;
  const rows = await tx.select<{ natural_key: string }>(
    `SELECT a.natural_key ${from} ORDER BY a.sort_key LIMIT ${limit}`,
  );
  return {
    rows: rows.map(({ natural_key: key }) => ({
      kind: 'address',
      key,
      detail: 'it is taken, and nothing says by what',
      remedy: `zpine address edit ${key} --interface DEVICE:NAME, or --description WHY`,
      since: null,
    })),
    count: () => counted(tx, `SELECT COUNT(*) AS count ${from}`),
  };
};
