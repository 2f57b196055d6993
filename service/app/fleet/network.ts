/**
 * A network that runs, taken into the records from what its devices answered: VLANs with the ports that carry them,
 * interfaces, addresses, cables; and, from what was captured of them, too, first settings. What the records say stays; where devices say otherwise, that is told.
 */
import { formatIp, parseIp } from '@zpine/core/addressing/ip';
import { formatPrefix, networkOf, truncations } from '@zpine/core/addressing/prefix';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { grouped } from '@zpine/core/lists/grouped';
import { sortKey } from '@zpine/core/naming/names';
import { readValue, valueFromText, type SettingValue } from '@zpine/core/settings/layers';
import { Refusal } from '@zpine/contract/errors';
import type { RunRow } from '@zpine/contract/fleetShapes';
import { DEFAULT_VRF, defaultVrf } from '@zpine/contract/kinds/addressing';
import type { Stored } from '@zpine/contract/kinds';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import { allOf, byIds, byKeys, find, keysOf } from '../../store/records.ts';
import { smallestCovering } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { sitesOf } from '../devices/inForce.ts';
import type { ImportRow } from '../imports/rows.ts';
import { importRows } from '../imports/run.ts';
import { settingsOfMany, typeOfSetting, type FewSettings } from '../settings/effective.ts';
import { currentTexts } from './captures.ts';
import { dialectsOfDevices } from './liveDevices.ts';
import { answeredRows } from './runRows.ts';
import { runRow } from './runs.ts';

type Answers = Map<string, Record<string, string>[]>;

/** Settings that answers tell, by question and field. */
const TOLD = [
  { setting: 'time.servers', question: 'time', field: 'server' },
  { setting: 'time.zone', question: 'time', field: 'zone' },
] as const;
/** What a pasted device is reached by, until somebody knows better. */
const PLACEHOLDER = 'management';

export async function takeNetwork(
  tx: Tx,
  id: string,
  body: BodyOf<'run.takeNetwork'>,
): Promise<ReplyOf<'run.takeNetwork'>> {
  const run = await runRow(tx, id);
  if (run.kind !== 'ask') throw Refusal.at([], 'network-no-ask', { id: run.id });
  const answers = new Map<number, Answers>();
  for (const row of await answeredRows(tx, run.id)) {
    const { answers: all = [] } = JSON.parse(row.result ?? '{}') as Partial<RunRow>;
    const taken = all.filter(({ refused, cut }) => refused === null && !cut);
    if (taken.length > 0) answers.set(Number(row.device_id), new Map(taken.map((one) => [one.ask, one.rows])));
  }
  const devices = [...(await byIds(tx, 'device', [...answers.keys()])).values()];
  const network = await Network.of(tx, devices, answers);
  await network.read();
  const outcome = await importRows(tx, network.rows, [], { apply: body.apply, format: 'csv' });
  return { ...outcome, left: network.left };
}

class Network {
  readonly rows: ImportRow[] = [];
  readonly left: string[] = [];
  private readonly tx: Tx;
  private readonly devices: Stored<'device'>[];
  private readonly answers: Map<number, Answers>;
  private readonly dialects: Map<number, Dialect>;
  private readonly sites: Map<number, string>;
  /** Interfaces by their keys: of the records, and those that come with this. */
  private readonly interfaces: Map<string, Stored<'interface'> | undefined>;
  private readonly ports: Set<string>;
  private readonly vlans: Set<string>;
  private readonly prefixes = new Set<string>();
  /** Addresses that devices have in other VRFs than the default one. */
  private readonly elsewhere: Map<number, Set<string>>;

  private constructor(tx: Tx, devices: Stored<'device'>[], answers: Map<number, Answers>, known: Known) {
    this.tx = tx;
    this.devices = devices.sort((a, b) => (sortKey(a.key) < sortKey(b.key) ? -1 : 1));
    this.answers = answers;
    ({
      elsewhere: this.elsewhere,
      dialects: this.dialects,
      sites: this.sites,
      interfaces: this.interfaces,
      ports: this.ports,
      vlans: this.vlans,
    } = known);
  }

