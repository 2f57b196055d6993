/** What of the records decisions about booting devices look up, read for some of them or for all. */
import type { BootFact, FactAddress, KnownDialect, SaidSetting } from '@zpine/core/dhcp/memory';
import type { Held } from '@zpine/core/dhcp/leases';
import { linkOf, type Link } from '@zpine/core/dhcp/link';
import type { BootWindow } from '@zpine/core/dhcp/look';
import { offeredOptions } from '@zpine/core/dhcp/options';
import { grouped } from '@zpine/core/lists/grouped';
import { fieldTypes, type Row } from '@zpine/contract/fields';
import type { Stored } from '@zpine/contract/kinds';
import { allOf, find, keysOf } from '../../store/records.ts';
import { ipText, valueOf } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { dialectIn, layerRecords, layersIn, layerWord, openValue, settingValues } from '../settings/layers.ts';
import type { Placed, ValueRow } from '../settings/layers.ts';
import { ownOptionOf, TELLING } from '../settings/options.ts';
import { leases, type LeaseRow } from './leases.ts';
import { windowWord } from './windowWord.ts';

const macText = (bytes: Buffer): string => Array.from(bytes, (byte) => byte.toString(16).padStart(2, '0')).join(':');

/** In a number of statements that does not grow with the devices. */
export async function factsOf(tx: Tx, devices: readonly Placed[]): Promise<BootFact[]> {
  if (devices.length === 0) return [];
  const ids = devices.map(({ id }) => id);
  const management = new Map(devices.map((device) => [device.id, device.management]));
  const places = await layerRecords(tx, devices);
  const boxes = grouped(await boxesOf(tx, ids), ({ device }) => device);
  const macs = grouped(await macsOf(tx, ids), ({ device }) => device);
  const addresses = grouped(await addressesOf(tx, ids, management), ({ device }) => device);
  const editions = await publishedOfMany(tx, ids);
  const windows = await openWindows(tx, ids);
  return devices.map((device): BootFact => {
    const { id, key } = device;
    return {
      id,
      key,
      boxes: (boxes.get(id) ?? []).map((box) => ({ id: box.id, serial: box.serial, mac: box.mac })),
      macs: (macs.get(id) ?? []).map(({ interface: on, mac }) => ({ interface: on, mac })),
      addresses: (addresses.get(id) ?? []).map(({ address }) => address),
      layers: layersIn(tx, places, device).filter(({ kind }) => kind !== 'device'),
      dialect: dialectIn(places, device),
      edition: editions.get(id) ?? null,
      window: windows.get(id) ?? null,
    };
  });
}

/** So much of devices as is looked at here; those that are there. */
export async function placedDevices(tx: Tx, ids: readonly number[]): Promise<Placed[]> {
  if (ids.length === 0) return [];
  const rows = await tx.select<Row>(
    `SELECT id, natural_key, model_id, dialect_id, duty_id, site_id, rack_id, management_id, labels FROM device
     WHERE id IN (?) ORDER BY id`,
    [ids],
  );
  const id = (row: Row, column: string) => (row[column] === null ? null : Number(row[column]));
  return rows.map((row) => ({
    id: Number(row.id),
    key: String(row.natural_key),
    model: id(row, 'model_id'),
    dialect: id(row, 'dialect_id'),
    duty: id(row, 'duty_id'),
    site: id(row, 'site_id'),
    rack: id(row, 'rack_id'),
    management: id(row, 'management_id'),
    labels: fieldTypes.labels.fromRow('labels', row),
  }));
}

async function boxesOf(
  tx: Tx,
  ids: readonly number[],
): Promise<{ id: number; device: number; serial: string | null; mac: string | null }[]> {
  const rows = await tx.select<{ id: number; device_id: number; serial: string | null; mac: Buffer | null }>(
    'SELECT id, device_id, serial, mac FROM box WHERE device_id IN (?) ORDER BY id',
    [ids],
  );
  return rows.map(({ id, device_id: device, serial, mac }) => ({
    id: Number(id),
    device: Number(device),
    serial,
    mac: mac && macText(mac),
  }));
}

async function macsOf(tx: Tx, ids: readonly number[]): Promise<{ device: number; interface: number; mac: string }[]> {
  const rows = await tx.select<{ id: number; device_id: number; mac: Buffer }>(
    'SELECT id, device_id, mac FROM interface WHERE device_id IN (?) AND mac IS NOT NULL ORDER BY id',
    [ids],
  );
  return rows.map((row) => ({ device: Number(row.device_id), interface: Number(row.id), mac: macText(row.mac) }));
}

async function addressesOf(
  tx: Tx,
  ids: readonly number[],
  management: ReadonlyMap<number, number | null>,
): Promise<{ device: number; address: FactAddress }[]> {
  const rows = await tx.select<{
    id: number;
    device_id: number;
    interface_id: number;
    name: string;
    address: Buffer;
    prefix_id: number;
    vrf_id: number;
    shared: number;
  }>(
    `SELECT a.id, i.device_id, a.interface_id, i.name, a.address, a.prefix_id, a.vrf_id, a.shared FROM interface i
     JOIN address a ON a.interface_id = i.id WHERE i.device_id IN (?) AND a.address_family = 4 ORDER BY a.sort_key, a.id`,
    [ids],
  );
  return rows.map((row) => {
    const device = Number(row.device_id);
    return {
      device,
      address: {
        id: Number(row.id),
        address: ipText(4, valueOf(row.address, 4)),
        prefix: Number(row.prefix_id),
        vrf: Number(row.vrf_id),
        interface: row.name,
        management: Number(row.interface_id) === management.get(device),
        shared: Boolean(row.shared),
      },
    };
  });
}

