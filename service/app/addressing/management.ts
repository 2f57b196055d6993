/** The management address of a device: from the management VLAN of its site, in one call. */
import { formatIp, parseIp, type Family } from '@zpine/core/addressing/ip';
import { grouped } from '@zpine/core/lists/grouped';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { addOne } from '../records/add.ts';
import { editOne } from '../records/edit.ts';
import { mustFind, mustFindField } from '../records/refs.ts';
import { byId, byIds, find, keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { uniqueIds } from '../settings/layers.ts';
import { assignAddress } from './assign.ts';
import { lengthOn } from './lengths.ts';
import { placeFor } from './handOut.ts';
import { managementPrefix } from './managementPrefix.ts';
import { familyOf, proposalOf, assignNextIn } from './next.ts';

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

/** The same of many devices, by their ids. */
export async function managementsOf(
  tx: Tx,
  devices: readonly Stored<'device'>[],
): Promise<Map<number, { address: Stored<'address'>; prefix: Stored<'prefix'> }>> {
  const on = uniqueIds(devices.map((device) => device.management));
  const addresses = await find(tx, 'address', { interface_id: on }, { order: ['address_family', 'sort_key'] });
  const prefixes = await byIds(tx, 'prefix', addresses, 'prefix');
  const first = grouped(addresses, (address) => address.interface);
  return new Map(
    devices.flatMap((device) => {
      const [address] = device.management === null ? [] : (first.get(device.management) ?? []);
      const prefix = prefixes.get(address?.prefix ?? 0);
      return address && prefix ? [[device.id, { address, prefix }] as const] : [];
    }),
  );
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
  if (had) {
    const asked = input.address === undefined ? undefined : parseIp(input.address);
    if (asked?.ok && formatIp(asked.value) !== had.address.address)
      throw Refusal.at(['address'], 'management-other', {
        device: device.key,
        address: had.address.address,
        asked: formatIp(asked.value),
      });
    return describe(tx, device, had.address, had.prefix, false);
  }

  const prefix = wanted ?? (await managementPrefix(tx, device, family));
  const on = await managementInterface(tx, device, prefix);
  const place = input.address === undefined ? await placeFor(tx, prefix, device, input.from) : {};
  const exactly = input.address ?? place.exactly;
  const address =
    exactly === undefined
      ? (await assignNextIn(tx, prefix, place.from, on, null)).address
      : await assignAddress(tx, prefix, exactly, on, null);
  return describe(tx, device, address, prefix, true);
}

/** By which interface a device is managed: its own, the one that its model names, or one that carries the VLAN already. */
async function managementInterface(
  tx: Tx,
  device: Stored<'device'>,
  prefix: Stored<'prefix'>,
): Promise<Stored<'interface'>> {
  if (device.management !== null) return byId(tx, 'interface', device.management);
  const vlan = prefix.vlan === null ? undefined : await byId(tx, 'vlan', prefix.vlan);
  const model = device.model === null ? undefined : await byId(tx, 'model', device.model);
  const on = (await standing(tx, device, model, vlan)) ?? (await made(tx, device, prefix, model, vlan));
  await editOne(tx, 'device', `#${device.id}`, { management: `#${on.id}` });
  return on;
}

const NUMBER = '{vlan}';
/** Of models that say nothing: a name that no device can mistake for one of its own. */
const UNNAMED = 'management';

function nameFor(model: Stored<'model'> | undefined, vlan: Stored<'vlan'> | undefined): string {
  const pattern = model?.management ?? UNNAMED;
  if (!pattern.includes(NUMBER)) return pattern;
  if (!vlan) throw new Refusal('management-no-vlan', { model: model?.key ?? '', name: pattern });
  return pattern.replaceAll(NUMBER, String(vlan.number));
}

async function standing(
  tx: Tx,
  device: Stored<'device'>,
  model: Stored<'model'> | undefined,
  vlan: Stored<'vlan'> | undefined,
): Promise<Stored<'interface'> | undefined> {
  const named = `${device.key}:${nameFor(model, vlan)}`.toLowerCase();
  const [one] = await find(tx, 'interface', { device_id: device.id, natural_key: named });
  if (one || model?.management || !vlan) return one;
  const [other] = await find(tx, 'interface', { device_id: device.id, form: 'vlan', vlan_id: vlan.id });
  return other;
}

function made(
  tx: Tx,
  device: Stored<'device'>,
  prefix: Stored<'prefix'>,
  model: Stored<'model'> | undefined,
  vlan: Stored<'vlan'> | undefined,
): Promise<Stored<'interface'>> {
  const ofVlan = vlan !== undefined && model?.management?.includes(NUMBER) === true;
  return addOne(tx, 'interface', {
    device: `#${device.id}`,
    name: nameFor(model, vlan),
    form: ofVlan ? 'vlan' : 'routed',
    description: vlan?.title ?? 'management',
    vrf: `#${prefix.vrf}`,
    ...(ofVlan ? { vlan: `#${vlan.id}` } : {}),
  });
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
    length: await lengthOn(tx, address, prefix),
    device: device.key,
    interface: await keyOf(tx, 'interface', address.interface),
    gateway: prefix.gateway,
    assigned,
  };
}
