/** A site plan carried out for a site: blocks, VLANs and prefixes first, then what its devices get. */
import { bitsOf, parseIp } from '@zpine/core/addressing/ip';
import { rangesAt } from '@zpine/core/addressing/offsets';
import { contains, covers, formatPrefix, parsePrefix, type Prefix } from '@zpine/core/addressing/prefix';
import { formatRanges } from '@zpine/core/addressing/ranges';
import {
  readRecipe,
  type BlockStep,
  type LinkStep,
  type LoopbackStep,
  type PlannedPrefix,
  type RecipeStep,
  type VlanStep,
} from '@zpine/core/addressing/recipe';
import { mustParse } from '@zpine/core/fault';
import type { PlanRow } from '@zpine/contract/planShapes';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { farEnds } from '../cables/trace.ts';
import { addOne } from '../records/add.ts';
import { editOne } from '../records/edit.ts';
import { mustFind, mustFindField } from '../records/refs.ts';
import { assignAddress } from './assign.ts';
import { gatewayOf, nextBlocks } from './carve.ts';
import { placeFor } from './handOut.ts';
import { link } from './link.ts';
import { assignNextIn } from './next.ts';

export async function applyPlan(
  tx: Tx,
  ref: string,
  body: BodyOf<'siteplan.apply'>,
): Promise<ReplyOf<'siteplan.apply'>> {
  const plan = await mustFind(tx, 'siteplan', ref);
  const site = await mustFindField(tx, 'site', body.site, 'site');
  const work = new SitePlan(tx, plan, site);
  await work.placeBlocks();
  await work.addressDevices();
  if (!body.apply) tx.discarded = true;
  return { applied: body.apply, site: site.key, rows: work.rows, new: work.rows.filter((row) => !row.there).length };
}

const blockOf = (prefix: Stored<'prefix'>): Prefix => mustParse(parsePrefix(prefix.cidr));

export class SitePlan {
  readonly rows: PlanRow[] = [];
  private readonly tx: Tx;
  private readonly site: Stored<'site'>;
  private readonly steps: RecipeStep[];
  private readonly blocks = new Map<string, Stored<'prefix'>>();

  constructor(tx: Tx, plan: Stored<'siteplan'>, site: Stored<'site'>) {
    this.tx = tx;
    this.site = site;
    this.steps = readRecipe(plan.steps).steps;
  }

  /** What stands before any device: blocks, VLANs, prefixes. */
  async placeBlocks(): Promise<void> {
    for (const [i, step] of this.steps.entries()) {
      if ('block' in step) await this.block(i + 1, step);
      else if ('vlan' in step) await this.vlan(i + 1, step);
    }
  }

  /** What needs the devices and their cables: loopbacks and links. */
  async addressDevices(): Promise<void> {
    for (const [i, step] of this.steps.entries()) {
      if ('loopback' in step) await this.loopbacks(i + 1, step);
      else if ('links' in step) await this.links(i + 1, step);
    }
  }

  private row(step: number, kind: PlanRow['kind'], what: string, detail: string, there: boolean): void {
    this.rows.push({ step, kind, what, detail, there });
  }

  private worded(text: string | null, otherwise: string): string {
    return (text ?? otherwise).replaceAll('{site}', this.site.title ?? this.site.code.toUpperCase()).slice(0, 200);
  }

  private async block(n: number, step: BlockStep): Promise<void> {
    const { tx, site } = this;
    const from = await mustFindField(tx, 'prefix', step.from, 'from');
    const around = blockOf(from);
    const used = new Set([...this.blocks.values()].map((one) => one.id));
    const of = { site_id: site.id, vrf_id: from.vrf, cidr_family: around.family, cidr_length: step.size };
    const standing = (await find(tx, 'prefix', of, { order: ['sort_key'] })).filter(
      (one) => one.vlan === null && !used.has(one.id) && one.id !== from.id && covers(around, blockOf(one)),
    );
    if (standing.length > 1) {
      const candidates = standing.map((one) => one.key).join(', ');
      throw Refusal.at(['site'], 'recipe-several', { what: `the block ${step.block}`, candidates });
    }
    const [there] = standing;
    if (there) {
      this.blocks.set(step.block, there);
      return this.row(n, 'block', there.key, `${step.block}: there already`, true);
    }
    const model = step.like === null ? undefined : this.blocks.get(step.like);
    const [free] = model
      ? [blockOf(model)]
      : await nextBlocks(tx, from, { length: step.size, count: 1, way: step.way });
    if (!free) return;
    const made = await addOne(tx, 'prefix', {
      cidr: formatPrefix(free),
      vrf: `#${from.vrf}`,
      site: `#${site.id}`,
      description: this.worded(step.description, '{site}'),
      ...(step.use === null ? {} : { use: step.use }),
    });
    this.blocks.set(step.block, made);
    this.row(n, 'block', made.key, `${step.block}: out of ${from.key}`, false);
  }

  private async vlan(n: number, step: VlanStep): Promise<void> {
    const { tx, site } = this;
    const [there] = await find(tx, 'vlan', { site_id: site.id, number: step.vlan });
    const vlan =
      there ??
      (await addOne(tx, 'vlan', {
        site: `#${site.id}`,
        number: step.vlan,
        ...(step.title === null ? {} : { title: step.title }),
        ...(step.use === null ? {} : { use: step.use }),
      }));
    this.row(n, 'vlan', vlan.key, vlan.title ?? '', there !== undefined);
    for (const planned of step.prefixes) await this.prefix(n, vlan, planned);
  }

