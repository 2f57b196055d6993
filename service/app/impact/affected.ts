/**
 * Which devices a change could affect: each kind says what hangs on its records, as handles (a site, a prefix, a port),
 * and the handles are followed to devices, in the state before the change and in that after it. Rather a device too
 * many: what does not differ is not told.
 */
import { lastOf, parsePrefix, type Prefix } from '@zpine/core/addressing/prefix';
import type { Value } from '@zpine/contract/fields';
import type { KindName } from '@zpine/contract/kinds';
import { byIds, find } from '../../store/records.ts';
import { bytesOf } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import type { Change, OwnKind } from '../../store/unsaved.ts';
import { pathsFrom } from '../cables/trace.ts';
import { devicesBehind, devicesLabelled, idsBy, type Handle } from '../devices/behind.ts';
import { insertedBy } from '../editions/templates.ts';

type Image = Record<string, Value>;

const number = (value: Value | undefined): number | null => (typeof value === 'number' ? value : null);

/** Which handles an image of a record gives; both that before and that after are asked. */
type Dependents = (affected: AffectedDevices, image: Image, id: number) => void;

const byItself =
  (handle: Handle): Dependents =>
  (affected, _image, id) =>
    affected.add(handle, id);

const refs =
  (...fields: [string, Handle][]): Dependents =>
  (affected, image) => {
    for (const [field, handle] of fields) affected.add(handle, number(image[field]));
  };

/** A template is that of a duty, of a model, of a dialect, or of everything. */
const ofTemplate: Dependents = (affected, image, id) => {
  affected.add('ownTemplate', id);
  if (image.fragment === true) affected.fragments.add(String(image.name));
  else if (number(image.duty) !== null) affected.add('duty', number(image.duty));
  else if (number(image.model) !== null) affected.add('model', number(image.model));
  else if (number(image.dialect) !== null) affected.add('dialect', number(image.dialect));
  else affected.all = true;
};

/** Which devices a profile holds for depends on the others: all that it could hold for are looked at. */
const ofProfile: Dependents = (affected, image) => {
  const [handle, id] =
    [
      ['duty', number(image.duty)] as const,
      ['model', number(image.model)] as const,
      ['dialect', number(image.dialect)] as const,
    ].find(([, named]) => named !== null) ?? [];
  if (handle === undefined || id === undefined) affected.all = true;
  else affected.add(handle, id);
};

const layers: Partial<Record<string, Handle>> = {
  dialect: 'dialect',
  model: 'model',
  duty: 'duty',
  area: 'area',
  site: 'site',
  room: 'room',
  prefix: 'prefix',
  device: 'device',
};

const ofValue: Dependents = (affected, image) => {
  const { layer, of } = (image.place ?? {}) as { layer?: string; of?: number };
  if (layer === 'everywhere' || layer === 'bootprofile') affected.all = true;
  else if (layer === 'label') affected.labelIds.add(Number(of));
  else if (layer !== undefined && layers[layer]) affected.add(layers[layer], of ?? null);
};

const dependents: Record<KindName | OwnKind, Dependents | null> = {
  area: byItself('area'),
  site: byItself('site'),
  room: byItself('room'),
  rack: byItself('rack'),
  purpose: null,
  owner: byItself('owner'),
  filler: null,
  vendor: byItself('vendor'),
  dialect: byItself('dialect'),
  model: byItself('model'),
  duty: byItself('duty'),
  device: byItself('device'),
  box: refs(['device', 'device']),
  card: refs(['device', 'device']),
  port: (affected, image, id) => {
    affected.add('port', id);
    affected.add('device', number(image.device));
  },
  interface: (affected, image, id) => {
    affected.add('interface', id);
    affected.add('device', number(image.device));
  },
  cable: refs(['from', 'port'], ['to', 'port']),
  use: byItself('use'),
  vlan: (affected, image, id) => {
    affected.add('vlan', id);
    affected.add('site', number(image.site));
  },
  vrf: byItself('vrf'),
  prefix: (affected, image, id) => {
    affected.add('prefix', id);
    const read = parsePrefix(typeof image.cidr === 'string' ? image.cidr : '');
    if (read.ok)
      affected.spans.set(`${String(image.vrf)} ${String(image.cidr)}`, { vrf: Number(image.vrf), ...read.value });
  },
  address: (affected, image, id) => {
    affected.add('address', id);
    affected.add('interface', number(image.interface));
  },
  carrier: refs(['interface', 'interface']),
  label: (affected, image) => void affected.labels.add(String(image.name)),
  setting: (affected) => void (affected.all = true),
  check: null,
  routine: null,
  bootprofile: ofProfile,
  // Whoever might want it: its own model where it names one, else its dialect.
  image: (affected, image) =>
    number(image.model) === null
      ? affected.add('dialect', number(image.dialect))
      : affected.add('model', number(image.model)),
  exception: null,
  batch: null,
  template: ofTemplate,
  siteplan: null,
  value: ofValue,
  edition: byItself('edition'),
  'host-key': null,
  capture: null,
  lease: null,
  user: null,
  store: null,
};

type Span = Prefix & { vrf: number };

