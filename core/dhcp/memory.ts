/**
 * What decisions look up, held in memory: devices with their boxes, hardware addresses and addresses, the prefixes that
 * they boot in, what settings tell, leases, strangers. Whoever fills it reads the records; nothing here waits.
 */
import { fileUrl, type BootHost } from './bootUrl.ts';
import type { DialectSheet } from '../dialect/sheet.ts';
import { compilePattern } from '../text/pattern.ts';
import { effective, type Effective, type Layer, type LayerValue, type SettingValue } from '../settings/layers.ts';
import type { Client } from './client.ts';
import { ipv4Number, ipv4Of } from './ipv4.ts';
import { LeaseTable, type Held } from './leases.ts';
import type { Link } from './link.ts';
import type { BootAddress, BootBox, BootDevice, BootWindow, Look, MacOwner } from './look.ts';
import type { OwnOption } from './ownOptions.ts';
import {
  namedFiles,
  profileOfSheet,
  profilesFor,
  type Transport,
  strangerProfile,
  type Bootable,
  type BootProfile,
  type NamedFile,
} from './profiles.ts';
import { Links } from './links.ts';
import { Strangers } from './strangers.ts';

/** An address on an interface of a device. */
export type FactAddress = BootAddress & {
  id: number;
  vrf: number;
  /** Shared with others: nobody boots with it, and relays may speak from it. */
  shared: boolean;
};

/** What is known of a device, as far as it boots. */
export type BootFact = {
  id: number;
  key: string;
  boxes: readonly { id: number; serial: string | null; mac: string | null }[];
  /** Hardware addresses of its interfaces. */
  macs: readonly { interface: number; mac: string }[];
  /** The first one first. */
  addresses: readonly FactAddress[];
  /** Weakest first, without the device itself. */
  layers: readonly (Layer & { id: number })[];
  dialect: number | null;
  edition: BootDevice['edition'];
  window: BootWindow | null;
};

/** A setting that decisions look at, with what layers say of it: by `site 7`. */
export type SaidSetting = {
  name: string;
  usual: SettingValue;
  said: ReadonlyMap<string, LayerValue>;
  /** Where it tells an option of its own. */
  option?: OwnOption;
};

export type KnownDialect = { name: string; sheet: DialectSheet | undefined };

type Group = ReadonlyMap<string, Effective>;

/** What was overheard is believed for so long: as long as a device takes from its address to its file. */
const HEARD_MS = 30 * 60_000;
const MOST_HEARD = 10_000;

export class BootMemory implements Look {
  readonly server: string;
  away = false;
  /** Not all devices are read yet: who is not known may be one of them. */
  partial = false;
  readonly leases = new LeaseTable();
  readonly links = new Links();
  readonly strangers: Strangers;
  /** The names of sites, and the dialects, by id. */
  sites: ReadonlyMap<number, string> = new Map();
  dialects: ReadonlyMap<number, KnownDialect> = new Map();
  private readonly devices = new Map<number, BootFact>();
  private readonly boxes = new Map<string, BootBox>();
  private readonly spare = new Map<number, BootBox>();
  private readonly owners = new Map<string, MacOwner>();
  private readonly addresses = new Map<string, number>();
  private readonly behind = {
    box: new Map<number, number>(),
    interface: new Map<number, number>(),
    address: new Map<number, number>(),
  };
  private settings: readonly SaidSetting[] = [];
  private groups = new Map<string, Group>();
  /** Boot profiles that are records. */
  profiles: readonly BootProfile[] = [];
  ownOptions: readonly OwnOption[] = [];
  private readonly host: BootHost;
  private readonly heardOf = new Map<string, { device: number; until: number }>();

  constructor(host: BootHost, mostStrangers: number) {
    this.server = host.address;
    this.host = host;
    this.strangers = new Strangers(mostStrangers);
  }

  /** The device that a part of it belongs to, as far as it is known here: what is gone is in no table any more. */
  deviceBehind(kind: 'box' | 'interface' | 'address', id: number): number | undefined {
    return this.behind[kind].get(id);
  }

  private notBehind(kind: 'box' | 'interface' | 'address', id: number, device: number): void {
    if (this.behind[kind].get(id) === device) this.behind[kind].delete(id);
  }

  /** Devices that stand in a layer. */
  devicesIn(kind: string, id: number): number[] {
    const out: number[] = [];
    for (const fact of this.devices.values())
      if (fact.layers.some((layer) => layer.kind === kind && layer.id === id)) out.push(fact.id);
    return out;
  }

  /** Devices that have an address in any of these prefixes, as far as it is known here. */
  devicesAddressed(prefixes: ReadonlySet<number>): number[] {
    const out: number[] = [];
    for (const { id, addresses } of this.devices.values())
      if (addresses.some(({ prefix }) => prefixes.has(prefix))) out.push(id);
    return out;
  }

  deviceIds(): IterableIterator<number> {
    return this.devices.keys();
  }

