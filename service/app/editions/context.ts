/** Puts together what a template sees of a device. */
import type { SettingValue } from '@zpine/core/settings/layers';
import { grouped } from '@zpine/core/lists/grouped';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { bootOrigin, fileUrl } from '@zpine/core/dhcp/bootUrl';
import type { BootProfile } from '@zpine/core/dhcp/profiles';
import { publicKeyOf } from '../fleet/publicKey.ts';
import { bootProfiles, filesNamed, type Booting } from '../boot/profiles.ts';
import { secretText, type Val, type ValMap } from '@zpine/core/template/values';
import { wantedAmong } from '@zpine/core/images/wanted';
import { listSetting, textSetting } from '@zpine/core/settings/read';
import type { Row } from '@zpine/contract/fields';
import type { KindName, Stored } from '@zpine/contract/kinds';
import { columnsIn, recordIn } from '../../store/joined.ts';
import { allOf, byIds, find, keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { farEnds, type FarEnd } from '../cables/trace.ts';
import { writtenLength } from '../addressing/lengths.ts';
import { addressesOn } from '../addressing/carried.ts';
import { mainAddress } from '../addressing/management.ts';
import { dialectIn, uniqueIds, layerRecords, siteIn, type LayerRecords } from '../settings/layers.ts';
import { settingsOfAll, type DeviceSettings } from '../settings/effective.ts';

/** Stands for the one-time part of a URL until the text goes to the device. It cannot come from any input. */
export const ONE_TIME = '\u{e000}once\u{e000}';

export interface DeviceContext {
  device: Stored<'device'>;
  dialectId: number | null;
  dialect: string | null;
  /** What is known of it. */
  described: Dialect | undefined;
  settings: DeviceSettings;
  box: Stored<'box'> | undefined;
  /** The names of its interfaces, by id. */
  interfaces: Map<number, string>;
  /** On its interfaces, in their order. */
  addresses: Stored<'address'>[];
  prefixes: Map<number, Stored<'prefix'>>;
  data: Record<string, Val>;
  secrets: Record<string, Val>;
}

export const contextOf = async (tx: Tx, device: Stored<'device'>): Promise<DeviceContext> =>
  contextIn(tx, await deviceRecords(tx, [device]), device);

/** The same records with settings read anew. */
export const withSettings = async (
  tx: Tx,
  devices: Stored<'device'>[],
  known: DeviceRecords,
): Promise<DeviceRecords> => ({ ...known, settings: await settingsOfAll(tx, devices, known.places) });

/** Null stands for what belongs to nothing: nobody asks for it. */
type Many<T> = Map<number | null, T[]>;

/** Everything around devices that a template may ask for: of many read in as many questions as of one. */
export interface DeviceRecords {
  places: LayerRecords;
  settings: (device: Stored<'device'>) => DeviceSettings;
  interfaces: Many<Stored<'interface'>>;
  addresses: Many<Stored<'address'>>;
  prefixes: Map<number, Stored<'prefix'>>;
  vlans: Map<number, Stored<'vlan'>>;
  siteVlans: Many<Stored<'vlan'>>;
  profiles: BootProfile[];
  images: Stored<'image'>[];
  boxes: Map<number, Stored<'box'>>;
  cards: Many<Stored<'card'>>;
  /** By port: what is at the other end of its cables. */
  links: Map<number, Val>;
}

export async function deviceRecords(tx: Tx, devices: Stored<'device'>[]): Promise<DeviceRecords> {
  const ids = devices.map((device) => device.id);
  const places = await layerRecords(tx, devices);
  const settings = await settingsOfAll(tx, devices, places);
  const interfaces = await find(tx, 'interface', { device_id: ids }, { order: ['sort_key'] });
  const ends = await farEnds(tx, uniqueIds(interfaces.map((i) => i.port)));
  const others = await interfacesAt(tx, uniqueIds([...ends.values()].map((end) => end.port)));
  const { addresses, prefixes } = await addressesOn(tx, [
    ...new Set([...interfaces, ...[...others.values()].map((other) => other.interface)].map((i) => i.id)),
  ]);
  const deviceOf = new Map(interfaces.map((i) => [i.id, i.device]));
  const siteVlans = await find(tx, 'vlan', { site_id: [...places.sites.keys()] }, { order: ['number'] });
  const boxes = await find(tx, 'box', { device_id: ids });
  const cards = await find(tx, 'card', { device_id: ids }, { order: ['sort_key'] });
  await keysOf(tx, 'vrf', uniqueIds([...interfaces.map((i) => i.vrf), ...addresses.map((a) => a.vrf)]));
  await keysOf(tx, 'owner', uniqueIds(devices.map((d) => d.owner)));
  await keysOf(tx, 'use', uniqueIds(siteVlans.map((v) => v.use)));
  await keysOf(tx, 'model', uniqueIds([...boxes, ...cards].map((one) => one.model)));
  await keysOf(tx, 'vendor', uniqueIds([...places.models.values()].map((model) => model.vendor)));
  return {
    places,
    settings,
    interfaces: grouped(interfaces, (i) => i.device),
    addresses: grouped(
      addresses.filter((a) => deviceOf.has(a.interface ?? 0)),
      (a) => deviceOf.get(a.interface ?? 0) ?? null,
    ),
    prefixes,
    vlans: await vlansAmong(tx, siteVlans, uniqueIds(interfaces.map((i) => i.vlan))),
    siteVlans: grouped(siteVlans, (v) => v.site),
    profiles: await bootProfiles(tx),
    images: await allOf(tx, 'image'),
    boxes: new Map(boxes.map((box) => [box.device ?? 0, box])),
    cards: grouped(cards, (card) => card.device),
    links: linksOf(ends, others, addresses, prefixes),
  };
}

/** A key that was read with the surroundings. */
const keyIn = (tx: Tx, kind: KindName, id: number | null): string | null =>
  id === null ? null : (tx.keys.get(kind)?.get(id) ?? null);

/** An address as a configuration has it, with its length. */
const addressText = (
  { address }: Stored<'address'>,
  form: string | undefined,
  prefix: Stored<'prefix'> | undefined,
): string => (prefix ? `${address}/${writtenLength(form, prefix)}` : address);

export function contextIn(tx: Tx, known: DeviceRecords, device: Stored<'device'>): DeviceContext {
  const settings = known.settings(device);
  const dialectId = dialectIn(known.places, device);
  const record = known.places.dialects.get(dialectId ?? 0);
  const described = record && tx.dialects.of(record.key, record.sheet);
  const interfaces = known.interfaces.get(device.id) ?? [];
  const addresses = known.addresses.get(device.id) ?? [];
  const forms = new Map(interfaces.map((i) => [i.id, i.form]));
  const written = (a: Stored<'address'>) => addressText(a, forms.get(a.interface ?? 0), known.prefixes.get(a.prefix));
  const names = new Map(interfaces.map((i) => [i.id, i.name]));
  const shownInterfaces: Val[] = interfaces.map((i) => ({
    name: i.name,
    form: i.form,
    description: i.description,
    enabled: i.enabled,
    mode: i.mode,
    vlan: known.vlans.get(i.vlan ?? 0)?.number ?? null,
    tagged: i.tagged ?? [],
    on: names.get(i.on ?? 0) ?? null,
    tag: i.tag,
    memberOf: names.get(i.memberOf ?? 0) ?? null,
    speed: i.speedMbps,
    addresses: addresses.filter((a) => a.interface === i.id).map(written),
    vrf: keyIn(tx, 'vrf', i.vrf),
    mac: i.mac,
  }));
  const image = wantedAmong(listSetting(settings, 'image.wanted'), known.images, {
    dialect: dialectId,
    model: device.model,
  });
  const main =
    addresses.find((a) => a.interface === device.main && device.main !== null) ??
    addresses.find((a) => a.interface === device.management && device.management !== null);
  return {
    device,
    dialectId,
    dialect: record?.key ?? null,
    described,
    settings,
    box: known.boxes.get(device.id),
    interfaces: names,
    addresses,
    prefixes: known.prefixes,
    data: {
      device: {
        name: device.name,
        duty: keyIn(tx, 'duty', device.duty),
        owner: keyIn(tx, 'owner', device.owner),
        note: device.note,
        position: device.positionU,
        management: managementMap(tx, known, device, interfaces, settings),
        main: main ? { interface: names.get(main.interface ?? 0) ?? null, address: written(main) } : null,
      },
      box: boxMap(tx, known.boxes.get(device.id)),
      ...placeMaps(known, device),
      model: modelMap(tx, known.places.models.get(device.model ?? 0)),
      dialect: record?.key ?? null,
      ports: shownInterfaces.filter((i) => (i as ValMap).form === 'port'),
      interfaces: shownInterfaces,
      cards: (known.cards.get(device.id) ?? []).map((card) => ({
        slot: card.slot,
        model: keyIn(tx, 'model', card.model),
        serial: card.serial,
      })),
      vlans: (known.siteVlans.get(siteIn(known.places, device)?.id ?? 0) ?? []).map((v) => ({
        number: v.number,
        title: v.title,
        use: keyIn(tx, 'use', v.use),
      })),
      addresses: addresses.map((a) => ({
        address: written(a),
        interface: names.get(a.interface ?? 0) ?? null,
        prefix: known.prefixes.get(a.prefix)?.cidr ?? null,
        vrf: keyIn(tx, 'vrf', a.vrf),
      })),
      links: interfaces.flatMap((i): Val[] => {
        const there = known.links.get(i.port ?? 0);
        return there === undefined ? [] : [{ interface: i.name, ...(there as ValMap) }];
      }),
      boot: bootMap(tx, known.profiles, {
        device,
        dialect: dialectId,
        described,
        model: keyIn(tx, 'model', device.model),
        box: known.boxes.get(device.id) ?? null,
        image,
      }),
      image: image ? imageMap(image) : null,
      access: { user: textSetting(settings, 'access.user') ?? null, publicKey: publicKeyOf(settings) ?? null },
      set: settingTree(settings),
    },
    secrets: Object.fromEntries(
      [...settings.values()]
        .filter(({ setting }) => setting.secret && setting.valueType === 'text')
        .map(({ setting, value }) => [setting.name, secretVal(value)]),
    ),
  };
}

/** VLANs of interfaces: those of the sites, as a rule. */
async function vlansAmong(
  tx: Tx,
  known: Stored<'vlan'>[],
  ids: readonly number[],
): Promise<Map<number, Stored<'vlan'>>> {
  const vlans = new Map(known.map((vlan) => [vlan.id, vlan]));
  const elsewhere = ids.filter((id) => !vlans.has(id));
  return new Map([...vlans, ...(await byIds(tx, 'vlan', elsewhere))]);
}

interface OtherEnd {
  interface: Stored<'interface'>;
  device: string;
}

/** The interfaces of ports, by port, with the names of their devices. */
async function interfacesAt(tx: Tx, ports: readonly number[]): Promise<Map<number, OtherEnd>> {
  const found = new Map<number, OtherEnd>();
  if (ports.length === 0) return found;
  const rows = await tx.select<Row>(
    `SELECT ${columnsIn('interface', 'i')}, d.name FROM interface i JOIN device d ON d.id = i.device_id
     WHERE i.port_id IN (?) ORDER BY i.id`,
    [ports],
  );
  for (const row of rows) {
    const on = recordIn('interface', 'i', row);
    if (on?.port) found.set(on.port, { interface: on, device: String(row.name) });
  }
  return found;
}

/** What is at the other ends of the cables of ports, through panels, and which addresses are there. */
function linksOf(
  ends: Map<number, FarEnd>,
  others: Map<number, OtherEnd>,
  addresses: Stored<'address'>[],
  prefixes: Map<number, Stored<'prefix'>>,
): Map<number, Val> {
  const on = grouped(addresses, (a) => a.interface);
  return new Map(
    [...ends].map(([port, end]): [number, Val] => {
      const other = end.port === null ? undefined : others.get(end.port);
      const there = other ? (on.get(other.interface.id) ?? []) : [];
      return [
        port,
        {
          device: other?.device ?? null,
          port: other?.interface.name ?? end.words,
          addresses: there.map((a) => addressText(a, other?.interface.form, prefixes.get(a.prefix))),
        },
      ];
    }),
  );
}

function managementMap(
  tx: Tx,
  known: DeviceRecords,
  device: Stored<'device'>,
  interfaces: Stored<'interface'>[],
  settings: DeviceSettings,
): Val {
  const on = interfaces.find((i) => i.id === device.management);
  const held = on && mainAddress((known.addresses.get(device.id) ?? []).filter((a) => a.interface === on.id));
  const prefix = held && known.prefixes.get(held.prefix);
  if (!on || !held || !prefix) return null;
  return {
    interface: on.name,
    vlan: known.vlans.get(on.vlan ?? 0)?.number ?? null,
    address: addressText(held, on.form, prefix),
    prefix: prefix.cidr,
    gateway: textSetting(settings, 'gateway') ?? prefix.gateway,
    vrf: keyIn(tx, 'vrf', on.vrf),
  };
}

const boxMap = (tx: Tx, box: Stored<'box'> | undefined): Val =>
  box ? { serial: box.serial, mac: box.mac, model: keyIn(tx, 'model', box.model) } : null;

function placeMaps({ places }: DeviceRecords, device: Stored<'device'>): Record<string, Val> {
  const site = siteIn(places, device) ?? null;
  const area = places.areas.get(site?.area ?? 0) ?? null;
  const rack = places.racks.get(device.rack ?? 0) ?? null;
  const room = places.rooms.get(rack?.room ?? 0) ?? null;
  return {
    site: site && { code: site.code, title: site.title, timeZone: site.timeZone },
    area: area && { name: area.name, title: area.title },
    room: room && { name: room.name, title: room.title },
    rack: rack && { name: rack.name, title: rack.title, heightU: rack.heightU },
  };
}

const modelMap = (tx: Tx, model: Stored<'model'> | undefined): Val =>
  model
    ? { vendor: keyIn(tx, 'vendor', model.vendor), name: model.name, title: model.title, heightU: model.heightU }
    : null;

/** Where a device reports to, and where its first file lies. */
function bootMap(
  tx: Tx,
  profiles: readonly BootProfile[],
  { image, ...booting }: Booting & { image: Stored<'image'> | undefined },
): Val {
  const { address } = tx.place;
  if (address === '') return { server: null, file: null, folder: null, image: null, life: null };
  const first = filesNamed(profiles, booting).find(({ leg }) => leg === undefined);
  const url = (name: string) => fileUrl(tx.place, first?.profile.transport ?? 'tftp', ONE_TIME, name);
  return {
    server: address,
    file: first ? url(first.name) : null,
    folder: first ? url(booting.device.key) : null,
    image: image ? url(image.file) : null,
    life: `${bootOrigin(tx.place, 'http')}/life/${ONE_TIME}`,
  };
}

const imageMap = ({ name, release, file, bytes, sha256, sha512 }: Stored<'image'>): Val => ({
  name,
  version: release,
  file,
  bytes,
  sha256,
  sha512,
});

/** Secrets inside become masked values. */
function secretVal(value: SettingValue): Val {
  if (value === null) return null;
  if (Array.isArray(value)) return value.map(secretVal);
  if (typeof value === 'object')
    return Object.fromEntries(Object.entries(value).map(([key, held]) => [key, secretVal(held)]));
  return secretText(String(value));
}

/** `time.servers` lies at `time`, `servers`. */
function settingTree(settings: DeviceSettings): ValMap {
  const root: ValMap = {};
  for (const { setting, value } of settings.values()) {
    const parts = setting.name.split('.');
    let here = root;
    for (const part of parts.slice(0, -1)) here = (here[part] ??= {}) as ValMap;
    here[parts.at(-1) ?? ''] = setting.secret ? secretVal(value) : value;
  }
  return root;
}
