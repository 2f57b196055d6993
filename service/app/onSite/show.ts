/** One device for whoever stands before its rack. */
import { parseMac } from '@zpine/core/addressing/mac';
import type { ShownJob } from '@zpine/contract/jobRoutes';
import { Refusal } from '@zpine/contract/errors';
import { splitKey } from '@zpine/contract/kind';
import { kindOf, type Stored } from '@zpine/contract/kinds';
import type { BodyOf } from '@zpine/contract/routes';
import { byId, byIds, find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { mustActAt } from '../access/sites.ts';
import type { User } from '../access/who.ts';
import { arrivals, type ArrivalRow } from '../arrivals/arrivals.ts';
import { presentArrivals } from '../arrivals/list.ts';
import { openWindow } from '../arrivals/window.ts';
import { usualByModel } from '../batches/usual.ts';
import { plugs } from '../cables/shown.ts';
import { fitBox } from '../devices/fit.ts';
import { drawing } from '../racks/drawing.ts';
import { mustFind } from '../records/refs.ts';
import { openSwapOf, ticksOf, type Ticks } from '../swaps/rows.ts';
import { showSwap } from '../swaps/show.ts';
import { fitSpare, tickCables } from '../swaps/swap.ts';
import { turnSwaps } from '../swaps/turns.ts';
import { headsOf } from './list.ts';

export async function showJob(tx: Tx, ref: string): Promise<ShownJob> {
  const device = await mustFind(tx, 'device', ref);
  const [head] = await headsOf(tx, [device]);
  if (!head) throw new Refusal('not-found', { kind: 'device', ref });
  const swap = await openSwapOf(tx, device.id);
  const ticks = swap ? ticksOf(swap) : await ticksAt(tx, device.id);
  const { items } = await plugs(tx, { device: device.key });
  const model = device.model === null ? undefined : (await byIds(tx, 'model', [device.model])).get(device.model);
  const [row] = await tx.select<ArrivalRow>(
    `SELECT ${arrivals.all} FROM arrival WHERE device_id = ? ORDER BY id DESC LIMIT 1`,
    [device.id],
  );
  const [arrival] = row ? await presentArrivals(tx, [row]) : [];
  const usual = device.model === null ? undefined : await usualByModel(tx, [device.model], 'powered', ['serving']);
  return {
    ...head,
    modelTitle: model?.title ?? null,
    strip: await stripOf(tx, device),
    cables: items.flatMap((plug) => {
      const port = plug.from.port?.slice(device.key.length + 1);
      if (port === undefined) return [];
      const { marking, kind, colour, lengthCm } = plug;
      return [
        {
          port,
          marking,
          kind,
          colour,
          lengthCm,
          farEnd: plug.to.words,
          farPlace: plug.to.place,
          ticked: ticks[port] ?? null,
        },
      ];
    }),
    takesBox: head.box === null || swap?.state === 'begun',
    windowOpen: row !== undefined && row.ended_at === null && row.closes_at > (await tx.now()).date,
    arrival: arrival ?? null,
    findings: swap ? ((await showSwap(tx, String(swap.id))).after?.findings ?? null) : null,
    usualSeconds: usual?.get(device.model ?? 0)?.usual ?? null,
  };
}

async function stripOf(tx: Tx, device: Stored<'device'>): Promise<ShownJob['strip']> {
  if (device.rack === null) return null;
  const { heightU, numbering, items } = await drawing(tx, `#${device.rack}`);
  const own = items.find(({ kind, key }) => kind === 'device' && key === device.key);
  const face = own?.face ?? 'front';
  const units = ({ positionU, heightU: height }: { positionU: number; heightU: number }) =>
    Array.from({ length: height }, (_, i) => positionU + i);
  return {
    heightU,
    numbering,
    face,
    own: own ? units(own) : [],
    taken: items.filter((item) => item !== own && (item.depth === 'full' || item.face === face)).flatMap(units),
  };
}

async function ticksAt(tx: Tx, device: number): Promise<Ticks> {
  const rows = await tx.select<{ port: string; ticked_by: string; at: Date }>(
    'SELECT port, ticked_by, at FROM cable_tick WHERE device_id = ?',
    [device],
  );
  return Object.fromEntries(rows.map((row) => [row.port, { by: row.ticked_by, at: row.at.toISOString() }]));
}

export async function tickJob(tx: Tx, ref: string, body: BodyOf<'job.tick'>, user: User): Promise<ShownJob> {
  const device = await mustFind(tx, 'device', ref, true);
  await mustActAt(tx, user, device);
  const swap = await openSwapOf(tx, device.id);
  if (swap) {
    await tickCables(tx, String(swap.id), body, user);
    return showJob(tx, ref);
  }
  const known = new Set((await find(tx, 'port', { device_id: device.id })).map(({ name }) => name));
  const at = await tx.now();
  for (const port of body.ports) {
    if (!known.has(port)) throw Refusal.at(['ports'], 'not-found', { kind: 'port', ref: `${device.key}:${port}` });
    await tx.execute('DELETE FROM cable_tick WHERE device_id = ? AND port = ?', [device.id, port]);
    if (body.done)
      await tx.insertRows('cable_tick', [{ device_id: device.id, port, ticked_by: tx.actor.name, at }], '');
  }
  tx.hint('device', device.id, null);
  return showJob(tx, ref);
}

/** Which box it is says whoever put it in, as long as none is there that works. */
export async function boxOfJob(tx: Tx, ref: string, { box, hours }: BodyOf<'job.box'>, user: User): Promise<ShownJob> {
  const device = await mustFind(tx, 'device', ref, true);
  await mustActAt(tx, user, device);
  const swap = await openSwapOf(tx, device.id);
  if (swap?.state === 'begun') {
    await fitSpare(tx, String(swap.id), { box, hours }, user);
    await turnSwaps(tx);
    return showJob(tx, ref);
  }
  const { serial, mac } = splitKey(kindOf('box'), box.trim());
  const read = mac === undefined ? undefined : parseMac(mac);
  if (read?.ok === false) throw Refusal.at(['box'], read.fault.code, read.fault.params);
  await fitBox(tx, device, { serial: serial ?? null, mac: read?.ok === true ? read.value : null, before: 'faulty' });
  const published = await tx.one('SELECT id FROM edition WHERE device_id = ? AND published_at IS NOT NULL LIMIT 1', [
    device.id,
  ]);
  if (published) await openWindow(tx, await byId(tx, 'device', device.id, true), hours);
  return showJob(tx, ref);
}