  static async of(tx: Tx, devices: Stored<'device'>[], answers: Map<number, Answers>): Promise<Network> {
    const ids = devices.map(({ id }) => id);
    const siteIds = await sitesOf(tx, devices);
    const siteKeys = await keysOf(tx, 'site', [...new Set(siteIds.values())]);
    const sites = new Map([...siteIds].map(([device, site]) => [device, siteKeys.get(site) ?? '']));
    const vlans = siteIds.size === 0 ? [] : await find(tx, 'vlan', { site_id: [...new Set(siteIds.values())] });
    const interfaces = await find(tx, 'interface', { device_id: ids });
    const owner = new Map(interfaces.map(({ id, device }) => [id, device]));
    const held = owner.size === 0 ? [] : await find(tx, 'address', { interface_id: [...owner.keys()] });
    const other = held.filter(({ vrf }) => vrf !== DEFAULT_VRF);
    const elsewhere = new Map(
      [...grouped(other, (one) => owner.get(one.interface ?? 0) ?? 0)].map(([device, all]) => [
        device,
        new Set(all.map(({ address }) => address)),
      ]),
    );
    return new Network(tx, devices, answers, {
      elsewhere,
      dialects: await dialectsOfDevices(tx, ids),
      sites,
      interfaces: new Map(interfaces.map((one) => [one.key, one])),
      ports: new Set((await find(tx, 'port', { device_id: ids })).map(({ key }) => key)),
      vlans: new Set(vlans.map(({ key }) => key)),
    });
  }

  async read(): Promise<void> {
    for (const device of this.devices) this.readVlans(device);
    for (const device of this.devices) this.readInterfaces(device);
    for (const device of this.devices) this.readMembership(device);
    for (const device of this.devices) await this.readAddresses(device);
    await this.readCables();
    await this.readSettings();
  }

  private row(device: Stored<'device'>, kind: ImportRow['kind'], fields: Record<string, unknown>): void {
    this.rows.push({ kind, file: null, row: this.devices.indexOf(device) + 1, fields, heads: {} });
  }

  /** What is said of a device itself is said in one row. */
  private ofDevice(device: Stored<'device'>, fields: Record<string, unknown>): void {
    const before = this.rows.find(({ kind, fields: held }) => kind === 'device' && held.name === device.key);
    if (before) Object.assign(before.fields, fields);
    else this.row(device, 'device', { name: device.key, ...fields });
  }

  private rowsOf(device: Stored<'device'>, question: string): Record<string, string>[] {
    return this.answers.get(device.id)?.get(question) ?? [];
  }

  private leave(device: Stored<'device'>, what: string): void {
    this.left.push(`${device.key}: ${what}`);
  }

  /** As the records call it: as it is, or by the dialect, whichever is there; of new ones as it is, where it can be. */
  private nameOf(device: Stored<'device'>, said: string): string | undefined {
    const plain = /^[A-Za-z0-9][A-Za-z0-9._/:-]*$/.test(said) ? said : undefined;
    const name = this.dialects.get(device.id)?.recordsName(said);
    const known = [plain, name].find((one) => one !== undefined && this.interfaces.has(this.keyOf(device, one)));
    return known ?? plain ?? name;
  }

  private readonly keyOf = (device: Stored<'device'>, name: string): string => `${device.key}:${name.toLowerCase()}`;

  private readVlans(device: Stored<'device'>): void {
    const site = this.sites.get(device.id);
    const said = this.rowsOf(device, 'vlans');
    if (site === undefined) {
      if (said.length > 0) this.leave(device, `${said.length} VLANs: a VLAN is one of a site, and the device has none`);
      return;
    }
    // Where it is was only told by its prefix: interfaces have VLANs of a site that is said.
    if (said.length > 0 && device.site === null && device.rack === null) this.ofDevice(device, { site });
    for (const { vlan = '', title } of said) {
      const key = `${site}/${vlan}`;
      if (!/^\d{1,4}$/.test(vlan) || this.vlans.has(key)) continue;
      this.vlans.add(key);
      this.row(device, 'vlan', { site, number: Number(vlan), ...(title ? { title } : {}) });
    }
  }

