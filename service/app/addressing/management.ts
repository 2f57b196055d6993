/** The management address of a device: from the management VLAN of its site, in one call. */
import { type Family } from '@zpine/core/addressing/ip';
import { type BodyOf, type ReplyOf } from '@zpine/contract/routes';
import { type Stored } from '@zpine/contract/kinds';
import { addOne } from '../records/add.ts';
import { editOne } from '../records/edit.ts';
import { mustFind, mustFindField } from '../records/refs.ts';
import { byId, find, keyOf } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { takeIn } from './assign.ts';
import { placeFor } from './handOut.ts';
import { managementPrefix } from './managementPrefix.ts';
import { familyOf, proposalOf, takeNextIn } from './next.ts';

type Assignment = ReplyOf<'device.assignManagement'>;

/** Of the addresses on a management interface, in their order, the one by which a device is reached: its own, IPv4 before IPv6. */
export const mainAddress = (on: readonly Stored<'address'>[]): Stored<'address'> | undefined => {
  const own = on.filter((address) => !address.shared);
  return own.find((address) => !address.address.includes(':')) ?? own[0];
};

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
  const place = input.address === undefined ? await placeFor(tx, prefix, device, input.from) : {};
  const exactly = input.address ?? place.exactly;
  const address =
    exactly === undefined
      ? (await takeNextIn(tx, prefix, place.from, on, null)).address
      : await takeIn(tx, prefix, exactly, on, null);
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
