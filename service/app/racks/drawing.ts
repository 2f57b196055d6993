/** What a drawing of a rack shows: everything that stands in it, and what is free. */
import { freeStretches } from '@zpine/core/rack/occupancy';
import type { ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, find, present } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { mustFind } from '../records/refs.ts';
import { placedDevices, placedFillers, shapeOf, occupiedSlots } from './slots.ts';

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
  const taken = await occupiedSlots(tx, rack.id);
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
    ...(await budgets(tx, rack, devices)),
    ...besides(devices, await modelsOf(tx, devices)),
  };
}

const modelsOf = (tx: Tx, devices: Stored<'device'>[]): Promise<Map<number, Stored<'model'>>> =>
  byIds(
    tx,
    'model',
    devices.flatMap((device) => device.model ?? []),
  );

/** What stands in no U: strips that need none, and what still wants one. */
function besides(
  devices: Stored<'device'>[],
  models: Map<number, Stored<'model'>>,
): Pick<ReplyOf<'rack.drawing'>, 'strips' | 'unplaced'> {
  const without = devices.filter((device) => device.positionU === null);
  const needsNone = (device: Stored<'device'>) => models.get(device.model ?? 0)?.heightU === 0;
  return {
    strips: without.filter(needsNone).map((device) => device.key),
    unplaced: without.filter((device) => !needsNone(device)).map((device) => device.key),
  };
}

/** What is drawn and what weighs, by the models of devices and their cards, against what the rack gives and bears. */
async function budgets(
  tx: Tx,
  rack: Stored<'rack'>,
  devices: Stored<'device'>[],
): Promise<Pick<ReplyOf<'rack.drawing'>, 'power' | 'weight'>> {
  const cards = await find(tx, 'card', { device_id: devices.map((device) => device.id) });
  const all = [...devices.map((device) => device.model), ...cards.map((card) => card.model)];
  const models = await byIds(
    tx,
    'model',
    all.flatMap((id) => id ?? []),
  );
  const sum = (field: 'powerWatts' | 'weightGrams'): { used: number; unknown: number } => {
    const values = all.map((id) => models.get(id ?? 0)?.[field] ?? null);
    const known = values.filter((value) => value !== null);
    return { used: known.reduce((total, value) => total + value, 0), unknown: values.length - known.length };
  };
  return {
    power: { ...sum('powerWatts'), most: rack.powerWatts },
    weight: { ...sum('weightGrams'), most: rack.loadGrams },
  };
}
