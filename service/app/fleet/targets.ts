/** Everything that sessions with devices need, read for many of them at once: a run reaches a thousand. */
import { createHash } from 'node:crypto';
import { effective, type LayerValue, type SettingValue } from '@zpine/core/settings/layers';
import { type Stored } from '@zpine/contract/kinds';
import { byIds, find, keysOf } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { openValue, type ValueRow } from '../settings/layers.ts';
import { type Access, type Target } from './access.ts';

const accessSettings = [
  'users',
  'name.domain',
  'access.user',
  'access.password',
  'access.key',
  'access.passphrase',
  'access.second',
  'access.port',
  'access.algorithms',
  'access.connect-seconds',
  'access.answer-seconds',
  'access.parallel',
  'access.jump',
] as const;
type AccessSetting = (typeof accessSettings)[number];

/** The targets of devices, by their ids. */
export async function targetsOf(tx: Tx, devices: Stored<'device'>[]): Promise<Map<number, Target>> {
  const book = await LayerBook.open(tx, [...accessSettings]);
  const out = await plain(tx, book, devices);
  await addJumps(tx, book, devices, out);
  return out;
}

async function plain(tx: Tx, book: LayerBook, devices: Stored<'device'>[]): Promise<Map<number, Target>> {
  const place = await placesOf(tx, devices);
  const addresses = await addressesOf(tx, devices);
  const pinned = await pinnedOf(tx, devices);
  const out = new Map<number, Target>();
  for (const device of devices) {
    const dialectId = device.dialect ?? place.models.get(device.model ?? 0)?.dialect ?? null;
    const record = dialectId === null ? undefined : place.dialects.get(dialectId);
    const layers = layersOf(device, dialectId, place);
    const value = (name: AccessSetting) => book.value(name, layers);
    const access = accessOf(value, book.layerOf('access.parallel', layers));
    const domain = text(value('name.domain'));
    const address = addresses.get(device.id);
    out.set(device.id, {
      device: device.id,
      key: device.key,
      vrf: address?.vrf ?? 'default',
      address: address?.address ?? null,
      hostName: domain === undefined || device.name.includes('.') ? device.name : `${device.name}.${domain}`,
      dialect: record && tx.dialects.of(record.key, record.sheet),
      dialectName: record?.key ?? null,
      access,
      pinned: pinned.get(device.id) ?? null,
      jump: null,
      fault: null,
      login: createHash('sha256')
        .update(JSON.stringify([access.user, access.password, access.key]))
        .digest('base64'),
    });
  }
  return out;
}

/** A jump host is a device of the records, with an access set of its own. */
async function addJumps(tx: Tx, book: LayerBook, devices: Stored<'device'>[], out: Map<number, Target>): Promise<void> {
  const place = await placesOf(tx, devices);
  const wanted = new Map<number, string>();
  for (const device of devices) {
    const dialectId = device.dialect ?? place.models.get(device.model ?? 0)?.dialect ?? null;
    const name = text(book.value('access.jump', layersOf(device, dialectId, place)));
    if (name !== undefined && name.toLowerCase() !== device.key) wanted.set(device.id, name.toLowerCase());
  }
  if (wanted.size === 0) return;
  const hosts = await find(tx, 'device', { natural_key: [...new Set(wanted.values())] });
  const targets = await plain(tx, book, hosts);
  const byKey = new Map(hosts.map((host) => [host.key, targets.get(host.id)]));
  for (const [id, name] of wanted) {
    const target = out.get(id);
    const jump = byKey.get(name);
    if (!target) continue;
    if (jump) target.jump = jump;
    else target.fault = `it is reached by ${name}, and there is no such device (setting access.jump)`;
  }
}

interface Places {
  models: Map<number, Stored<'model'>>;
  dialects: Map<number, Stored<'dialect'>>;
  sites: Map<number, Stored<'site'>>;
  racks: Map<number, Stored<'rack'>>;
  areas: Map<number, Stored<'area'>>;
  labels: Map<string, Stored<'label'>>;
}

const present = <T>(value: T | null): value is T => value !== null;

async function placesOf(tx: Tx, devices: Stored<'device'>[]): Promise<Places> {
  const ids = (field: 'model' | 'site' | 'rack') => [...new Set(devices.map((d) => d[field]).filter(present))];
  const models = await byIds(tx, 'model', ids('model'));
  const dialectIds = [...devices.map((d) => d.dialect), ...[...models.values()].map((m) => m.dialect)].filter(present);
  const words = [...new Set(devices.flatMap((d) => d.labels ?? []))];
  return {
    models,
    dialects: await byIds(tx, 'dialect', [...new Set(dialectIds)]),
    sites: await byIds(tx, 'site', ids('site')),
    racks: await byIds(tx, 'rack', ids('rack')),
    areas: new Map((await find(tx, 'area', {})).map((area) => [area.id, area])),
    labels: new Map(words.length === 0 ? [] : (await find(tx, 'label', { name: words })).map((one) => [one.name, one])),
  };
}

