/** What the decision about one packet looks up, read for this packet and no more. */
import { parseIp } from '@zpine/core/addressing/ip';
import { macToBytes } from '@zpine/core/addressing/mac';
import { networkOf, truncations } from '@zpine/core/addressing/prefix';
import { clientOf, type Client } from '@zpine/core/dhcp/client';
import { fixedOffer, isOfClients, packetFault, takesAnother } from '@zpine/core/dhcp/decide';
import { identify } from '@zpine/core/dhcp/identify';
import type { BootBox, BootDevice, Link, Look, MacOwner } from '@zpine/core/dhcp/look';
import { typeOfMessage, type Message } from '@zpine/core/dhcp/message';
import { wantedAddress } from '@zpine/core/dhcp/reply';
import { DEFAULT_VRF } from '@zpine/contract/kinds/addressing';
import type { Stored } from '@zpine/contract/kinds';
import { byId, byIds, byKeys, find, keyOf, keysOf } from '../../store/records.ts';
import { ipText, smallestCovering, valueOf } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { openArrival } from '../arrivals/arrivals.ts';
import { mayBeListed } from '../arrivals/strangers.ts';
import { dialectIdOf } from '../devices/inForce.ts';
import { publishedOf } from '../editions/rows.ts';
import { dialectById } from '../fleet/dialects.ts';
import { settingsOf } from '../settings/effective.ts';
import { leaseAt, poolAddress } from './leases.ts';

/** Nothing was read for it: a decision that asks all the same would be made up. */
const notRead = (what: string) => (): never => {
  throw new Error(`a decision asked for ${what}, which nobody looked up`);
};

/**
 * `taking`: the device and the pool are held until the end of the unit of work, as what is decided is written down.
 * `source`: where the packet came from, as devices know the address.
 */
export async function lookFor(tx: Tx, message: Message, source: string, taking: boolean): Promise<Look> {
  const client = clientOf(message);
  const { address: server } = tx.place;
  const link = await linkAround(tx, client.relay ?? server);
  const at = client.relay === null ? new Map<string, number>() : await devicesAt(tx, [client.relay, source]);
  const look: Look = {
    server,
    linkAround: (address) => (address === (client.relay ?? server) ? link : notRead(`the prefix of ${address}`)()),
    deviceAt: (address) => at.get(address),
    boxOfSerial: notRead('a serial'),
    ownerOf: notRead('a hardware address'),
    device: notRead('a device'),
    pooled: notRead('a pool'),
    holderAt: notRead('a lease'),
    mayBeListed: notRead('the list of strangers'),
  };
  const type = typeOfMessage(message);
  if (!link || !type.ok || !isOfClients(type.value) || packetFault(look, link, message, source)) return look;
  if (type.value === 'RELEASE' || type.value === 'DECLINE') {
    const address = type.value === 'RELEASE' ? message.clientAddress : wantedAddress(message);
    const holder = address === undefined ? undefined : (await leaseAt(tx, address))?.client;
    return { ...look, holderAt: () => holder };
  }
  return lookAtClient(tx, look, { message, link, client, taking });
}

type Asked = { message: Message; link: Stored<'prefix'>; client: Client; taking: boolean };

async function lookAtClient(tx: Tx, look: Look, { message, link, client, taking }: Asked): Promise<Look> {
  const box = client.serial === null ? undefined : await boxOfSerial(tx, client.serial);
  const owner = (await macOwners(tx, [client.mac])).get(client.mac);
  const known: Look = { ...look, boxOfSerial: () => box, ownerOf: () => owner };
  const who = identify(known, client);
  if (who.is === 'device') {
    const device = (await byIds(tx, 'device', [who.id], taking)).get(who.id);
    const seen = device && (await bootDevice(tx, device, link));
    const another = takesAnother(look, message) || (seen && fixedOffer(seen, link) !== undefined);
    const pooled = another ? undefined : await poolAddress(tx, link, 'pool', client.word, taking);
    return { ...known, device: () => seen, pooled: () => pooled };
  }
  const listed = await mayBeListed(tx, client, link);
  const pooled =
    who.is === 'stranger' && listed && !takesAnother(look, message)
      ? await poolAddress(tx, link, 'quarantine', client.word, taking)
      : undefined;
  return { ...known, mayBeListed: () => listed, pooled: () => pooled };
}