  spareIds(): IterableIterator<number> {
    return this.spare.keys();
  }

  get deviceCount(): number {
    return this.devices.size;
  }

  fact(id: number): BootFact | undefined {
    return this.devices.get(id);
  }

  /** Takes the place of what was known of the device. */
  put(fact: BootFact): void {
    const named = { id: fact.id, key: fact.key };
    this.drop(named.id);
    this.devices.set(named.id, fact);
    for (const { id, serial, mac } of fact.boxes) {
      this.dropSpare(id);
      this.enter({ id, serial, mac, device: named });
      this.behind.box.set(id, fact.id);
    }
    for (const { interface: on, mac } of fact.macs) {
      this.owners.set(mac, { interfaceOf: named });
      this.behind.interface.set(on, fact.id);
    }
    for (const { id, vrf, address } of fact.addresses) {
      this.addresses.set(`${vrf} ${address}`, fact.id);
      this.behind.address.set(id, fact.id);
    }
  }

  drop(id: number): void {
    const fact = this.devices.get(id);
    if (!fact) return;
    this.devices.delete(id);
    for (const box of fact.boxes) {
      this.leave(box);
      this.notBehind('box', box.id, id);
    }
    const isHis = (owner: MacOwner | undefined) => owner && 'interfaceOf' in owner && owner.interfaceOf.id === id;
    for (const { interface: on, mac } of fact.macs) {
      if (isHis(this.owners.get(mac))) this.owners.delete(mac);
      this.notBehind('interface', on, id);
    }
    for (const { id: record, vrf, address } of fact.addresses) {
      this.notBehind('address', record, id);
      const at = `${vrf} ${address}`;
      if (this.addresses.get(at) === id) this.addresses.delete(at);
    }
  }

  /** A box that is fitted nowhere. */
  putSpare(box: { id: number; serial: string | null; mac: string | null }): void {
    this.dropSpare(box.id);
    const spare = { ...box, device: null };
    this.spare.set(box.id, spare);
    this.enter(spare);
  }

  dropSpare(id: number): void {
    const box = this.spare.get(id);
    if (!box) return;
    this.spare.delete(id);
    this.leave(box);
  }

  private enter(box: BootBox): void {
    if (box.serial !== null) this.boxes.set(box.serial.toLowerCase(), box);
    if (box.mac !== null) this.owners.set(box.mac, { box });
  }

  private leave({ id, serial, mac }: { id: number; serial: string | null; mac: string | null }): void {
    if (serial !== null && this.boxes.get(serial.toLowerCase())?.id === id) this.boxes.delete(serial.toLowerCase());
    const owner = mac === null ? undefined : this.owners.get(mac);
    if (mac !== null && owner && 'box' in owner && owner.box.id === id) this.owners.delete(mac);
  }

  setSettings(settings: readonly SaidSetting[]): void {
    this.settings = settings;
    this.ownOptions = settings.flatMap(({ option }) => option ?? []);
    this.groups = new Map();
  }

  /** A device of ours took an address that another server gave it. */
  hears({ vrf, address }: { vrf: number; address: string }, device: number, now: number): void {
    const at = `${vrf} ${address}`;
    this.heardOf.delete(at);
    this.heardOf.set(at, { device, until: now + HEARD_MS });
    for (const [oldest] of this.heardOf) if (this.heardOf.size > MOST_HEARD) this.heardOf.delete(oldest);
  }

  /** Where another server gives the addresses: who has this one, by the records or by what was overheard. */
  elsewhere(address: string, now: number): { device: number | undefined } | undefined {
    const link = this.linksAround(address).find(({ silent }) => silent);
    if (!link) return undefined;
    const heard = this.heardOf.get(`${link.vrf} ${address}`);
    return { device: heard && heard.until > now ? heard.device : this.deviceAt(address, link.vrf) };
  }

  /** Whether a value is said of a device alone, or of a prefix. */
  says(kind: 'device' | 'prefix' | 'bootprofile', id: number): boolean {
    return this.settings.some(({ said }) => said.has(`${kind} ${id}`));
  }

  linksAround(address: string): readonly Link[] {
    const value = ipv4Number(address);
    return value === undefined ? [] : this.links.around(value);
  }

  wireOf(link: Link): readonly Link[] {
    return this.links.wireOf(link);
  }

  deviceAt(address: string, vrf: number): number | undefined {
    return this.addresses.get(`${vrf} ${address}`);
  }

  boxOfSerial(serial: string): BootBox | undefined {
    return this.boxes.get(serial.toLowerCase());
  }

  ownerOf(mac: string): MacOwner | undefined {
    return this.owners.get(mac);
  }

  mayBeListed(link: Link, { word }: Client): boolean {
    return this.strangers.mayBeListed(link.id, word);
  }

