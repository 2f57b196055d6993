/** The management address of a device: from the management VLAN of its site, in one call. */
import { type Family } from '@zpine/core/addressing/ip';
import { Refusal } from '@zpine/contract/errors';
import { type BodyOf, type ReplyOf } from '@zpine/contract/routes';
import { type Stored } from '@zpine/contract/kinds';
import { addOne } from '../records/add.ts';
import { editOne } from '../records/edit.ts';
import { mustFind, mustFindField } from '../records/refs.ts';
import { byId, find, keyOf } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { familyOf, proposalOf, takeNextIn } from './next.ts';

type Assignment = ReplyOf<'device.assignManagement'>;

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

/** What a device is reached by, if it has it: its management interface with an address of the family. */
export async function managementOf(
  tx: Tx,
  device: Stored<'device'>,
  family?: Family,
): Promise<{ address: Stored<'address'>; prefix: Stored<'prefix'> } | undefined> {
  if (device.management === null) return undefined;
  const where: Record<string, number> = family === undefined ? {} : { address_family: family };
  const [address] = await find(
    tx,
    'address',
    { interface_id: device.management, ...where },
    {
      order: ['address_family', 'sort_key'],
      limit: 1,
    },
  );
  return address && { address, prefix: await byId(tx, 'prefix', address.prefix) };
}

export async function assignManagement(
  tx: Tx,
  ref: string,
  input: BodyOf<'device.assignManagement'>,
): Promise<Assignment> {
  const device = await mustFind(tx, 'device', ref, true);
  const wanted = input.prefix === undefined ? undefined : await mustFindField(tx, 'prefix', input.prefix, 'prefix');
  const family: Family = wanted ? (wanted.cidr.includes(':') ? 6 : 4) : familyOf(input.family);
  const had = await managementOf(tx, device, family);
  if (had) return describe(tx, device, had.address, had.prefix, false);

  const prefix = wanted ?? (await managementPrefix(tx, device, family));
  const on = await managementInterface(tx, device, prefix);
  if (input.address === undefined) {
    const { address } = await takeNextIn(tx, prefix, input.from, on, null);
    return describe(tx, device, address, prefix, true);
  }
  const address = await addOne(tx, 'address', {
    address: input.address,
    interface: `#${on.id}`,
    vrf: `#${prefix.vrf}`,
  });
  if (address.prefix !== prefix.id) {
    throw Refusal.at(['address'], 'address-outside-prefix', { address: input.address, prefix: prefix.key });
  }
  return describe(tx, device, address, prefix, true);
}

/** The management interface of a device; made as an interface of the prefix' VLAN when there is none. */
async function managementInterface(
  tx: Tx,
  device: Stored<'device'>,
  prefix: Stored<'prefix'>,
): Promise<Stored<'interface'>> {
  if (device.management !== null) return byId(tx, 'interface', device.management);
  const vlan = prefix.vlan === null ? undefined : await byId(tx, 'vlan', prefix.vlan);
  const name = vlan ? `vlan${vlan.number}` : 'management';
  const [standing] = await find(tx, 'interface', { device_id: device.id, natural_key: `${device.key}:${name}` });
  const on =
    standing ??
    (await addOne(tx, 'interface', {
      device: `#${device.id}`,
      name,
      form: vlan ? 'vlan' : 'routed',
      description: vlan?.title ?? 'management',
      vrf: `#${prefix.vrf}`,
      ...(vlan ? { vlan: `#${vlan.id}` } : {}),
    }));
  await editOne(tx, 'device', `#${device.id}`, { management: `#${on.id}` });
  return on;
}

async function describe(
  tx: Tx,
  device: Stored<'device'>,
  address: Stored<'address'>,
  prefix: Stored<'prefix'>,
  assigned: boolean,
): Promise<Assignment> {
  return {
    ...(await proposalOf(tx, prefix, address.address)),
    device: device.key,
    interface: await keyOf(tx, 'interface', address.interface),
    gateway: prefix.gateway,
    assigned,
  };
}
