/** Puts together what a template sees of a device. */
import { type SettingValue } from '@zpine/core/settings/layers';
import { parsePrefix } from '@zpine/core/addressing/prefix';
import { sure } from '@zpine/core/fault';
import { bootFileOf, type Dialect } from '@zpine/core/dialect/dialect';
import { secretText, type Val, type ValMap } from '@zpine/core/template/values';
import { type Stored } from '@zpine/contract/kinds';
import { byId, byIds, find, keyOf } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { farEnds } from '../cables/trace.ts';
import { addressesOn } from '../addressing/carried.ts';
import { managementOf } from '../addressing/management.ts';
import { dialectById } from '../fleet/dialects.ts';
import { dialectIdOf } from '../settings/layers.ts';
import { settingsOf, textSetting, type DeviceSettings } from '../settings/effective.ts';

/** Stands for the one-time part of a URL until the text goes to the device. It cannot come from any input. */
export const ONE_TIME = '\u{e000}once\u{e000}';

export interface DeviceContext {
  device: Stored<'device'>;
  dialect: string | null;
  /** What is known of it. */
  described: Dialect | undefined;
  settings: DeviceSettings;
  data: Record<string, Val>;
  secrets: Record<string, Val>;
}

export async function contextOf(tx: Tx, device: Stored<'device'>): Promise<DeviceContext> {
  const settings = await settingsOf(tx, device);
  const dialectId = await dialectIdOf(tx, device);
  const dialect = await keyOf(tx, 'dialect', dialectId);
  const described = await dialectById(tx, dialectId);
  const interfaces = await find(tx, 'interface', { device_id: device.id }, { order: ['sort_key'] });
  const addresses = await addressesOn(
    tx,
    interfaces.map((i) => i.id),
  );
  const prefixes = await byIds(
    tx,
    'prefix',
    addresses.map((a) => a.prefix),
  );
  const vlans = await vlansOf(tx, interfaces);
  const lengthOf = (a: Stored<'address'>) => sure(parsePrefix(prefixes.get(a.prefix)?.cidr ?? '0.0.0.0/0')).length;
  const written = (a: Stored<'address'>) => `${a.address}/${lengthOf(a)}`;
  const names = new Map(interfaces.map((i) => [i.id, i.name]));
  const shownInterfaces: Val[] = [];
  for (const i of interfaces) {
    shownInterfaces.push({
      name: i.name,
      form: i.form,
      description: i.description,
      enabled: i.enabled,
      mode: i.mode,
      vlan: vlans.get(i.vlan ?? 0)?.number ?? null,
      tagged: i.tagged ?? [],
      on: names.get(i.on ?? 0) ?? null,
      tag: i.tag,
      memberOf: names.get(i.memberOf ?? 0) ?? null,
      speed: i.speedMbps,
      addresses: addresses.filter((a) => a.interface === i.id).map(written),
      vrf: await keyOf(tx, 'vrf', i.vrf),
      mac: i.mac,
    });
  }
  const shownAddresses: Val[] = [];
  for (const a of addresses) {
    shownAddresses.push({
      address: written(a),
      interface: interfaces.find((i) => i.id === a.interface)?.name ?? null,
      prefix: prefixes.get(a.prefix)?.cidr ?? null,
      vrf: await keyOf(tx, 'vrf', a.vrf),
    });
  }
  const main =
    addresses.find((a) => a.interface === device.main && device.main !== null) ??
    addresses.find((a) => a.interface === device.management && device.management !== null);
  const ports = shownInterfaces.filter((i) => (i as ValMap).form === 'port');
  return {
    device,
    dialect,
    described,
    settings,
    data: {
      device: {
        name: device.name,
        duty: await keyOf(tx, 'duty', device.duty),
        owner: await keyOf(tx, 'owner', device.owner),
        note: device.note,
        position: device.positionU,
        management: await managementMap(tx, device, interfaces, vlans, settings),
        main: main ? { interface: names.get(main.interface ?? 0) ?? null, address: written(main) } : null,
      },
      box: await boxMap(tx, device),
      ...(await placeMaps(tx, device)),
      model: await modelMap(tx, device),
      dialect,
      ports,
      interfaces: shownInterfaces,
      cards: await cardMaps(tx, device),
      vlans: await siteVlans(tx, device),
      addresses: shownAddresses,
      links: await linksOf(tx, interfaces),
      boot: bootMap(tx, device, described),
      set: settingTree(settings),
    },
    secrets: Object.fromEntries(
      [...settings.values()]
        .filter(({ setting }) => setting.secret && setting.valueType === 'text')
        .map(({ setting, value }) => [setting.name, secretVal(value)]),
    ),
  };
}

async function cardMaps(tx: Tx, device: Stored<'device'>): Promise<Val[]> {
  const cards = await find(tx, 'card', { device_id: device.id }, { order: ['sort_key'] });
  const out: Val[] = [];
  for (const card of cards)
    out.push({ slot: card.slot, model: await keyOf(tx, 'model', card.model), serial: card.serial });
  return out;
}

