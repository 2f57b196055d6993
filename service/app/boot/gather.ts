/** What decisions about some packets look up, read from the records: for who explains and who foretells. */
import { networkOf, truncations } from '@zpine/core/addressing/prefix';
import { parseIp } from '@zpine/core/addressing/ip';
import { macToBytes } from '@zpine/core/addressing/mac';
import { clientOf } from '@zpine/core/dhcp/client';
import type { Link } from '@zpine/core/dhcp/link';
import type { BootBox, MacOwner } from '@zpine/core/dhcp/look';
import { BootMemory } from '@zpine/core/dhcp/memory';
import type { Message } from '@zpine/core/dhcp/message';
import type { Stored } from '@zpine/contract/kinds';
import { allOf, byIds, find, keysOf } from '../../store/records.ts';
import { smallestCovering } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { MOST_LISTED } from '../arrivals/strangers.ts';
import { bootProfiles } from './profiles.ts';
import { addressesAt } from './addressesAt.ts';
import { bootSettings, factsOf, heldLeases, knownDialects, linksOf, siteKeys } from './facts.ts';

/** The smallest prefix around each address in each VRF, with those beside them on their wires. */
async function linksAroundAll(tx: Tx, addresses: Iterable<string>): Promise<Link[]> {
  const vrfs = (await allOf(tx, 'vrf')).map(({ id }) => id);
  const ids = new Set<number>();
  for (const address of new Set(addresses)) {
    const read = parseIp(address);
    if (!read.ok || read.value.family !== 4) continue;
    const around = truncations(networkOf(read.value, 32));
    for (const vrf of vrfs) {
      const id = await smallestCovering(tx, vrf, around);
      if (id !== undefined) ids.add(id);
    }
  }
  const links = [...(await byIds(tx, 'prefix', [...ids])).values()];
  const vlans = links.flatMap(({ vlan }) => vlan ?? []);
  const beside = await find(tx, 'prefix', { vlan_id: vlans });
  return linksOf(tx, [...links, ...beside.filter(({ id }) => !ids.has(id))]);
}

/**
 * What many devices would be told when each boots behind one of these relays, or on the service's own wire. Their leases
 * are left out, but for those that they hold themselves: which address of a pool is given is not decided before they ask.
 */
export async function memoryForDevices(
  tx: Tx,
  devices: readonly Stored<'device'>[],
  relays: readonly string[],
): Promise<BootMemory> {
  const memory = new BootMemory(tx.place, MOST_LISTED);
  for (const link of await linksAroundAll(tx, [memory.server, ...relays])) memory.links.put(link);
  memory.dialects = await knownDialects(tx);
  memory.sites = await siteKeys(tx);
  memory.setSettings(await bootSettings(tx));
  memory.profiles = await bootProfiles(tx);
  const facts = await factsOf(tx, devices);
  const macs = facts.flatMap(({ boxes }) => boxes.flatMap(({ mac }) => mac ?? []));
  const known = new Set(devices.map(({ id }) => id));
  const others = devicesOf((await macOwners(tx, macs)).values()).filter((id) => !known.has(id));
  const at = (await devicesAt(tx, relays)).filter((id) => !known.has(id));
  const more = await byIds(tx, 'device', [...new Set([...others, ...at])]);
  for (const fact of [...(await factsOf(tx, [...more.values()])), ...facts]) memory.put(fact);
  const held = await heldLeases(tx, 'AND device_id IN (?)', [[...known, 0]]);
  for (const lease of held) memory.leases.put(lease);
  return memory;
}

