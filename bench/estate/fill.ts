/** Fills a database with an estate, through the same use cases as anybody's write: spans, slots, terms and history come with it. */
import type { SettingValue } from '@zpine/core/settings/layers';
import { readFileSync } from 'node:fs';
import { parse } from 'yaml';
import { kindNames, type KindName } from '@zpine/contract/kinds';
import { add } from '../../service/app/records/add.ts';
import { putValue } from '../../service/app/settings/values.ts';
import type { Actor, Store } from '../../service/store/store.ts';
import { transact } from '../../service/store/transact.ts';
import type { Tx } from '../../service/store/tx.ts';
import { addressIn, linesOf, plannedSites, regions, vlans, type PlannedSite } from './plan.ts';

const actor: Actor = { name: 'estate', via: 'service', reason: 'a made-up estate' };

export interface Filled {
  sites: number;
  devices: number;
}

/** Devices of one unit of work, and how many of those are under way. */
const BATCH = 400;
const SIDE_BY_SIDE = 3;

export async function fillEstate(
  store: Store,
  { devices, seed }: { devices: number; seed: number },
  say: (filled: Filled) => void = () => undefined,
): Promise<Filled> {
  await transact(store, actor, 'estate.begin', (tx) => beginning(tx));
  const filled: Filled = { sites: 0, devices: 0 };
  // Prefixes change the shape of their VRF, one write after another; what stands in them comes side by side.
  for (const sites of batches(plannedSites(devices, seed), (site) => site.devices.length, 20 * BATCH))
    await transact(store, actor, 'estate.places', (tx) => putPlaces(tx, sites));
  const waiting = batches(plannedSites(devices, seed), (site) => site.devices.length, BATCH);
  const worker = async (): Promise<void> => {
    for (let next = waiting.next(); !next.done; next = waiting.next()) {
      const sites = next.value;
      await transact(store, actor, 'estate.devices', (tx) => putDevices(tx, sites));
      filled.sites += sites.length;
      filled.devices += sites.reduce((sum, site) => sum + site.devices.length, 0);
      say(filled);
    }
  };
  await Promise.all(Array.from({ length: SIDE_BY_SIDE }, worker));
  return filled;
}

function* batches<T>(all: Iterable<T>, sizeOf: (one: T) => number, most: number): Generator<T[]> {
  let batch: T[] = [];
  let size = 0;
  for (const one of all) {
    batch.push(one);
    size += sizeOf(one);
    if (size < most) continue;
    yield batch;
    [batch, size] = [[], 0];
  }
  if (batch.length > 0) yield batch;
}

/** What all sites share: lists, hardware, templates and settings, as the demo has them. */
const shared: KindName[] = ['duty', 'dialect', 'use', 'vendor', 'model', 'template', 'setting'];

async function beginning(tx: Tx): Promise<void> {
  const demo = parse(readFileSync('demo/brackwater.yaml', 'utf8')) as Record<string, Record<string, unknown>[]>;
  for (const kind of kindNames.filter((name) => shared.includes(name))) {
    const records = (demo[kind] ?? []).map(({ file, ...record }) =>
      typeof file === 'string' ? { ...record, source: readFileSync(`demo/${file}`, 'utf8') } : record,
    );
    await add(tx, kind, records);
  }
  await add(tx, 'area', [{ name: 'coast', title: 'The whole coast' }]);
  await add(
    tx,
    'area',
    regions.map((name) => ({ name, title: name, parent: 'coast' })),
  );
  await add(
    tx,
    'area',
    regions.flatMap((region) => linesOf(region).map((name) => ({ name, title: name, parent: region }))),
  );
  await add(tx, 'prefix', [{ cidr: '10.0.0.0/8', description: 'The whole coast', use: 'company' }]);
  for (const value of demo.value ?? []) {
    const { layer } = value;
    if (layer === 'everywhere' || layer === 'dialect' || layer === 'duty')
      await putValue(tx, {
        mode: 'set',
        setting: String(value.setting),
        layer,
        value: value.value as SettingValue,
        ...(typeof value.of === 'string' ? { of: value.of } : {}),
      });
  }
}

async function putPlaces(tx: Tx, sites: PlannedSite[]): Promise<void> {
  await add(
    tx,
    'site',
    sites.map(({ code, title, area }) => ({ code, title, area, timeZone: 'Europe/London' })),
  );
  await add(
    tx,
    'room',
    sites.flatMap(({ code, rooms }) => rooms.map((name) => ({ site: code, name, title: name }))),
  );
  await add(
    tx,
    'rack',
    sites.flatMap(({ code, racks }) =>
      racks.map(({ room, name, heightU }) => ({ room: `${code}/${room}`, name, heightU })),
    ),
  );
  await add(
    tx,
    'vlan',
    sites.flatMap(({ code }) => vlans.map((vlan) => ({ site: code, ...vlan }))),
  );
  await add(
    tx,
    'prefix',
    sites.flatMap(({ code, title, block, prefixes }) => [
      { cidr: block, description: title, site: code, use: 'site' },
      ...prefixes.map((prefix) => ({
        cidr: prefix.cidr,
        description: `${prefix.title} at ${title}`,
        vlan: `${code}/${prefix.vlan}`,
        gateway: prefix.gateway,
        ...(prefix.pool === null ? {} : { pool: prefix.pool }),
      })),
    ]),
  );
}

async function putDevices(tx: Tx, sites: PlannedSite[]): Promise<void> {
  const devices = sites.flatMap((site) => site.devices.map((device) => ({ ...device, site })));
  const made = await add(
    tx,
    'device',
    devices.map(({ name, duty, model, rack, positionU, labels, site }) => ({
      name,
      duty,
      model,
      rack,
      positionU,
      labels,
      site: site.code,
    })),
  );
  await add(
    tx,
    'box',
    devices.map(({ serial, mac, model, name }) => ({ serial, mac, model, device: name })),
  );
  const interfaces = await add(
    tx,
    'interface',
    devices.map(({ name, site }) => ({
      device: name,
      name: 'vlan304',
      form: 'vlan',
      vlan: `${site.code}/304`,
      description: 'management',
    })),
  );
  // What a person would do one by one, by a verb or an edit: the estate is as if that had been long ago.
  await Promise.all(
    devices.map(({ stage }, i) =>
      tx.execute('UPDATE device SET management_id = ?, stage = ? WHERE id = ?', [
        interfaces[i]?.id ?? null,
        stage,
        made[i]?.id ?? 0,
      ]),
    ),
  );
  await add(
    tx,
    'address',
    devices.map(({ host, name, site }) => ({
      address: addressIn(site.management, host),
      interface: `${name}:vlan304`,
    })),
  );
  await add(
    tx,
    'cable',
    sites.flatMap(({ cables }) => cables),
  );
}