  /** Ports that carry VLANs, or hear somebody, are sockets; the rest says by its name what it is. */
  private readInterfaces(device: Stored<'device'>): void {
    const sockets = new Set(
      [
        ...this.rowsOf(device, 'vlans').flatMap(({ ports = '' }) => listIn(ports)),
        ...this.rowsOf(device, 'neighbours').map(({ interface: on = '' }) => on),
      ].map((said) => this.nameOf(device, said)),
    );
    for (const { interface: said = '' } of this.rowsOf(device, 'interfaces')) {
      const name = this.nameOf(device, said);
      if (name === undefined) {
        this.leave(device, `interface ${said}: nothing here can be called so`);
        continue;
      }
      const key = this.keyOf(device, name);
      if (this.interfaces.has(key)) continue;
      const site = this.sites.get(device.id);
      const number = /^vlan(\d+)$/.exec(name)?.[1];
      if (number !== undefined && !(site !== undefined && this.vlans.has(`${site}/${number}`))) {
        this.leave(device, `interface ${name}: its site has no VLAN ${number}`);
        continue;
      }
      this.interfaces.set(key, undefined);
      if (number === undefined && (sockets.has(name) || /^\d/.test(name))) {
        // A socket brings its interface along.
        this.ports.add(key);
        this.row(device, 'port', { device: device.key, name });
      } else {
        const form = number !== undefined ? 'vlan' : /^(lo|loop|self)\d*$/.test(name) ? 'loopback' : 'routed';
        const vlan = number === undefined ? {} : { vlan: `${site ?? ''}/${number}` };
        const [, below = '', tag] = /^(.+)\.(\d+)$/.exec(name) ?? [];
        const sub = form === 'routed' && this.interfaces.has(this.keyOf(device, below));
        this.row(device, 'interface', {
          device: device.key,
          name,
          ...(sub ? { form: 'sub-interface', on: `${device.key}:${below}`, tag: Number(tag) } : { form, ...vlan }),
        });
      }
    }
  }

  /** One VLAN on a port is its own, several are tagged: the answer does not say more. */
  private readMembership(device: Stored<'device'>): void {
    const site = this.sites.get(device.id);
    if (site === undefined) return;
    const carried = new Map<string, number[]>();
    for (const { vlan = '', ports = '' } of this.rowsOf(device, 'vlans'))
      for (const said of listIn(ports)) {
        const name = this.nameOf(device, said);
        if (name !== undefined && /^\d+$/.test(vlan)) carried.set(name, [...(carried.get(name) ?? []), Number(vlan)]);
      }
    for (const [name, numbers] of carried) {
      const key = this.keyOf(device, name);
      const standing = this.interfaces.get(key);
      if (!this.interfaces.has(key)) {
        this.leave(device, `port ${name} carries VLAN ${numbers.join(', ')}: there is no such port`);
        continue;
      }
      if (standing && standing.form !== 'port' && standing.form !== 'aggregate') continue;
      const has = standing && (standing.mode !== null || standing.vlan !== null || (standing.tagged ?? []).length > 0);
      if (has) continue;
      const [only] = numbers;
      const fields =
        numbers.length === 1
          ? { mode: 'access', vlan: `${site}/${only ?? 0}` }
          : { mode: 'trunk', tagged: numbers.join(',') };
      this.row(device, 'interface', { device: device.key, name, ...fields });
    }
  }

  private async readAddresses(device: Stored<'device'>): Promise<void> {
    for (const { interface: said = '', address: text = '' } of this.rowsOf(device, 'interfaces')) {
      if (text === '') continue;
      const [host = '', bits = ''] = text.split('/');
      const ip = parseIp(host);
      const name = this.nameOf(device, said);
      if (!ip.ok || name === undefined || !this.interfaces.has(this.keyOf(device, name))) {
        this.leave(device, `address ${text} on ${said}: ${ip.ok ? 'there is no such interface' : 'not an address'}`);
        continue;
      }
      const address = formatIp(ip.value);
      const on = `${device.key}:${name}`;
      // In another VRF it is there, on the same interface or the one that it was entered with.
      if (this.elsewhere.get(device.id)?.has(address)) continue;
      const [standing] = await find(this.tx, 'address', { natural_key: address });
      const holder = standing?.interface ? await keysOf(this.tx, 'interface', [standing.interface]) : undefined;
      const held = standing?.interface ? holder?.get(standing.interface) : undefined;
      if (held === this.keyOf(device, name)) continue;
      const placeholder = held === `${device.key}:${PLACEHOLDER}`;
      if (held !== undefined && !placeholder) {
        this.leave(device, `address ${address} on ${name}: the records have it on ${held}`);
        continue;
      }
      // Nobody else's network: a link-local address belongs to no prefix (RFC 4291, 2.5.6).
      if (/^fe[89ab]/.test(address)) continue;
      await this.cover(device, address, bits);
      this.row(device, 'address', { address, vrf: defaultVrf, interface: on });
      if (placeholder && standing?.interface === device.management) this.ofDevice(device, { management: on });
    }
  }

