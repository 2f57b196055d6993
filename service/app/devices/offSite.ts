/** What a device that was moved to another site has left behind: addresses and cables that stayed where they were. */
import { cableKindNames, leavesBuilding } from '@zpine/core/rack/ports';
import { among } from '../../store/among.ts';
import type { Tx } from '../../store/tx.ts';

export interface OffSite {
  kind: 'address' | 'cable';
  key: string;
  device: string;
  detail: string;
  remedy: string;
}

/** Addresses on devices of one site, out of a prefix that is another site's. */
export async function addressesOffSite(tx: Tx, limit: number, devices?: readonly number[]) {
  const from = `FROM address a JOIN \`interface\` i ON i.id = a.interface_id JOIN device d ON d.id = i.device_id
     JOIN prefix p ON p.id = a.prefix_id LEFT JOIN vlan v ON v.id = p.vlan_id
     WHERE d.site_id IS NOT NULL AND COALESCE(p.site_id, v.site_id) <> d.site_id ${among('d.id', devices)}`;
  const rows = await tx.select<{
    address: string;
    device: string;
    interface: string;
    management: number;
    prefix: string;
    there: string;
    here: string;
  }>(
    `SELECT a.natural_key AS address, d.natural_key AS device, i.natural_key AS interface, COALESCE(d.management_id, 0) = i.id AS management,
       p.natural_key AS prefix, (SELECT s.natural_key FROM site s WHERE s.id = COALESCE(p.site_id, v.site_id)) AS there,
       (SELECT s.natural_key FROM site s WHERE s.id = d.site_id) AS here
     ${from} ORDER BY a.sort_key LIMIT ${limit}`,
  );
  const count = async () => Number((await tx.one<{ count: number }>(`SELECT COUNT(*) AS count ${from}`))?.count ?? 0);
  return {
    rows: rows.map((row): OffSite => {
      const next =
        row.management === 1
          ? `zpine address next --for ${row.device}`
          : `zpine address next PREFIX --interface ${row.interface}`;
      return {
        kind: 'address',
        key: row.address,
        device: row.device,
        detail: `${row.interface} has an address of ${row.prefix}, which is at ${row.there}; the device is at ${row.here}`,
        remedy: `zpine address release ${row.address} && ${next}`,
      };
    }),
    count,
  };
}

/** Cables of a kind that does not leave a building, between devices of two sites. */
export async function cablesOffSite(tx: Tx, limit: number, devices?: readonly number[]) {
  const near = cableKindNames.filter((kind) => !leavesBuilding(kind));
  // By the ends of their cables: asked of either device by OR, every cable there is would be looked at.
  const behind =
    devices === undefined
      ? ''
      : `AND c.id IN (SELECT x.cable_id FROM port o JOIN cable_end x ON x.port_id = o.id WHERE TRUE ${among('o.device_id', devices)})`;
  const from = `FROM cable c JOIN port f ON f.id = c.from_id JOIN port t ON t.id = c.to_id
     JOIN device d ON d.id = f.device_id JOIN device e ON e.id = t.device_id
     WHERE d.site_id <> e.site_id AND (c.kind IS NULL OR c.kind IN (?))
       ${behind}`;
  const rows = await tx.select<{
    cable: string;
    kind: string | null;
    a: string;
    b: string;
    device: string;
    x: string;
    y: string;
  }>(
    `SELECT c.natural_key AS cable, c.kind, f.natural_key AS a, t.natural_key AS b, d.natural_key AS device,
       (SELECT s.natural_key FROM site s WHERE s.id = d.site_id) AS x, (SELECT s.natural_key FROM site s WHERE s.id = e.site_id) AS y
     ${from} ORDER BY c.sort_key LIMIT ${limit}`,
    [near],
  );
  const count = async () =>
    Number((await tx.one<{ count: number }>(`SELECT COUNT(*) AS count ${from}`, [near]))?.count ?? 0);
  return {
    rows: rows.map(({ cable, kind, a, b, device, x, y }): OffSite => ({
      kind: 'cable',
      key: cable,
      device,
      detail: `${kind === null ? 'it' : kind} leads from ${a} at ${x} to ${b} at ${y}`,
      remedy: `zpine cable remove ${cable}`,
    })),
    count,
  };
}

/** Both of one device, the addresses first. */
export async function leftBehind(tx: Tx, devices: readonly number[], limit: number): Promise<OffSite[]> {
  const addresses = await addressesOffSite(tx, limit, devices);
  const cables = await cablesOffSite(tx, limit, devices);
  return [...addresses.rows, ...cables.rows].slice(0, limit);
}
