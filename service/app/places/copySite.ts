/** The same landing again: a site with all that stands in it, under a new code. */
import { Refusal } from '@zpine/contract/errors';
import { type BodyOf, type ReplyOf } from '@zpine/contract/routes';
import { type Value } from '@zpine/contract/fields';
import { fieldsOf } from '@zpine/contract/kind';
import { kindOf, type KindName, type Stored } from '@zpine/contract/kinds';
import { type AnyStored, byIds, find } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { add } from '../records/add.ts';
import { edit } from '../records/edit.ts';
import { mustFind } from '../records/refs.ts';
import { copyValues } from '../settings/values.ts';

type Copied = ReplyOf<'site.copy'>;
type Fields = Record<string, unknown>;

export async function copySite(tx: Tx, ref: string, body: BodyOf<'site.copy'>): Promise<Copied> {
  const site = await mustFind(tx, 'site', ref);
  const work = new Copy(tx, site, body);
  await work.run();
  if (!body.apply) tx.discarded = true;
  return {
    site: work.code,
    applied: body.apply,
    counts: work.counts,
    items: work.items.slice(0, SHOWN),
    left: work.left,
  };
}

const SHOWN = 1000;

/** What stands in one record only: names and numbers that are printed on hardware. */
const ownFields = (kind: KindName): Set<string> =>
  new Set(fieldsOf(kindOf(kind)).flatMap(([name, f]) => (f.derived || f.byVerb || f.unique ? [name] : [])));

const given = (fields: Fields): Fields =>
  Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== null && value !== undefined));

class Copy {
  readonly counts: Record<string, number> = {};
  readonly items: Copied['items'] = [];
  readonly left: Copied['left'] = [];
  code = '';
  private readonly tx: Tx;
  private readonly from: Stored<'site'>;
  private readonly body: BodyOf<'site.copy'>;
  /** New names of devices, by their old ones. */
  private readonly names = new Map<string, string>();
  /** From the id of what was copied to that of its copy. */
  private readonly made = new Map<KindName, Map<number, number>>();

  constructor(tx: Tx, from: Stored<'site'>, body: BodyOf<'site.copy'>) {
    this.tx = tx;
    this.from = from;
    this.body = body;
  }

  async run(): Promise<void> {
    const { tx, from, body } = this;
    const title = body.title ?? null;
    const [site] = await this.copy('site', [from], () => ({
      code: body.code,
      title,
      ...(body.area === undefined ? {} : { area: body.area }),
      postalAddress: null,
      contacts: null,
    }));
    this.code = site?.key ?? '';
    await this.copy('vlan', await find(tx, 'vlan', { site_id: from.id }, { order: ['sort_key'] }));
    const rooms = await find(tx, 'room', { site_id: from.id }, { order: ['sort_key'] });
    await this.copy('room', rooms);
    const racks = await find(tx, 'rack', { room_id: rooms.map((r) => r.id) }, { order: ['sort_key'] });
    await this.copy('rack', racks, () => ({ assetNumber: null }));
    await this.copy('filler', await find(tx, 'filler', { rack_id: racks.map((r) => r.id) }, { order: ['sort_key'] }));
    const all = await find(tx, 'device', { site_id: from.id }, { order: ['sort_key'] });
    const devices = all.filter((device) => device.stage !== 'retired');
    for (const device of all) if (device.stage === 'retired') this.leave('device', device.key, 'it is retired');
    this.refuseNameless(devices);
    for (const { name } of devices) this.names.set(name, this.named(name));
    await this.copy('device', devices, (device) => ({ name: this.named(device.name), management: null }));
    const ids = devices.map((device) => device.id);
    const cards = await find(tx, 'card', { device_id: ids }, { order: ['sort_key'] });
    await this.copy('card', cards);
    await this.copyPorts(ids);
    await this.copyInterfaces(ids);
    await this.copyManagement(devices);
    await this.copyCables(ids);
    await this.noteAddresses(ids);
  }

  private copyOf = (kind: KindName, id: number): number | undefined => this.made.get(kind)?.get(id);

  private leave(kind: KindName, key: string, why: string): void {
    if (this.left.length < SHOWN) this.left.push({ kind, key, why });
  }

  /** Copies records; what they refer to is the copy where there is one, and the same thing otherwise. */
  private async copy<K extends KindName>(
    kind: K,
    records: Stored<K>[],
    more: (record: Stored<K>) => Fields = () => ({}),
  ): Promise<Stored<K>[]> {
    const made = await add(
      this.tx,
      kind,
      records.map((record) => given({ ...this.fields(kind, record as unknown as AnyStored), ...more(record) })),
      () => [],
    );
    const ids = this.made.get(kind) ?? new Map<number, number>();
    this.made.set(kind, ids);
    for (const [i, record] of records.entries()) {
      const copy = made[i];
      if (!copy) continue;
      ids.set(record.id, copy.id);
      await copyValues(this.tx, kind, record.id, copy);
      this.items.push({ kind, key: copy.key, from: record.key });
    }
    if (made.length > 0) this.counts[kind] = (this.counts[kind] ?? 0) + made.length;
    return made;
  }

  private fields(kind: KindName, record: AnyStored): Fields {
    const own = ownFields(kind);
    return Object.fromEntries(
      fieldsOf(kindOf(kind)).flatMap(([name, field]): [string, Value][] => {
        const value = record[name] ?? null;
        if (own.has(name) || value === null) return [];
        if (name === 'description' && typeof value === 'string') return [[name, this.renamedIn(value)]];
        if (field.type !== 'ref') return [[name, value]];
        return [[name, `#${this.copyOf(field.to as KindName, Number(value)) ?? Number(value)}`]];
      }),
    );
  }