  /** The network that the device says, where no prefix holds the address. */
  private async cover(device: Stored<'device'>, address: string, bits: string): Promise<void> {
    const ip = parseIp(address);
    if (!ip.ok) return;
    const most = ip.value.family === 4 ? 32 : 128;
    const host = networkOf(ip.value, most);
    const around = [host, ...truncations(host)];
    if ((await smallestCovering(this.tx, DEFAULT_VRF, around)) !== undefined) return;
    const network = networkOf(ip.value, bits === '' ? most : Number(bits));
    const cidr = formatPrefix(network);
    if (around.some((one) => this.prefixes.has(formatPrefix(one)))) return;
    this.prefixes.add(cidr);
    const site = this.sites.get(device.id);
    this.row(device, 'prefix', { cidr, vrf: defaultVrf, ...(site === undefined ? {} : { site }) });
  }

  private async readCables(): Promise<void> {
    const heard = this.devices.flatMap((device) =>
      this.rowsOf(device, 'neighbours').map(
        (row) => ({ device, ...row }) as { device: Stored<'device'> } & Record<string, string>,
      ),
    );
    if (heard.length === 0) return;
    const nameOf = (said: string): string => said.toLowerCase().split('.')[0] ?? '';
    const others = await byKeys(this.tx, 'device', [...new Set(heard.map(({ neighbour = '' }) => nameOf(neighbour)))]);
    const ends = await byKeys(this.tx, 'port', [...this.ports]);
    const plugged = await this.pluggedAmong([...ends.values()].map(({ id }) => id));
    const made = new Set<string>();
    for (const { device, interface: on = '', neighbour = '', port = '' } of heard) {
      const other = others.get(nameOf(neighbour));
      const here = this.nameOf(device, on);
      if (!other || here === undefined) {
        this.leave(
          device,
          `${on} hears ${neighbour} ${port}: ${other ? 'there is no such port' : 'no device is called so'}`,
        );
        continue;
      }
      const from = this.keyOf(device, here);
      const to = await this.portAt(other, port);
      if (made.has(from)) continue;
      if (!this.ports.has(from) || to === undefined)
        this.leave(
          device,
          `${here} hears ${neighbour} ${port}: the records have no such port at ${this.ports.has(from) ? other.key : device.key}`,
        );
      else if (plugged.has(from)) {
        if (plugged.get(from) !== to)
          this.leave(
            device,
            `${here} hears ${neighbour} ${port}: the records have a cable to ${plugged.get(from) || 'elsewhere'}`,
          );
      } else if (plugged.has(to) || made.has(to))
        this.leave(device, `${here} hears ${neighbour} ${port}: another cable is there`);
      else {
        made.add(from).add(to);
        this.row(device, 'cable', { from, to });
      }
    }
  }

  /** The port of a device that a neighbour calls so: as it is, or by the dialect of the device. */
  private async portAt(device: Stored<'device'>, said: string): Promise<string | undefined> {
    const names = [said, this.dialects.get(device.id)?.recordsName(said)].filter((name) => name !== undefined);
    const keys = names.map((name) => this.keyOf(device, name));
    const standing = await byKeys(this.tx, 'port', keys);
    return keys.find((key) => this.ports.has(key) || standing.has(key));
  }