  /** As the sheets say whose devices announce themselves so. */
  serialsIn({ serial, vendorClass }: Client): readonly string[] {
    if (serial === null) return [];
    const boots = [...this.dialects.values()].flatMap(({ sheet }) => sheet?.boot ?? []);
    return boots.flatMap(({ serial: pattern, vendorClass: begins }) => {
      if (pattern === undefined || (vendorClass !== null && !vendorClass.startsWith(begins))) return [];
      return compilePattern(pattern).find(serial)?.serial ?? [];
    });
  }

  device(id: number): BootDevice | undefined {
    const fact = this.devices.get(id);
    if (!fact) return undefined;
    const dialect = fact.dialect === null ? undefined : this.dialects.get(fact.dialect);
    return {
      id,
      key: fact.key,
      addresses: fact.addresses.filter(({ shared }) => !shared),
      lease: this.leaseOf(id),
      box: fact.boxes[0] ?? null,
      model: keyOf(fact, 'model'),
      duty: keyOf(fact, 'duty'),
      site: keyOf(fact, 'site'),
      dialectName: dialect?.name ?? null,
      sheet: dialect?.sheet,
      edition: fact.edition,
      window: fact.window,
    };
  }

  private leaseOf(device: number): BootDevice['lease'] {
    let last: Held | undefined;
    for (const held of this.leases.ofDevice(device))
      if (held.acknowledged && (!last || held.expires > last.expires)) last = held;
    if (!last) return null;
    const site = this.links.byId(last.prefix)?.site ?? null;
    return {
      address: ipv4Of(last.address),
      expires: last.expires,
      site: site === null ? null : { id: site, key: this.sites.get(site) ?? '' },
    };
  }

  urlOf(transport: Transport, word: string, file: string): string {
    return fileUrl(this.host, transport, word, file.split('/').map(encodeURIComponent).join('/'));
  }

  profileOf({ id }: Pick<BootDevice, 'id'>, classes: readonly string[]): BootProfile | undefined {
    const fact = this.devices.get(id);
    if (!fact) return undefined;
    const [best] = profilesFor(this.profiles, bootable(fact), classes);
    if (best || fact.dialect === null) return best;
    return profileOfSheet(fact.dialect, this.dialects.get(fact.dialect)?.sheet);
  }

  /** All names under which a device is given something. `mac`: by which it took its address. */
  filesOf(id: number, mac: string): NamedFile[] {
    const fact = this.devices.get(id);
    if (!fact) return [];
    const sheet = fact.dialect === null ? undefined : this.dialects.get(fact.dialect)?.sheet;
    const usual = sheet && profileOfSheet(fact.dialect ?? 0, sheet);
    const [box] = fact.boxes;
    const names = {
      device: fact.key,
      serial: box?.serial ?? null,
      mac: box?.mac ?? (mac || null),
      model: keyOf(fact, 'model'),
    };
    return namedFiles([...profilesFor(this.profiles, bootable(fact)), ...(usual ? [usual] : [])], names);
  }

  /** Devices with an edition whose arrival window is open. */
  *waiting(now: number): IterableIterator<BootFact> {
    for (const fact of this.devices.values())
      if (fact.window !== null && fact.edition !== null && fact.window.until > now) yield fact;
  }

  strangerProfile(classes: readonly string[]): BootProfile | undefined {
    return strangerProfile(this.profiles, classes);
  }

  /** Devices in the same layers have the same settings, but for what is said of one alone. */
  settingsOf({ id }: Pick<BootDevice, 'id'>, link: Link, profile: BootProfile | undefined): Group {
    const fact = this.devices.get(id);
    if (!fact) return new Map();
    const { key, layers } = fact;
    const inLabels = layers.findIndex(({ kind }) => kind === 'label');
    const before = inLabels < 0 ? layers.length : inLabels;
    const all = [
      ...layers.slice(0, before),
      ...(this.says('prefix', link.id) ? [{ kind: 'prefix' as const, id: link.id, key: link.key }] : []),
      ...(profile && profile.id > 0 ? [{ kind: 'bootprofile' as const, id: profile.id, key: profile.title }] : []),
      ...layers.slice(before),
      ...(this.says('device', id) ? [{ kind: 'device' as const, id, key }] : []),
    ];
    const name = all.map((layer) => `${layer.kind} ${layer.id}`);
    const group = name.join(', ');
    let held = this.groups.get(group);
    if (!held) {
      held = new Map(
        this.settings.map(({ name: of, usual, said }) => [
          of,
          effective(
            usual,
            name.flatMap((word) => said.get(word) ?? []),
          ),
        ]),
      );
      this.groups.set(group, held);
    }
    return held;
  }
}

const keyOf = ({ layers }: BootFact, kind: Layer['kind']): string | null =>
  layers.find((layer) => layer.kind === kind)?.key ?? null;

/** What profiles are matched with. */
function bootable({ dialect, layers }: Pick<BootFact, 'dialect' | 'layers'>): Bootable {
  const idOf = (kind: Layer['kind']) => layers.find((layer) => layer.kind === kind)?.id ?? null;
  return { dialect, model: idOf('model'), duty: idOf('duty') };
}