/** The smallest prefix of the default VRF around an address. */
export async function linkAround(tx: Tx, address: string): Promise<Stored<'prefix'> | undefined> {
  const read = parseIp(address);
  if (!read.ok) return undefined;
  const host = networkOf(read.value, read.value.family === 4 ? 32 : 128);
  const id = await smallestCovering(tx, DEFAULT_VRF, truncations(host));
  return id === undefined ? undefined : byId(tx, 'prefix', id);
}

/** Which devices have these addresses on an interface. */
export async function devicesAt(tx: Tx, addresses: Iterable<string>): Promise<Map<string, number>> {
  const records = await byKeys(tx, 'address', [...new Set(addresses)]);
  const interfaces = await byIds(tx, 'interface', records.values(), 'interface');
  return new Map(
    [...records].flatMap(([address, record]) => {
      const device = interfaces.get(record.interface ?? 0)?.device;
      return device === undefined ? [] : [[address, device] as const];
    }),
  );
}

async function boxOfSerial(tx: Tx, serial: string): Promise<BootBox | undefined> {
  const [box] = await find(tx, 'box', { natural_key: serial.toLowerCase() });
  return box && bootBox(box, await keyOf(tx, 'device', box.device));
}

export const bootBox = ({ id, serial, mac, device }: Stored<'box'>, key: string | null): BootBox => ({
  id,
  serial,
  mac,
  device: device === null ? null : { id: device, key: key ?? '' },
});

/** Whose hardware addresses these are, as far as they are anybody's. */
export async function macOwners(tx: Tx, macs: readonly string[]): Promise<Map<string, MacOwner>> {
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

async function bootDevice(tx: Tx, device: Stored<'device'>, link: Link): Promise<BootDevice> {
  const dialectId = await dialectIdOf(tx, device);
  const interfaces = await find(tx, 'interface', { device_id: device.id });
  const on = new Map(interfaces.map((one) => [one.id, one]));
  const addresses = await find(
    tx,
    'address',
    { interface_id: [...on.keys()], prefix_id: link.id },
    { order: ['sort_key'] },
  );
  const edition = await publishedOf(tx, device.id);
  const window = await openArrival(tx, device.id);
  return {
    id: device.id,
    key: device.key,
    addresses: bootAddresses(device, addresses, (id) => on.get(id)?.name),
    lease: (await leasesOf(tx, [device.id])).get(device.id) ?? null,
    settings: await settingsOf(tx, device),
    dialectName: await keyOf(tx, 'dialect', dialectId),
    sheet: (await dialectById(tx, dialectId))?.sheet,
    edition: edition ? { id: edition.id, number: edition.number } : null,
    windowUntil: window?.closes_at.getTime() ?? null,
  };
}

/** What devices share with others is nobody's to boot with. */
export const bootAddresses = (
  device: Stored<'device'>,
  addresses: readonly Stored<'address'>[],
  nameOf: (interfaceId: number) => string | undefined,
): BootDevice['addresses'] =>
  addresses
    .filter((address) => !address.shared)
    .map(({ address, prefix, interface: on }) => ({
      address,
      prefix,
      interface: nameOf(on ?? 0) ?? '',
      management: on === device.management,
    }));

/** The lease that each device was promised, with its site. */
export async function leasesOf(tx: Tx, devices: readonly number[]): Promise<Map<number, BootDevice['lease']>> {
  if (devices.length === 0) return new Map();
  const rows = await tx.select<{ device_id: number; address: Buffer; expires_at: Date; site_id: number | null }>(
    `SELECT l.device_id, l.address, l.expires_at, p.site_id FROM lease l JOIN prefix p ON p.id = l.prefix_id
     WHERE l.device_id IN (?) AND l.acknowledged = 1 ORDER BY l.expires_at`,
    [devices],
  );
  const sites = await keysOf(
    tx,
    'site',
    rows.flatMap(({ site_id }) => (site_id === null ? [] : [Number(site_id)])),
  );
  return new Map(
    rows.map(({ device_id, address, expires_at, site_id }) => [
      Number(device_id),
      {
        address: ipText(4, valueOf(address, 4)),
        expires: expires_at.getTime(),
        site: site_id === null ? null : { id: Number(site_id), key: sites.get(Number(site_id)) ?? '' },
      },
    ]),
  );
}