/** Handles whose devices stand in the configurations of others, at the other ends of cables. */
const seenByNeighbours: readonly Handle[] = ['device', 'interface', 'port', 'address', 'prefix', 'model'];

const SLICE = 1000;

export class AffectedDevices {
  /** Every device there is. */
  all = false;
  readonly labels = new Set<string>();
  readonly labelIds = new Set<number>();
  readonly fragments = new Set<string>();
  readonly spans = new Map<string, Span>();
  /** Devices that did not exist before. */
  readonly added: number[] = [];
  /** The kinds of which something is changed. */
  readonly kinds = new Set<string>();
  private readonly ids = new Map<Handle, Set<number>>();

  add(handle: Handle, id: number | null): void {
    if (id === null) return;
    const held = this.ids.get(handle);
    if (held) held.add(id);
    else this.ids.set(handle, new Set([id]));
  }

  take(change: Change): void {
    this.kinds.add(change.kind);
    if (change.kind === 'device' && change.before === null && change.versionTo === 1) this.added.push(change.id);
    const give = dependents[change.kind];
    for (const image of [change.before, change.after]) if (image && give) give(this, image, change.id);
  }

  /** Devices that can have a configuration, as the records stand now. */
  async devices(tx: Tx): Promise<Set<number>> {
    await this.followFragments(tx);
    if (this.all) return new Set(await idsBy(tx, 'SELECT id FROM device WHERE provisioned = 1'));
    const out = new Set<number>();
    const shown = new Set<number>();
    for (const [handle, ids] of this.ids) {
      const into = seenByNeighbours.includes(handle) ? shown : out;
      for (const id of await devicesBehind(tx, handle, [...ids])) into.add(id);
    }
    for (const id of await inSpans(tx, this.blocks())) shown.add(id);
    for (const id of await neighboursOf(tx, [...shown], [...(this.ids.get('port') ?? [])])) out.add(id);
    for (const id of shown) out.add(id);
    for (const id of await this.labelled(tx)) out.add(id);
    return out;
  }

  /** From first to last address of the prefixes that change; one inside another goes with it. */
  blocks(): (Span & { last: bigint })[] {
    const all = [...this.spans.values()].map((span) => ({ ...span, last: lastOf(span) }));
    all.sort(
      (a, b) =>
        a.vrf - b.vrf ||
        a.family - b.family ||
        Number(a.first > b.first) - Number(a.first < b.first) ||
        a.length - b.length,
    );
    const outer: (Span & { last: bigint })[] = [];
    for (const block of all) {
      const before = outer.at(-1);
      if (before?.vrf !== block.vrf || before.family !== block.family || block.last > before.last) outer.push(block);
    }
    return outer;
  }

  private async labelled(tx: Tx): Promise<number[]> {
    const names = new Set(this.labels);
    for (const label of (await byIds(tx, 'label', [...this.labelIds])).values()) names.add(label.name);
    if (names.size === 0) return [];
    return devicesLabelled(tx, names);
  }

  /** A fragment reaches what is reached by the templates that insert it. */
  private async followFragments(tx: Tx): Promise<void> {
    if (this.fragments.size === 0) return;
    const fragments = new Map((await find(tx, 'template', { fragment: 1 })).map((one) => [one.key, one.source]));
    for (const template of await find(tx, 'template', { fragment: 0 })) {
      const inserted = Object.keys(insertedBy(template, fragments));
      if (inserted.some((name) => this.fragments.has(name))) ofTemplate(this, template, template.id);
    }
  }
}

/** Devices with addresses in these blocks, whatever prefix they belong to. */
async function inSpans(tx: Tx, blocks: ReturnType<AffectedDevices['blocks']>): Promise<number[]> {
  const out: number[] = [];
  for (const { vrf, family, first, last } of blocks) {
    const found = await idsBy(
      tx,
      `SELECT DISTINCT i.device_id AS id FROM address a LEFT JOIN carrier c ON c.address_id = a.id
       JOIN interface i ON i.id = COALESCE(a.interface_id, c.interface_id)
       WHERE a.vrf_id = ? AND a.address_family = ? AND a.address BETWEEN ? AND ?`,
      [vrf, family, bytesOf(family, first), bytesOf(family, last)],
    );
    for (const id of found) out.push(id);
  }
  return out;
}

/** Devices at the other ends of the cables of these, through panels; and of these ports, both ways. */
async function neighboursOf(tx: Tx, devices: number[], named: number[]): Promise<Set<number>> {
  const out = new Set<number>();
  const look = async (ports: number[]): Promise<void> => {
    const ways = [...(await pathsFrom(tx, ports)).values()];
    for (const way of ways) for (const { port } of way.hops) if (port) out.add(port.device);
  };
  for (let at = 0; at < devices.length; at += SLICE) {
    const sql = 'SELECT e.port_id AS id FROM port p JOIN cable_end e ON e.port_id = p.id WHERE p.device_id IN (?)';
    await look(await idsBy(tx, sql, [devices.slice(at, at + SLICE)]));
  }
  for (let at = 0; at < named.length; at += SLICE) {
    const ports = [...(await byIds(tx, 'port', named.slice(at, at + SLICE))).values()];
    await look(ports.flatMap((port) => [port.id, ...(port.through === null ? [] : [port.through])]));
  }
  return out;
}