  /** Ports with a cable, and where it leads; empty for what is not ours. */
  private async pluggedAmong(ports: number[]): Promise<Map<string, string>> {
    if (ports.length === 0) return new Map();
    const cables = [
      ...(await find(this.tx, 'cable', { from_id: ports })),
      ...(await find(this.tx, 'cable', { to_id: ports })),
    ];
    const keys = await keysOf(
      this.tx,
      'port',
      cables.flatMap(({ from, to }) => [from, to]).filter((id) => id !== null),
    );
    const out = new Map<string, string>();
    for (const { from, to } of cables) {
      const [a, b] = [keys.get(from) ?? '', to === null ? '' : (keys.get(to) ?? '')];
      out.set(a, b);
      if (b !== '') out.set(b, a);
    }
    return out;
  }

  /** What answers and captured configurations say, by setting and device. */
  private async said(): Promise<Map<string, Map<number, string[]>>> {
    const out = new Map<string, Map<number, string[]>>();
    const hear = (setting: string, device: number, values: readonly string[]) => {
      if (values.length === 0) return;
      const held = out.get(setting) ?? new Map<number, string[]>();
      out.set(setting, held.set(device, [...new Set([...(held.get(device) ?? []), ...values])]));
    };
    for (const { setting, question, field } of TOLD)
      for (const device of this.devices)
        hear(
          setting,
          device.id,
          this.rowsOf(device, question).flatMap((row) => (row[field] ? row[field].split(/[\s,]+/) : [])),
        );
    const captured = await currentTexts(
      this.tx,
      this.devices.map(({ id }) => id),
    );
    for (const { device, file, content, gone } of captured) {
      if (file !== 'running' || gone) continue;
      for (const { setting, value } of this.dialects.get(device)?.settingsIn(content.toString('utf8')) ?? [])
        hear(setting, device, [value]);
    }
    return out;
  }

  /** What all devices of a site say is said of the site, the rest of the device. */
  private async readSettings(): Promise<void> {
    const heard = await this.said();
    const catalogue = new Map((await allOf(this.tx, 'setting')).map((one) => [one.name, one]));
    const book = await settingsOfMany(this.tx, this.devices, [...heard.keys()]);
    for (const [setting, told] of heard) {
      const declared = catalogue.get(setting);
      // A secret is taken over by nobody's reading.
      if (!declared || declared.secret) continue;
      const said = new Map<number, SettingValue>();
      for (const device of this.devices) {
        const values = told.get(device.id);
        if (!values) continue;
        const type = typeOfSetting(declared);
        const read = readValue(
          type,
          'set',
          type.startsWith('list-') ? values : valueFromText(type, 'set', values[0] ?? ''),
        );
        if (read.ok) said.set(device.id, read.value);
        else this.leave(device, `${setting} is ${values.join(', ')}, which is no ${type}`);
      }
      this.sayTogether(setting, said, book);
    }
  }

  private sayTogether(setting: string, said: ReadonlyMap<number, SettingValue>, book: FewSettings): void {
    const differs = this.devices.filter(
      (device) => said.has(device.id) && !same(book.value(device, setting), said.get(device.id)),
    );
    for (const device of differs) {
      const site = this.sites.get(device.id);
      const all = this.devices.filter(({ id }) => said.has(id) && this.sites.get(id) === site);
      const together =
        site !== undefined && all.length > 1 && all.every(({ id }) => same(said.get(id), said.get(device.id)));
      if (together && all.find((one) => differs.includes(one)) !== device) continue;
      const layer = together ? { layer: 'site', of: site } : { layer: 'device', of: device.key };
      this.row(device, 'value', { setting, ...layer, mode: 'set', value: said.get(device.id) });
    }
  }
}

interface Known {
  elsewhere: Map<number, Set<string>>;
  dialects: Map<number, Dialect>;
  sites: Map<number, string>;
  interfaces: Map<string, Stored<'interface'> | undefined>;
  ports: Set<string>;
  vlans: Set<string>;
}

const listIn = (text: string): string[] => text.split(/[\s,]+/).filter((one) => !['', '-', 'none'].includes(one));
/** Lists are the same in any order: each device asks in its own. */
const same = (one: unknown, other: unknown): boolean => {
  const plain = (value: unknown) => JSON.stringify(Array.isArray(value) ? value.map(String).sort() : value);
  return plain(one) === plain(other);
};
