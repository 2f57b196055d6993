/** Room in racks, kept as rows: one winner where two want the same U. */
import {
  fits,
  fromBottom,
  slotName,
  slotsOf,
  type Extent,
  type Face,
  type RackShape,
  type Side,
  type Slot,
} from '@zpine/core/rack/occupancy';
import { Refusal } from '@zpine/contract/errors';
import type { KindName, Stored } from '@zpine/contract/kinds';
import { byIds, find, keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { number, table, word, type RowOf } from '../../store/table.ts';

/** What stands in racks. */
export type Standing = 'device' | 'filler';

export interface Placed {
  kind: Standing;
  /** 0 while it is not there yet. */
  id: number;
  name: string;
  rack: Stored<'rack'>;
  extent: Extent;
}

export const shapeOf = (rack: Stored<'rack'>): RackShape => ({
  heightU: rack.heightU,
  numbering: rack.numbering as RackShape['numbering'],
});

type DevicePlace = Pick<Stored<'device'>, 'positionU' | 'face' | 'side'>;

export const extentOfDevice = (device: DevicePlace, model: Stored<'model'> | undefined): Extent => ({
  positionU: device.positionU ?? 0,
  heightU: model?.heightU ?? 1,
  face: device.face as Face,
  depth: (model?.depth ?? 'full') as Extent['depth'],
  width: (model?.width ?? 'full') as Extent['width'],
  side: device.side as Side,
});

export const extentOfFiller = (filler: Pick<Stored<'filler'>, 'positionU' | 'heightU' | 'face' | 'depth'>): Extent => ({
  positionU: filler.positionU,
  heightU: filler.heightU,
  face: filler.face as Face,
  depth: filler.depth as Extent['depth'],
  width: 'full',
  side: 'left',
});

export const slots = table('rack_slot', {
  rack_id: number,
  u: number,
  face: word<Face>(),
  half: word<Side>(),
  kind: word<Standing>(),
  record_id: number,
});
type SlotRow = RowOf<typeof slots>;

/** What is in the way of things that shall stand in racks, whether there already or in the same request. */
export async function clashingSlots(tx: Tx, wanted: Placed[]): Promise<Map<Placed, { u: number; by: string }>> {
  const racks = [...new Set(wanted.map((one) => one.rack.id))];
  if (racks.length === 0) return new Map();
  const rows = await tx.select<SlotRow>(`SELECT ${slots.all} FROM rack_slot WHERE rack_id IN (?)`, [racks]);
  const moving = new Set(wanted.map(({ kind, id }) => `${kind} ${id}`));
  const held = new Map<string, { kind: Standing; id: number } | Placed>();
  for (const row of rows)
    if (!moving.has(`${row.kind} ${row.record_id}`))
      held.set(`${row.rack_id} ${slotName(row)}`, { kind: row.kind, id: Number(row.record_id) });
  const out = new Map<Placed, { u: number; by: string }>();
  for (const one of wanted) {
    const slots = slotsOf(shapeOf(one.rack), one.extent);
    const hit = slots.find((slot) => held.has(`${one.rack.id} ${slotName(slot)}`));
    if (hit) {
      const holder = held.get(`${one.rack.id} ${slotName(hit)}`);
      const by = holder && 'name' in holder ? holder.name : holder ? await nameOf(tx, holder.kind, holder.id) : '';
      out.set(one, { u: fromBottom(shapeOf(one.rack), hit.u), by });
    }
    for (const slot of slots) held.set(`${one.rack.id} ${slotName(slot)}`, one);
  }
  return out;
}

const nameOf = async (tx: Tx, kind: KindName, id: number): Promise<string> =>
  `${kind} ${(await keysOf(tx, kind, [id])).get(id) ?? `#${id}`}`;

export async function freeSlots(tx: Tx, kind: Standing, ids: number[]): Promise<void> {
  if (ids.length > 0) await tx.execute('DELETE FROM rack_slot WHERE kind = ? AND record_id IN (?)', [kind, ids]);
}

export async function occupySlots(tx: Tx, placed: Placed[]): Promise<void> {
  const rows = placed.flatMap(({ kind, id, rack, extent }) =>
    slotsOf(shapeOf(rack), extent).map(({ u, face, half }) => ({
      rack_id: rack.id,
      u,
      face,
      half,
      kind,
      record_id: id,
    })),
  );
  if (rows.length > 0) await tx.insertRows('rack_slot', rows, '');
}

/** Devices as they stand; those without a place are left out. */
export async function placedDevices(tx: Tx, devices: Stored<'device'>[]): Promise<Placed[]> {
  const standing = devices.filter((d) => d.rack !== null && d.positionU !== null);
  const racks = await byIds(
    tx,
    'rack',
    standing.map((d) => d.rack ?? 0),
  );
  const models = await byIds(
    tx,
    'model',
    standing.flatMap((d) => d.model ?? []),
  );
  return standing.flatMap((device): Placed[] => {
    const rack = racks.get(device.rack ?? 0);
    if (!rack) return [];
    const extent = extentOfDevice(device, models.get(device.model ?? 0));
    return [{ kind: 'device', id: device.id, name: `device ${device.key}`, rack, extent }];
  });
}

export async function placedFillers(tx: Tx, fillers: Stored<'filler'>[]): Promise<Placed[]> {
  const racks = await byIds(tx, 'rack', fillers, 'rack');
  return fillers.flatMap((filler): Placed[] => {
    const rack = racks.get(filler.rack);
    return rack
      ? [{ kind: 'filler', id: filler.id, name: `filler ${filler.key}`, rack, extent: extentOfFiller(filler) }]
      : [];
  });
}

/** After a rack or a model got another shape: what stands there takes its room anew, or the change is refused. */
export async function occupyAnew(tx: Tx, where: { racks?: number[]; models?: number[] }): Promise<void> {
  const devices = await find(tx, 'device', where.racks ? { rack_id: where.racks } : { model_id: where.models ?? [] });
  const fillers = where.racks ? await find(tx, 'filler', { rack_id: where.racks }) : [];
  const placed = [...(await placedDevices(tx, devices)), ...(await placedFillers(tx, fillers))];
  for (const { rack, extent, name } of placed) {
    if (fits(shapeOf(rack), extent)) continue;
    const to = extent.positionU + Math.max(1, extent.heightU) - 1;
    throw new Refusal('position-lost', {
      what: name,
      from: extent.positionU,
      to,
      rack: rack.key,
      height: rack.heightU,
    });
  }
  const [hit] = await clashingSlots(tx, placed);
  if (hit) {
    const [{ rack, name }, { u, by }] = hit;
    throw new Refusal('position-clash', { what: name, u, rack: rack.key, by });
  }
  for (const kind of ['device', 'filler'] as const)
    await freeSlots(
      tx,
      kind,
      placed.filter((one) => one.kind === kind).map((one) => one.id),
    );
  await occupySlots(tx, placed);
}

export const occupiedSlots = async (tx: Tx, rack: number): Promise<(Slot & { kind: Standing; id: number })[]> =>
  (await tx.select<SlotRow>(`SELECT ${slots.all} FROM rack_slot WHERE rack_id = ?`, [rack])).map(
    ({ u, face, half, kind, record_id }) => ({
      u,
      face,
      half,
      kind,
      id: Number(record_id),
    }),
  );