  /** `ard-acc-1` becomes `bel-acc-1`: the code of the site in a name is that of the new one. */
  private named(name: string): string {
    const given = this.body.names[name];
    if (given !== undefined) return given;
    const parts = name.split(/([._-])/);
    return parts.map((part) => (part === this.from.code ? this.code : part)).join('');
  }

  /** "to ard-xr-1" is "to bel-xr-1" there. */
  private renamedIn(text: string): string {
    return text.replace(/[a-z0-9][a-z0-9._-]*/gi, (word) => this.names.get(word.toLowerCase()) ?? word);
  }

  private refuseNameless(devices: Stored<'device'>[]): void {
    const faults = devices
      .filter((device) => this.named(device.name) === device.name)
      .map((device) => ({
        path: ['names', device.name],
        code: 'copy-name' as const,
        params: { name: device.name, code: this.from.code },
      }));
    if (faults.length > 0) throw Refusal.of(faults);
  }

  /** Ports that models and cards bring are there already; those of before that were added by hand are added again. */
  private async copyPorts(devices: number[]): Promise<void> {
    const { tx } = this;
    const before = await find(tx, 'port', { device_id: devices }, { order: ['sort_key'] });
    const standing = await this.byName('port', devices);
    const missing = before.filter((port) => port.source === 'hand' && !standing.has(this.place(port)));
    await this.copy('port', missing);
    const now = await this.byName('port', devices);
    const ids = new Map<number, number>();
    for (const port of before) {
      const copy = now.get(this.place(port));
      if (copy !== undefined) ids.set(port.id, copy);
    }
    this.made.set('port', ids);
  }

  private place = ({ device, name }: { device: number; name: string }): string =>
    `${this.copyOf('device', device)} ${name.toLowerCase()}`;

  private async byName(kind: 'port' | 'interface', devices: number[]): Promise<Map<string, number>> {
    const copies = devices.flatMap((id) => this.copyOf('device', id) ?? []);
    const found = await find(this.tx, kind, { device_id: copies });
    return new Map(found.map((one) => [`${one.device} ${one.name.toLowerCase()}`, one.id]));
  }

  /** Interfaces of ports are there already, and are made like those of before; others are added, what is below first. */
  private async copyInterfaces(devices: number[]): Promise<void> {
    const { tx } = this;
    const before = await find(tx, 'interface', { device_id: devices }, { order: ['sort_key'] });
    const standing = await this.byName('interface', devices);
    const ids = new Map<number, number>();
    this.made.set('interface', ids);
    const there = before.filter((one) => standing.has(this.place(one)));
    for (const one of there) ids.set(one.id, standing.get(this.place(one)) ?? 0);
    const missing = before.filter((one) => !ids.has(one.id));
    // A port whose interface alone says that it is there, and an aggregate, stand below others.
    await this.copy(
      'interface',
      missing.filter((one) => one.on === null && one.memberOf === null),
    );
    const edits = there
      .filter((one) => one.version > 0)
      .map((one) => {
        const { device: _, name: __, form: ___, ...changes } = this.fields('interface', one as unknown as AnyStored);
        return { ref: `#${ids.get(one.id)}`, changes };
      });
    if (edits.length > 0) await edit(tx, 'interface', edits);
    if (edits.length > 0) this.counts.interface = (this.counts.interface ?? 0) + edits.length;
    await this.copy(
      'interface',
      missing.filter((one) => one.on !== null || one.memberOf !== null),
    );
  }

  private async copyManagement(devices: Stored<'device'>[]): Promise<void> {
    for (const device of devices) {
      const on = device.management === null ? undefined : this.copyOf('interface', device.management);
      const copy = this.copyOf('device', device.id);
      if (on !== undefined && copy !== undefined)
        await edit(this.tx, 'device', [{ ref: `#${copy}`, changes: { management: `#${on}` } }], false);
    }
  }

  /** Cables inside the site; one that leads elsewhere has no other end to go to. */
  private async copyCables(devices: number[]): Promise<void> {
    const { tx } = this;
    const ports = (await find(tx, 'port', { device_id: devices })).map((port) => port.id);
    const cables = [...(await find(tx, 'cable', { from_id: ports })), ...(await find(tx, 'cable', { to_id: ports }))];
    const all = [...new Map(cables.map((cable) => [cable.id, cable])).values()];
    const inside = all.filter(
      (cable) =>
        this.copyOf('port', cable.from) !== undefined &&
        (cable.to === null || this.copyOf('port', cable.to) !== undefined),
    );
    for (const cable of all.filter((one) => !inside.includes(one)))
      this.leave('cable', cable.key, 'its other end is at another site');
    // What is printed on one cable is not printed on another.
    await this.copy('cable', inside, () => ({ marking: null }));
  }

  private async noteAddresses(devices: number[]): Promise<void> {
    const interfaces = await find(this.tx, 'interface', { device_id: devices });
    const addresses = await find(
      this.tx,
      'address',
      { interface_id: interfaces.map((i) => i.id) },
      { order: ['sort_key'] },
    );
    for (const address of addresses) this.leave('address', address.key, 'addresses stand in one place only');
    const boxes = await byIds(
      this.tx,
      'box',
      (await find(this.tx, 'box', { device_id: devices })).map((box) => box.id),
    );
    for (const box of boxes.values()) this.leave('box', box.key, 'hardware stands in one place only');
  }
}