/** The edition that each is given now. */
async function publishedOfMany(tx: Tx, ids: readonly number[]): Promise<Map<number, { id: number; number: number }>> {
  const rows = await tx.select<{ id: number; device_id: number; number: number }>(
    `SELECT id, device_id, number FROM edition WHERE device_id IN (?) AND published_at IS NOT NULL
     ORDER BY device_id, published_at, number`,
    [ids],
  );
  return new Map(rows.map((row) => [Number(row.device_id), { id: Number(row.id), number: row.number }]));
}

/** The open window of each. */
async function openWindows(tx: Tx, ids: readonly number[]): Promise<Map<number, BootWindow>> {
  const rows = await tx.select<{ device_id: number; opened_at: Date; closes_at: Date; legs: string | null }>(
    "SELECT device_id, opened_at, closes_at, JSON_VALUE(state, '$.legs') AS legs FROM arrival WHERE device_id IN (?) AND ended_at IS NULL AND closes_at > ? ORDER BY id",
    [ids, tx.aboutNow()],
  );
  return new Map(
    rows.map((row) => {
      const [device, until] = [Number(row.device_id), row.closes_at.getTime()];
      return [device, { until, word: windowWord(tx, device, row.opened_at.getTime()), legs: Number(row.legs ?? 0) }];
    }),
  );
}

/** Prefixes of IPv4 that clients may boot in; of these records alone where some are given. */
export async function linksOf(tx: Tx, records?: readonly Stored<'prefix'>[]): Promise<Link[]> {
  const prefixes = records ?? (await find(tx, 'prefix', { cidr_family: 4 }));
  const names = await keysOf(
    tx,
    'vrf',
    prefixes.map(({ vrf }) => vrf),
  );
  return prefixes.flatMap((record) => linkOf(record, names.get(record.vrf) ?? '') ?? []);
}

const ALWAYS = ['lease.seconds', ...TELLING];

/** The settings that clients are told of, with what every layer says. No secret is among them. */
export async function bootSettings(tx: Tx): Promise<SaidSetting[]> {
  const names = new Set([...ALWAYS, ...offeredOptions.flatMap(({ from }) => from.setting ?? [])]);
  const catalogue = (await allOf(tx, 'setting')).filter(
    ({ name, secret, dhcpOption }) => (names.has(name) || dhcpOption !== null) && !secret,
  );
  const said = new Map(catalogue.map(({ id }) => [id, new Map<string, ReturnType<typeof saidBy>>()]));
  const rows = await tx.select<ValueRow>(`SELECT ${settingValues.all} FROM setting_value WHERE setting_id IN (?)`, [
    [...said.keys(), 0],
  ]);
  const keys = await layerKeys(tx, rows);
  for (const row of rows) {
    const layer = { kind: row.layer_kind, id: Number(row.layer_id) };
    said.get(Number(row.setting_id))?.set(layerWord(layer), saidBy(tx, row, keys.get(layerWord(layer)) ?? ''));
  }
  return catalogue.map((setting) => {
    const option = ownOptionOf(setting);
    const { id, name, defaultValue } = setting;
    return { name, usual: defaultValue, said: said.get(id) ?? new Map(), ...(option ? { option } : {}) };
  });
}

const saidBy = (tx: Tx, row: ValueRow, key: string) => ({
  layer: { kind: row.layer_kind, key },
  mode: row.mode,
  value: openValue(tx, row),
});

async function layerKeys(tx: Tx, rows: readonly ValueRow[]): Promise<Map<string, string>> {
  const out = new Map<string, string>();
  for (const [kind, of] of grouped(rows, ({ layer_kind }) => layer_kind)) {
    if (kind === 'everywhere') continue;
    const ids = of.map(({ layer_id }) => Number(layer_id));
    for (const [id, key] of await keysOf(tx, kind, ids)) out.set(layerWord({ kind, id }), key);
  }
  return out;
}

export async function knownDialects(tx: Tx): Promise<Map<number, KnownDialect>> {
  const records = await allOf(tx, 'dialect');
  return new Map(records.map(({ id, key, sheet }) => [id, { name: key, sheet: tx.dialects.of(key, sheet)?.sheet }]));
}

export async function siteKeys(tx: Tx): Promise<Map<number, string>> {
  const rows = await tx.select<{ id: number; natural_key: string }>('SELECT id, natural_key FROM site');
  return new Map(rows.map(({ id, natural_key: key }) => [Number(id), key]));
}

/** A lease as it stands on disk. */
function heldOf(row: LeaseRow): Held {
  const expires = row.expires_at.getTime();
  return {
    vrf: Number(row.vrf_id),
    address: Number(valueOf(row.address, 4)),
    prefix: Number(row.prefix_id),
    source: row.source,
    word: row.client,
    mac: row.mac,
    device: row.device_id === null ? null : Number(row.device_id),
    expires,
    acknowledged: Boolean(row.acknowledged),
    heard: row.changed_at.getTime(),
    kept: row.acknowledged ? expires : 0,
  };
}

/** `behind`: a condition with its values. */
export async function heldLeases(tx: Tx, behind = '', values: readonly unknown[] = []): Promise<Held[]> {
  const rows = await tx.select<LeaseRow>(`SELECT ${leases.all} FROM lease WHERE family = 4 ${behind}`, values);
  return rows.map(heldOf);
}
