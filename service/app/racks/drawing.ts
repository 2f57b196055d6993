/** What a drawing of a rack shows: everything that stands in it, and what is free. */
import { freeStretches } from '@zpine/core/rack/occupancy';
import { type ReplyOf } from '@zpine/contract/routes';
import { find, present } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { mustFind } from '../records/refs.ts';
import { placedDevices, placedFillers, shapeOf, takenSlots } from './slots.ts';

export async function drawing(tx: Tx, ref: string): Promise<ReplyOf<'rack.drawing'>> {
  const rack = await mustFind(tx, 'rack', ref);
  const devices = await find(tx, 'device', { rack_id: rack.id }, { order: ['sort_key'] });
  const fillers = await find(tx, 'filler', { rack_id: rack.id });
  const shown = new Map((await present(tx, 'device', devices)).map((record) => [Number(record.id), record]));
  const text = (value: unknown): string | null => (typeof value === 'string' ? value : null);
  const items: ReplyOf<'rack.drawing'>['items'] = [];
  for (const { id, extent } of await placedDevices(tx, devices)) {
    const device = shown.get(id);
    if (!device) continue;
    const { stage, duty, owner, model } = device;
    items.push({
      kind: 'device',
      key: String(device.key),
      words: String(device.key),
      ...extent,
      stage: text(stage),
      duty: text(duty),
      owner: text(owner),
      model: text(model),
      form: null,
    });
  }
  const byId = new Map(fillers.map((filler) => [filler.id, filler]));
  for (const { id, extent } of await placedFillers(tx, fillers)) {
    const filler = byId.get(id);
    if (!filler) continue;
    const words = filler.description ?? '';
    const none = { stage: null, duty: null, owner: null, model: null };
    items.push({ kind: 'filler', key: filler.key, words, ...extent, ...none, form: filler.form });
  }
  const taken = await takenSlots(tx, rack.id);
  const free = freeStretches(shapeOf(rack), taken);
  const freeU = free.reduce((sum, { from, to }) => sum + to - from + 1, 0);
  const reservedU = fillers.filter((f) => f.form === 'reserved').reduce((sum, f) => sum + f.heightU, 0);
  return {
    rack: rack.key,
    ...shapeOf(rack),
    items: items.sort((a, b) => b.positionU - a.positionU),
    free,
    freeU,
    reservedU,
    unplaced: devices.filter((device) => device.positionU === null).map((device) => device.key),
  };
}