/** All that one packet leads to. */
export async function memoryFor(tx: Tx, message: Message, source: string): Promise<BootMemory> {
  const client = clientOf(message);
  const memory = new BootMemory(tx.place, MOST_LISTED);
  const { selects } = client.information;
  const named = [memory.server, source, client.relay, message.clientAddress, selects, selectedSubnet(message)];
  for (const link of await linksAroundAll(
    tx,
    named.flatMap((one) => one ?? []),
  ))
    memory.links.put(link);
  const dialects = await knownDialects(tx);
  memory.dialects = dialects;
  memory.sites = await siteKeys(tx);
  memory.setSettings(await bootSettings(tx));
  memory.profiles = await bootProfiles(tx);
  const serials = [...memory.serialsIn(client), ...(client.serial === null ? [] : [client.serial])];
  const boxes = await find(tx, 'box', { natural_key: serials.map((serial) => serial.toLowerCase()) });
  const owners = await macOwners(tx, [client.mac, ...(client.otherMac === null ? [] : [client.otherMac])]);
  const at = await devicesAt(
    tx,
    [client.relay, source].flatMap((one) => one ?? []),
  );
  const ids = new Set([...boxes.flatMap(({ device }) => device ?? []), ...at, ...devicesOf(owners.values())]);
  for (const fact of await factsOf(tx, [...(await byIds(tx, 'device', [...ids])).values()])) memory.put(fact);
  for (const box of boxes) if (box.device === null) memory.putSpare(box);
  for (const owner of owners.values()) if ('box' in owner && owner.box.device === null) memory.putSpare(owner.box);
  const prefixes = [...memory.links.all()].map(({ id }) => id);
  const held = await heldLeases(tx, 'AND (prefix_id IN (?) OR device_id IN (?))', [
    [...prefixes, 0],
    [...ids, 0],
  ]);
  for (const lease of held) memory.leases.put(lease);
  return memory;
}

const selectedSubnet = (message: Message): string | undefined => {
  const bytes = message.options.get(118);
  return bytes && [...bytes].join('.');
};

const devicesOf = (owners: Iterable<MacOwner>): number[] =>
  [...owners].flatMap((owner) => ('box' in owner ? (owner.box.device?.id ?? []) : owner.interfaceOf.id));

/** Which devices have any of these addresses on an interface, in whatever VRF. */
async function devicesAt(tx: Tx, addresses: readonly string[]): Promise<number[]> {
  const found = await addressesAt(tx, addresses);
  return [...found.values()].flatMap((devices) => [...devices.values()]);
}

const bootBox = ({ id, serial, mac, device }: Stored<'box'>, key: string | null): BootBox => ({
  id,
  serial,
  mac,
  device: device === null ? null : { id: device, key: key ?? '' },
});

/** Whose hardware addresses these are, as far as they are anybody's. */
async function macOwners(tx: Tx, macs: readonly string[]): Promise<Map<string, MacOwner>> {
  const asked = macs.filter((mac) => /^([0-9a-f]{2}:){5}[0-9a-f]{2}$/.test(mac));
  if (asked.length === 0) return new Map();
  const rows = await tx.select<{ mac: Buffer; kind: string; record_id: number }>(
    'SELECT mac, kind, record_id FROM mac_claim WHERE mac IN (?)',
    [asked.map((mac) => Buffer.from(macToBytes(mac)))],
  );
  const ids = (kind: string) => rows.filter((row) => row.kind === kind).map((row) => Number(row.record_id));
  const boxes = await byIds(tx, 'box', ids('box'));
  const interfaces = await byIds(tx, 'interface', ids('interface'));
  const keys = await keysOf(
    tx,
    'device',
    [...boxes.values(), ...interfaces.values()].flatMap(({ device }) => (device === null ? [] : [device])),
  );
  const out = new Map<string, MacOwner>();
  for (const row of rows) {
    const mac = Array.from(row.mac, (byte) => byte.toString(16).padStart(2, '0')).join(':');
    const id = Number(row.record_id);
    const box = row.kind === 'box' ? boxes.get(id) : undefined;
    const on = row.kind === 'interface' ? interfaces.get(id) : undefined;
    if (box) out.set(mac, { box: bootBox(box, keys.get(box.device ?? 0) ?? null) });
    if (on) out.set(mac, { interfaceOf: { id: on.device, key: keys.get(on.device) ?? '' } });
  }
  return out;
}