  private async prefix(n: number, vlan: Stored<'vlan'>, planned: PlannedPrefix): Promise<void> {
    const { tx } = this;
    const block = this.blocks.get(planned.in);
    if (!block) return;
    const around = blockOf(block);
    const of = { vlan_id: vlan.id, vrf_id: block.vrf, cidr_family: around.family };
    const there = (await find(tx, 'prefix', of)).find((one) => covers(around, blockOf(one)));
    if (there) return this.row(n, 'prefix', there.key, 'there already', true);
    const p = await this.placeOf(block, planned);
    const ranges = (text: string | null): string | undefined =>
      text === null ? undefined : formatRanges(mustParse(rangesAt(p, text)));
    const fields = {
      cidr: formatPrefix(p),
      vrf: `#${block.vrf}`,
      vlan: `#${vlan.id}`,
      description: this.worded(planned.description, vlan.title ? `${vlan.title} at {site}` : '{site}'),
      gateway: gatewayOf(p, planned.gateway),
      heldBack: ranges(planned.heldBack),
      pool: ranges(planned.pool),
      quarantine: ranges(planned.quarantine),
      handOut: planned.handOut,
    };
    const made = await addOne(
      tx,
      'prefix',
      Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== undefined && value !== null)),
    );
    const words = [
      `VLAN ${vlan.number}`,
      made.gateway && `gateway ${made.gateway}`,
      made.pool && `pool ${made.pool}`,
      made.handOut,
    ];
    this.row(n, 'prefix', made.key, words.filter(Boolean).join(' · '), false);
  }

  private async placeOf(block: Stored<'prefix'>, { size, nth }: PlannedPrefix): Promise<Prefix> {
    const { family, first } = blockOf(block);
    if (nth !== null) return { family, first: first + (BigInt(nth) << BigInt(bitsOf(family) - size)), length: size };
    const [free] = await nextBlocks(this.tx, block, { length: size, count: 1, way: 'first' });
    if (!free) throw new Error('a carving gave nothing');
    return free;
  }

  private async devicesOf(duty: string): Promise<Stored<'device'>[]> {
    const of = await mustFindField(this.tx, 'duty', duty, 'for');
    const all = await find(this.tx, 'device', { site_id: this.site.id, duty_id: of.id }, { order: ['sort_key'] });
    return all.filter((device) => device.stage !== 'retired');
  }

  private async loopbacks(n: number, step: LoopbackStep): Promise<void> {
    const { tx } = this;
    const from = await mustFindField(tx, 'prefix', step.from, 'from');
    const around = blockOf(from);
    for (const device of await this.devicesOf(step.for)) {
      const [standing] = await find(tx, 'interface', { natural_key: `${device.key}:${step.loopback}` });
      const on =
        standing ??
        (await addOne(tx, 'interface', {
          device: `#${device.id}`,
          name: step.loopback,
          form: 'loopback',
          vrf: `#${from.vrf}`,
        }));
      const held = (await find(tx, 'address', { interface_id: on.id })).find((one) =>
        contains(around, mustParse(parseIp(one.address))),
      );
      const { from: start, exactly } = held ? {} : await placeFor(tx, from, device, undefined);
      const address =
        held ??
        (exactly === undefined
          ? (await assignNextIn(tx, from, start, on, null)).address
          : await assignAddress(tx, from, exactly, on, null));
      if (device.main === null) await editOne(tx, 'device', `#${device.id}`, { main: `#${on.id}` });
      this.row(n, 'loopback', on.key, address.address, held !== undefined);
    }
  }

  /** Cables between two devices of the duty, through panels as well. */
  private async links(n: number, step: LinkStep): Promise<void> {
    const { tx } = this;
    const from = await mustFindField(tx, 'prefix', step.from, 'from');
    const around = blockOf(from);
    const duty = await mustFindField(tx, 'duty', step.links, 'links');
    const ours = await this.devicesOf(step.links);
    const interfaces = await find(
      tx,
      'interface',
      { device_id: ours.map((d) => d.id), form: 'port' },
      { order: ['sort_key'] },
    );
    const ends = await farEnds(
      tx,
      interfaces.flatMap((one) => one.port ?? []),
    );
    const done = new Set<number>();
    for (const one of interfaces) {
      const port = ends.get(one.port ?? 0)?.port;
      const [other] = port ? await find(tx, 'interface', { port_id: port }) : [];
      if (!other || done.has(one.id)) continue;
      const [there] = await find(tx, 'device', { id: other.device, duty_id: duty.id });
      if (!there || there.id === one.device) continue;
      done.add(other.id);
      const held = await find(tx, 'address', { interface_id: [one.id, other.id] }, { order: ['sort_key'] });
      const linked = held.filter((a) => contains(around, mustParse(parseIp(a.address))));
      if (linked.length > 0) {
        this.row(n, 'link', `${one.key} to ${other.key}`, linked.map((a) => a.address).join(', '), true);
        continue;
      }
      const made = await link(tx, { from: `#${one.id}`, to: `#${other.id}`, in: `#${from.id}`, apply: true });
      this.row(n, 'link', `${one.key} to ${other.key}`, made.ends.map((end) => end.address).join(', '), false);
    }
  }
}
