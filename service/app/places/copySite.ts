/** The same landing again: a site with all that stands in it, under a new code. */
import { nearest } from '@zpine/core/naming/names';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { KindName, Stored } from '@zpine/contract/kinds';
import { find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { assignManagement, managementOf } from '../addressing/management.ts';
import { SitePlan } from '../addressing/sitePlan.ts';
import { copyDeviceParts } from '../devices/copyParts.ts';
import { cablesOfPorts } from '../kinds/cable.ts';
import { Copies } from '../records/copies.ts';
import { mustFind, mustFindField } from '../records/refs.ts';

type Copied = ReplyOf<'site.copy'>;

export async function copySite(tx: Tx, ref: string, body: BodyOf<'site.copy'>): Promise<Copied> {
  const site = await mustFind(tx, 'site', ref);
  const work = new SiteCopy(tx, site, body);
  await work.run();
  if (!body.apply) tx.discarded = true;
  const { made, counts } = work.copies;
  return {
    site: work.code,
    applied: body.apply,
    counts,
    items: made.slice(0, SHOWN),
    left: work.left,
    planned: work.planned,
  };
}

const SHOWN = 1000;

class SiteCopy {
  readonly copies: Copies;
  readonly left: Copied['left'] = [];
  code = '';
  private readonly tx: Tx;
  private readonly from: Stored<'site'>;
  private readonly body: BodyOf<'site.copy'>;
  private plan: SitePlan | undefined;

  constructor(tx: Tx, from: Stored<'site'>, body: BodyOf<'site.copy'>) {
    this.tx = tx;
    this.from = from;
    this.body = body;
    this.copies = new Copies(tx);
  }

  async run(): Promise<void> {
    const { tx, from, body, copies } = this;
    const [site] = await copies.copy('site', [from], () => ({
      code: body.code,
      title: body.title ?? null,
      ...(body.area === undefined ? {} : { area: body.area }),
      postalAddress: null,
      contacts: null,
    }));
    this.code = site?.key ?? '';
    const order = { order: ['sort_key'] };
    await copies.copy('vlan', await find(tx, 'vlan', { site_id: from.id }, order));
    if (body.plan !== undefined && site)
      this.plan = new SitePlan(tx, await mustFindField(tx, 'siteplan', body.plan, 'plan'), site);
    await this.plan?.placeBlocks();
    const rooms = await find(tx, 'room', { site_id: from.id }, order);
    await copies.copy('room', rooms);
    const racks = await find(tx, 'rack', { room_id: rooms.map((r) => r.id) }, order);
    await copies.copy('rack', racks, () => ({ assetNumber: null }));
    await copies.copy('filler', await find(tx, 'filler', { rack_id: racks.map((r) => r.id) }, order));
    const all = await find(tx, 'device', { site_id: from.id }, order);
    const devices = all.filter((device) => device.stage !== 'retired');
    for (const device of all) if (device.stage === 'retired') this.leave('device', device.key, 'it is retired');
    this.refuseNameless(devices);
    for (const { name } of devices) copies.words.set(name, this.named(name));
    await copies.copy('device', devices, (device) => ({
      name: this.named(device.name),
      management: null,
      main: null,
    }));
    const ids = devices.map((device) => device.id);
    await copyDeviceParts(copies, ids);
    await this.copyCables(ids);
    if (this.plan) await this.address(devices);
    await this.noteWhatStays(ids);
  }

  get planned(): Copied['planned'] {
    return this.plan?.rows ?? [];
  }

  /** What had an address for management gets one here; loopbacks and links as the plan says. */
  private async address(devices: Stored<'device'>[]): Promise<void> {
    const { tx, copies } = this;
    for (const device of devices) {
      const copy = copies.of('device', device.id);
      if (copy !== undefined && (await managementOf(tx, device))) {
        const { address } = await assignManagement(tx, `#${copy}`, {});
        copies.made.push({ kind: 'address', key: address, from: device.key });
        copies.count('address', 1);
      }
    }
    await this.plan?.addressDevices();
  }

  private leave(kind: KindName, key: string, why: string): void {
    if (this.left.length < SHOWN) this.left.push({ kind, key, why });
  }

  /** `ard-acc-1` becomes `bel-acc-1`: the code of the site in a name is that of the new one. */
  private named(name: string): string {
    const given = this.body.names[name];
    if (given !== undefined) return given;
    const parts = name.split(/([._-])/);
    return parts.map((part) => (part === this.from.code ? this.code : part)).join('');
  }

  private refuseNameless(devices: Stored<'device'>[]): void {
    const known = new Set(devices.map((device) => device.name));
    const odd = Object.keys(this.body.names).find((name) => !known.has(name));
    if (odd !== undefined) {
      const near = nearest(odd, known);
      throw Refusal.at(['names', odd], 'ref-unknown', { kind: 'device', ref: odd, ...(near ? { meant: near } : {}) });
    }
    const faults = devices
      .filter((device) => this.named(device.name) === device.name)
      .map((device) => ({
        path: ['names', device.name],
        code: 'copy-name' as const,
        params: { name: device.name, code: this.from.code },
      }));
    if (faults.length > 0) throw Refusal.of(faults);
  }

  /** Cables inside the site; one that leads elsewhere has no other end to go to. */
  private async copyCables(devices: number[]): Promise<void> {
    const { tx, copies } = this;
    const ports = await find(tx, 'port', { device_id: devices });
    const cables = await cablesOfPorts(
      tx,
      ports.map((port) => port.id),
    );
    const all = [...new Map(cables.map((cable) => [cable.id, cable])).values()];
    const there = (port: number | null) => port === null || copies.of('port', port) !== undefined;
    const inside = all.filter((cable) => there(cable.from) && there(cable.to));
    for (const cable of all)
      if (!inside.includes(cable)) this.leave('cable', cable.key, 'its other end is at another site');
    // What is printed on one cable is not printed on another.
    await copies.copy('cable', inside, () => ({ marking: null }));
  }

  private async noteWhatStays(devices: number[]): Promise<void> {
    const interfaces = await find(this.tx, 'interface', { device_id: devices });
    const on = { interface_id: interfaces.map((i) => i.id) };
    for (const { key, address, interface: id } of await find(this.tx, 'address', on, { order: ['sort_key'] })) {
      const copy = this.plan && this.copies.of('interface', id ?? 0);
      const family = address.includes(':') ? 6 : 4;
      const [given] = copy ? await find(this.tx, 'address', { interface_id: copy, address_family: family }) : [];
      if (!given) this.leave('address', key, 'each exists once');
    }
    for (const { key } of await find(this.tx, 'box', { device_id: devices }, { order: ['sort_key'] }))
      this.leave('box', key, 'each exists once');
  }
}
