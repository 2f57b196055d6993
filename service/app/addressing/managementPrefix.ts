import type { Family } from '@zpine/core/addressing/ip';
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import { find, keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

/** The prefix that the site of a device has for management. */
export async function managementPrefix(tx: Tx, device: Stored<'device'>, family: Family): Promise<Stored<'prefix'>> {
  if (device.site === null) throw new Refusal('device-without-site', { device: device.key });
  const rows = await tx.select<{ id: number }>(
    `SELECT p.id FROM vlan v JOIN \`use\` u ON u.id = v.use_id AND u.management = 1 JOIN prefix p ON p.vlan_id = v.id
     WHERE v.site_id = ? AND p.cidr_family = ? ORDER BY p.id`,
    [device.site, family],
  );
  const prefixes = await find(tx, 'prefix', { id: rows.map((r) => Number(r.id)) });
  const [only] = prefixes;
  const site = (await keyOf(tx, 'site', device.site)) ?? '';
  if (!only) throw new Refusal('management-unknown', { site });
  if (prefixes.length > 1)
    throw new Refusal('management-several', { site, prefixes: prefixes.map((p) => p.key).join(', ') });
  return only;
}
