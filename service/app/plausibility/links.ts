/** Cables whose two ends do not agree, and addresses that nobody has. */
import { formatNumbers } from '@zpine/core/lists/numbers';
import { type Tx } from '../../store/tx.ts';
import { type Found } from './found.ts';

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
export async function apart(tx: Tx, found: Found, limit: number): Promise<void> {
  const from = `FROM cable c JOIN \`interface\` ia ON ia.port_id = c.from_id JOIN \`interface\` ib ON ib.port_id = c.to_id
     JOIN address xa ON xa.interface_id = ia.id JOIN address xb ON xb.interface_id = ib.id AND xb.address_family = xa.address_family
     WHERE NOT EXISTS (SELECT 1 FROM address y JOIN address z ON z.prefix_id = y.prefix_id WHERE y.interface_id = ia.id AND z.interface_id = ib.id
       AND y.address_family = xa.address_family)`;
  const counted = await tx.one<{ count: number }>(`SELECT COUNT(DISTINCT c.id) AS count ${from}`);
  const rows = await tx.select<LinkRow>(
    `SELECT c.id, c.natural_key AS cable, ia.natural_key AS a, ib.natural_key AS b,
       (SELECT p.natural_key FROM prefix p WHERE p.id = MIN(xa.prefix_id)) AS prefix, (SELECT p.natural_key FROM prefix p WHERE p.id = MIN(xb.prefix_id)) AS other
     ${from} GROUP BY c.id, c.natural_key, ia.natural_key, ib.natural_key ORDER BY c.id LIMIT ${limit}`,
  );
  for (const { cable, a, b, prefix, other } of rows)
    found.add(() => ({
      kind: 'cable',
      key: cable,
      detail: `${a} is in ${prefix}, ${b} in ${other ?? ''}`,
      remedy: `zpine address list --where 'interface=${a} or interface=${b}'`,
    }));
  found.count = Number(counted?.count ?? 0);
}

interface EndsRow {
  id: number;
  cable: string;
  a_id: number;
  b_id: number;
  a: string;
  b: string;
  a_vlan: number | null;
  b_vlan: number | null;
  a_tagged: string | null;
  b_tagged: string | null;
}

const numbersOf = (vlan: number | null, tagged: string | null, tags: number[]): Set<number> =>
  new Set([...(vlan === null ? [] : [Number(vlan)]), ...(tagged ? tagged.split(',').map(Number) : []), ...tags]);

/** VLANs, by their number, on one end of a cable and not on the other. Sub-interfaces carry theirs by their tags. */
export async function oneEnded(tx: Tx, found: Found): Promise<void> {
  for (let after = 0; ;) {
    const rows = await tx.select<EndsRow>(
      `SELECT c.id, c.natural_key AS cable, ia.id AS a_id, ib.id AS b_id, ia.natural_key AS a, ib.natural_key AS b,
         va.number AS a_vlan, vb.number AS b_vlan, ia.tagged AS a_tagged, ib.tagged AS b_tagged
       FROM cable c JOIN \`interface\` ia ON ia.port_id = c.from_id AND ia.form = 'port' JOIN \`interface\` ib ON ib.port_id = c.to_id AND ib.form = 'port'
       LEFT JOIN vlan va ON va.id = ia.vlan_id LEFT JOIN vlan vb ON vb.id = ib.vlan_id
       WHERE c.id > ? AND (ia.vlan_id IS NOT NULL OR ia.tagged IS NOT NULL OR ib.vlan_id IS NOT NULL OR ib.tagged IS NOT NULL)
         AND ia.member_of_id IS NULL AND ib.member_of_id IS NULL ORDER BY c.id LIMIT ${BATCH}`,
      [after],
    );
    if (rows.length === 0) return;
    after = Number(rows.at(-1)?.id);
    const tags = await tagsOn(
      tx,
      rows.flatMap((row) => [row.a_id, row.b_id]),
    );
    for (const row of rows) {
      const a = numbersOf(row.a_vlan, row.a_tagged, tags.get(Number(row.a_id)) ?? []);
      const b = numbersOf(row.b_vlan, row.b_tagged, tags.get(Number(row.b_id)) ?? []);
      const [onlyA, onlyB] = [[...a].filter((n) => !b.has(n)), [...b].filter((n) => !a.has(n))];
      if (onlyA.length + onlyB.length === 0) continue;
      found.add(() => {
        const parts = [
          onlyA.length > 0 && `${formatNumbers(onlyA)} on ${row.a} only`,
          onlyB.length > 0 && `${formatNumbers(onlyB)} on ${row.b} only`,
        ];
        const [bare, has, lacks] = onlyA.length > 0 ? [row.b, row.b_tagged, onlyA] : [row.a, row.a_tagged, onlyB];
        const all = [...new Set([...(has ? has.split(',').map(Number) : []), ...lacks])].sort((x, y) => x - y);
        return {
          kind: 'cable',
          key: row.cable,
          detail: `VLAN ${parts.filter(Boolean).join(', ')}`,
          remedy: `zpine interface edit ${bare} --mode trunk --tagged ${formatNumbers(all).replaceAll(' ', '')}`,
        };
      });
    }
  }
}