/** The layers of a device as `kind id`, weakest first; the same order as in settings/layers. */
function layersOf(device: Stored<'device'>, dialect: number | null, place: Places): string[] {
  const site = place.sites.get(device.site ?? 0);
  const areas: string[] = [];
  for (let id = site?.area ?? null; id !== null && areas.length < 50; id = place.areas.get(id)?.parent ?? null)
    areas.unshift(`area ${id}`);
  const room = place.racks.get(device.rack ?? 0)?.room;
  const labels = (device.labels ?? [])
    .map((word) => place.labels.get(word))
    .filter((one) => one !== undefined)
    .sort((a, b) => (a.rank ?? 0) - (b.rank ?? 0) || (a.name < b.name ? -1 : 1));
  return [
    'everywhere 0',
    ...(dialect === null ? [] : [`dialect ${dialect}`]),
    ...(device.model === null ? [] : [`model ${device.model}`]),
    ...(device.duty === null ? [] : [`duty ${device.duty}`]),
    ...areas,
    ...(device.site === null ? [] : [`site ${device.site}`]),
    ...(room === undefined ? [] : [`room ${room}`]),
    ...labels.map((label) => `label ${label.id}`),
    `device ${device.id}`,
  ];
}

/** The values of a few settings in all layers: read once, looked up for each device. */
export class LayerBook {
  private readonly standard: Map<string, SettingValue>;
  private readonly values: Map<string, Map<string, LayerValue>>;

  private constructor(standard: Map<string, SettingValue>, values: Map<string, Map<string, LayerValue>>) {
    this.standard = standard;
    this.values = values;
  }

  static async open(tx: Tx, names: string[]): Promise<LayerBook> {
    const settings = await find(tx, 'setting', { name: names });
    const nameOf = new Map(settings.map((setting) => [setting.id, setting.name]));
    const values = new Map<string, Map<string, LayerValue>>(names.map((name) => [name, new Map()]));
    if (settings.length > 0) {
      const rows = await tx.select<ValueRow>(
        `SELECT * FROM setting_value WHERE setting_id IN (${settings.map(() => '?').join(', ')})`,
        settings.map((setting) => setting.id),
      );
      for (const row of rows) {
        const name = nameOf.get(Number(row.setting_id)) ?? '';
        values.get(name)?.set(`${row.layer_kind} ${row.layer_id}`, {
          layer: { kind: row.layer_kind, key: `#${row.layer_id}` },
          mode: row.mode,
          value: openValue(tx, row),
        });
      }
    }
    return new LayerBook(new Map(settings.map((s) => [s.name, s.defaultValue as SettingValue])), values);
  }

  /** The layer that has the last word on a setting; empty where it is the default. */
  layerOf(name: string, layers: readonly string[]): string {
    return layers.findLast((layer) => this.values.get(name)?.has(layer)) ?? '';
  }

  value(name: string, layers: readonly string[]): SettingValue {
    const held = this.values.get(name);
    const said = held && held.size > 0 ? layers.map((layer) => held.get(layer)).filter((one) => one !== undefined) : [];
    return effective(this.standard.get(name) ?? null, said).value;
  }
}

/** A few settings of many devices, as their layers have them. */
export async function settingsOfMany(
  tx: Tx,
  devices: Stored<'device'>[],
  names: string[],
): Promise<(device: Stored<'device'>, name: string) => SettingValue> {
  const book = await LayerBook.open(tx, names);
  const place = await placesOf(tx, devices);
  return (device, name) => {
    const dialect = device.dialect ?? place.models.get(device.model ?? 0)?.dialect ?? null;
    return book.value(name, layersOf(device, dialect, place));
  };
}

const text = (value: SettingValue): string | undefined =>
  typeof value === 'string' && value !== '' ? value : undefined;
const number = (value: SettingValue, standard: number): number => (typeof value === 'number' ? value : standard);

function accessOf(value: (name: AccessSetting) => SettingValue, layer: string): Access {
  const user = text(value('access.user')) ?? 'zpine';
  const users = value('users');
  const ofUser = typeof users === 'object' && users !== null && !Array.isArray(users) ? users[user] : undefined;
  const algorithms = value('access.algorithms');
  return {
    user,
    password: text(value('access.password')) ?? (typeof ofUser === 'string' ? ofUser : undefined),
    key: text(value('access.key')),
    passphrase: text(value('access.passphrase')),
    second: text(value('access.second')),
    port: number(value('access.port'), 22),
    algorithms: Array.isArray(algorithms) ? algorithms.map(String) : [],
    connectSeconds: number(value('access.connect-seconds'), 8),
    answerSeconds: number(value('access.answer-seconds'), 20),
    parallel: { most: Math.max(1, number(value('access.parallel'), 40)), layer },
  };
}

/** The management address of each device, IPv4 before IPv6. */
async function addressesOf(
  tx: Tx,
  devices: Stored<'device'>[],
): Promise<Map<number, { address: string; vrf: string }>> {
  const on = new Map<number, number>();
  for (const device of devices) if (device.management !== null) on.set(device.management, device.id);
  const out = new Map<number, { address: string; vrf: string }>();
  if (on.size === 0) return out;
  const held = await find(tx, 'address', { interface_id: [...on.keys()] }, { order: ['address_family', 'sort_key'] });
  const vrfs = await keysOf(tx, 'vrf', new Set(held.map((one) => one.vrf)));
  for (const one of held) {
    const device = on.get(one.interface ?? 0);
    if (device !== undefined && !out.has(device))
      out.set(device, { address: one.address, vrf: vrfs.get(one.vrf) ?? 'default' });
  }
  return out;
}

async function pinnedOf(tx: Tx, devices: Stored<'device'>[]): Promise<Map<number, string>> {
  if (devices.length === 0) return new Map();
  const rows = await tx.select<{ device_id: number; fingerprint: string }>(
    `SELECT device_id, fingerprint FROM host_key WHERE device_id IN (${devices.map(() => '?').join(', ')})`,
    devices.map((device) => device.id),
  );
  return new Map(rows.map((row) => [Number(row.device_id), row.fingerprint]));
}