/** Where the cables of its interfaces end, through panels, and what addresses are there. */
async function linksOf(tx: Tx, interfaces: Stored<'interface'>[]): Promise<Val[]> {
  const onPorts = interfaces.filter((i) => i.port !== null);
  const ends = await farEnds(
    tx,
    onPorts.flatMap((i) => i.port ?? []),
  );
  const ports = [...ends.values()].flatMap((end) => end.port ?? []);
  const others = await find(tx, 'interface', { port_id: ports });
  const addresses = await addressesOn(
    tx,
    others.map((i) => i.id),
  );
  const prefixes = await byIds(
    tx,
    'prefix',
    addresses.map((a) => a.prefix),
  );
  const devices = await byIds(
    tx,
    'device',
    others.map((i) => i.device),
  );
  return onPorts.flatMap((i): Val[] => {
    const end = ends.get(i.port ?? 0);
    if (!end) return [];
    const other = others.find((one) => one.port === end.port);
    const there = addresses.filter((a) => a.interface === other?.id);
    return [
      {
        interface: i.name,
        device: other ? (devices.get(other.device)?.name ?? null) : null,
        port: other?.name ?? end.words,
        addresses: there.map(
          (a) => `${a.address}/${sure(parsePrefix(prefixes.get(a.prefix)?.cidr ?? '0.0.0.0/0')).length}`,
        ),
      },
    ];
  });
}

type Vlans = Map<number, Stored<'vlan'>>;

async function vlansOf(tx: Tx, interfaces: Stored<'interface'>[]): Promise<Vlans> {
  return byIds(
    tx,
    'vlan',
    interfaces.map((i) => i.vlan).filter((id) => id !== null),
  );
}

async function siteVlans(tx: Tx, device: Stored<'device'>): Promise<Val[]> {
  if (device.site === null) return [];
  const vlans = await find(tx, 'vlan', { site_id: device.site }, { order: ['number'] });
  const out: Val[] = [];
  for (const v of vlans) out.push({ number: v.number, title: v.title, use: await keyOf(tx, 'use', v.use) });
  return out;
}

async function managementMap(
  tx: Tx,
  device: Stored<'device'>,
  interfaces: Stored<'interface'>[],
  vlans: Vlans,
  settings: DeviceSettings,
): Promise<Val> {
  const held = await managementOf(tx, device);
  const on = interfaces.find((i) => i.id === device.management);
  if (!held || !on) return null;
  return {
    interface: on.name,
    vlan: vlans.get(on.vlan ?? 0)?.number ?? null,
    address: `${held.address.address}/${sure(parsePrefix(held.prefix.cidr)).length}`,
    prefix: held.prefix.cidr,
    gateway: textSetting(settings, 'gateway') ?? held.prefix.gateway,
    vrf: await keyOf(tx, 'vrf', on.vrf),
  };
}

async function boxMap(tx: Tx, device: Stored<'device'>): Promise<Val> {
  const [box] = await find(tx, 'box', { device_id: device.id });
  return box ? { serial: box.serial, mac: box.mac, model: await keyOf(tx, 'model', box.model) } : null;
}

async function placeMaps(tx: Tx, device: Stored<'device'>): Promise<Record<string, Val>> {
  const site = device.site === null ? null : await byId(tx, 'site', device.site);
  const area = site?.area ? await byId(tx, 'area', site.area) : null;
  const rack = device.rack === null ? null : await byId(tx, 'rack', device.rack);
  const room = rack ? await byId(tx, 'room', rack.room) : null;
  return {
    site: site && { code: site.code, title: site.title, timeZone: site.timeZone },
    area: area && { name: area.name, title: area.title },
    room: room && { name: room.name, title: room.title },
    rack: rack && { name: rack.name, title: rack.title, heightU: rack.heightU },
  };
}

async function modelMap(tx: Tx, device: Stored<'device'>): Promise<Val> {
  if (device.model === null) return null;
  const model = await byId(tx, 'model', device.model);
  return {
    vendor: await keyOf(tx, 'vendor', model.vendor),
    name: model.name,
    title: model.title,
    heightU: model.heightU,
  };
}

/** Where a device reports to, and where its first file lies. */
function bootMap(tx: Tx, device: Stored<'device'>, described: Dialect | undefined): Val {
  const { address, httpPort } = tx.place;
  if (address === '') return { server: null, file: null, image: null, life: null };
  const file = described && bootFileOf(described.sheet, device.key);
  const host = httpPort === 80 ? address : `${address}:${httpPort}`;
  return {
    server: address,
    file: file === undefined ? null : `tftp://${address}/${file}`,
    image: null,
    life: `http://${host}/life/${ONE_TIME}`,
  };
}

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
    here[parts.at(-1) ?? ''] = setting.secret ? secretVal(value) : (value as Val);
  }
  return root;
}