async function tagsOn(tx: Tx, interfaces: number[]): Promise<Map<number, number[]>> {
  const rows = await tx.select<{ on_id: number; tag: number }>(
    'SELECT on_id, tag FROM `interface` WHERE on_id IN (?) AND tag IS NOT NULL',
    [interfaces],
  );
  const out = new Map<number, number[]>();
  for (const { on_id, tag } of rows) out.set(Number(on_id), [...(out.get(Number(on_id)) ?? []), Number(tag)]);
  return out;
}

/** A far end in words that is the name of a device of ours: it should be one of its ports. */
export async function inWords(tx: Tx, found: Found, limit: number): Promise<void> {
  const from = `FROM cable c JOIN device d ON d.natural_key = CONVERT(LOWER(SUBSTRING_INDEX(SUBSTRING_INDEX(TRIM(c.far_end), ':', 1), ' ', 1)) USING ascii)
    WHERE c.to_id IS NULL AND c.far_end IS NOT NULL`;
  const counted = await tx.one<{ count: number }>(`SELECT COUNT(*) AS count ${from}`);
  const rows = await tx.select<{ cable: string; device: string; far_end: string; port: string | null }>(
    `SELECT c.natural_key AS cable, d.natural_key AS device, c.far_end,
       (SELECT p.natural_key FROM port p WHERE p.natural_key = CONVERT(LOWER(TRIM(c.far_end)) USING ascii)) AS port ${from} ORDER BY c.id LIMIT ${limit}`,
  );
  for (const { cable, device, far_end, port } of rows)
    found.add(() => ({
      kind: 'cable',
      key: cable,
      detail:
        port === null
          ? `it ends at "${far_end}", and ${device} has no such port`
          : `it ends at "${far_end}" in words, and that is a port`,
      remedy: `zpine cable edit ${cable} --to ${port ?? `${device}:PORT`} --clear farEnd`,
    }));
  found.count = Number(counted?.count ?? 0);
}

export async function alone(tx: Tx, found: Found, limit: number): Promise<void> {
  const from = `FROM address a WHERE a.interface_id IS NULL AND a.shared = 0 AND COALESCE(a.description, '') = '' AND COALESCE(a.note, '') = ''
     AND NOT EXISTS (SELECT 1 FROM carrier c WHERE c.address_id = a.id)`;
  const counted = await tx.one<{ count: number }>(`SELECT COUNT(*) AS count ${from}`);
  const rows = await tx.select<{ natural_key: string }>(
    `SELECT a.natural_key ${from} ORDER BY a.sort_key LIMIT ${limit}`,
  );
  for (const { natural_key: key } of rows)
    found.add(() => ({
      kind: 'address',
      key,
      detail: 'it is taken, and nothing says by what',
      remedy: `zpine address edit ${key} --interface DEVICE:NAME, or --description WHY`,
    }));
  found.count = Number(counted?.count ?? 0);
}
