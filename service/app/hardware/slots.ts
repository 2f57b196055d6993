/** What is in the slots of a device: as it was declared, and as somebody or the device itself reported it. */
import { expandSlots, slotAround, slotItself } from '@zpine/core/rack/portGroups';
import { mustParse } from '@zpine/core/fault';
import type { ShownSlot } from '@zpine/contract/hardwareRoutes';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { keysOf, find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { mustActAt } from '../access/sites.ts';
import type { User } from '../access/who.ts';
import { add } from '../records/add.ts';
import { mustFind } from '../records/refs.ts';
import { differences } from './align.ts';
import { presentDifference } from './differing.ts';
import type { Hardware } from './sockets.ts';

interface FoundRow {
  slot: string;
  model: string | null;
  serial: string | null;
  via: string;
  at: Date;
}

const same = (one: string, other: string): boolean => one.toLowerCase() === other.toLowerCase();

/** A model as a device reports it, such as `C4-24T`, and as records have it: `larkfield/c4-24t`. */
const isModel = (reported: string, key: string): boolean =>
  same(reported, key) || same(reported, key.slice(key.lastIndexOf('/') + 1));

export async function hardware(tx: Tx, ref: string): Promise<ReplyOf<'device.hardware'>> {
  return hardwareOfDevice(tx, await mustFind(tx, 'device', ref));
}

async function hardwareOfDevice(tx: Tx, device: Stored<'device'>): Promise<ReplyOf<'device.hardware'>> {
  const [difference] = await differences(tx, [device]);
  if (!difference) throw new Error('a device has its hardware');
  const found = await tx.select<FoundRow>(
    'SELECT slot, model, serial, via, at FROM found_card WHERE device_id = ? ORDER BY slot',
    [device.id],
  );
  const slots = await slotsOf(tx, difference.hardware, found);
  return {
    device: device.key,
    model: difference.hardware.model?.key ?? null,
    slots,
    differs: presentDifference(difference),
  };
}

/** Slots in the order of their places: those of a card behind the slot that it is in. */
async function slotsOf(tx: Tx, hw: Hardware, found: FoundRow[]): Promise<ShownSlot[]> {
  const models = await keysOf(
    tx,
    'model',
    hw.cards.map(({ card }) => card.model),
  );
  const out: ShownSlot[] = [];
  const put = (names: { name: string; takes: string | null }[], around: string | null, depth: number): void => {
    for (const { name, takes } of names) {
      const slot = around === null ? name : `${around}/${name}`;
      const held = hw.cards.find(({ card }) => same(card.slot, slot));
      const report = found.find((row) => same(row.slot, slot));
      const declared = held
        ? {
            key: held.card.key,
            model: models.get(held.card.model) ?? '',
            serial: held.card.serial,
            ports: hw.sockets.filter((socket) => socket.card?.id === held.card.id).length,
          }
        : null;
      const shown = report && {
        model: report.model,
        serial: report.serial,
        via: report.via,
        at: report.at.toISOString(),
      };
      out.push({ slot, takes, depth, declared, found: shown ?? null, ...stateOf(declared, report, found.length > 0) });
      put(mustParse(expandSlots(held?.model?.slots ?? [])), slot, depth + 1);
    }
  };
  put(mustParse(expandSlots(hw.model?.slots ?? [])), null, 0);
  // What was reported from where no slot is known.
  const unknown = found.filter((row) => !out.some((one) => same(one.slot, row.slot)));
  for (const row of unknown) {
    const depth = slotAround(row.slot) === null ? 0 : 1;
    const shown = { model: row.model, serial: row.serial, via: row.via, at: row.at.toISOString() };
    out.push({ slot: row.slot, takes: null, depth, declared: null, found: shown, ...stateOf(null, row, true) });
  }
  return out;
}

function stateOf(
  declared: ShownSlot['declared'],
  found: FoundRow | undefined,
  looked: boolean,
): Pick<ShownSlot, 'state' | 'words'> {
  if (!declared && !found) return { state: 'empty', words: 'empty' };
  if (!declared) return { state: 'undeclared', words: `found ${found?.model ?? 'a card'}, and nothing is declared` };
  if (!found) {
    return looked
      ? { state: 'missing', words: `declared ${declared.model}, and nothing was found` }
      : { state: 'unseen', words: 'declared; nobody has looked yet' };
  }
  if (found.model !== null && !isModel(found.model, declared.model))
    return { state: 'differs', words: `declared ${declared.model}, found ${found.model}` };
  if (declared.serial !== null && found.serial !== null && !same(declared.serial, found.serial))
    return { state: 'differs', words: `declared serial ${declared.serial}, found ${found.serial}` };
  return { state: 'same', words: 'found as declared' };
}

/** In words: declared cards that are not in their slots, by what was found in all of them. */
export async function wrongCards(tx: Tx, id: number, cards: readonly FoundCard[]): Promise<string[]> {
  const declared = await find(tx, 'card', { device_id: id }, { order: ['sort_key'] });
  const models = await keysOf(
    tx,
    'model',
    declared.map(({ model }) => model),
  );
  return declared.flatMap(({ slot, model }) => {
    const wanted = models.get(model) ?? '';
    const found = cards.find((one) => same(one.slot, slot));
    if (found && (found.model === undefined || isModel(found.model, wanted))) return [];
    return [`slot ${slot}: declared ${wanted}, ${found ? `found ${found.model ?? ''}` : 'nothing is in it'}`];
  });
}

export interface FoundCard {
  slot: string;
  model?: string | undefined;
  serial?: string | undefined;
}

/** Notes what is in the slots of a device, in the place of what was noted before. Evidence: it leaves no history. */
export async function saveFound(tx: Tx, device: number, cards: FoundCard[], via: 'entered' | 'arrival'): Promise<void> {
  await tx.execute('DELETE FROM found_card WHERE device_id = ?', [device]);
  const at = await tx.now();
  const rows = [...new Map(cards.map((card) => [card.slot.toLowerCase(), card])).values()].map((card) => ({
    device_id: device,
    slot: card.slot,
    model: card.model ?? null,
    serial: card.serial ?? null,
    via,
    at,
  }));
  if (rows.length > 0) await tx.insertRows('found_card', rows, '');
  tx.hint('device', device, null);
}

export async function enterFound(
  tx: Tx,
  ref: string,
  body: BodyOf<'device.found'>,
  user: User,
): Promise<ReplyOf<'device.hardware'>> {
  const device = await mustFind(tx, 'device', ref, true);
  await mustActAt(tx, user, device);
  await saveFound(tx, device.id, body.cards, 'entered');
  return hardwareOfDevice(tx, device);
}

/** Cards that were found and are not declared become declared, outer ones first; those of unknown models are left. */
export async function declareFound(tx: Tx, ref: string): Promise<ReplyOf<'device.hardware'>> {
  const device = await mustFind(tx, 'device', ref, true);
  const cardModels = (await tx.select<{ id: number; natural_key: string }>(
    'SELECT id, natural_key FROM model WHERE fits IS NOT NULL',
  )) as { id: number; natural_key: string }[];
  const { slots } = await hardwareOfDevice(tx, device);
  const undeclared = slots
    .filter((slot) => slot.state === 'undeclared')
    .sort(
      (a, b) =>
        a.slot.split('/').length - b.slot.split('/').length || slotItself(a.slot).localeCompare(slotItself(b.slot)),
    );
  for (const { slot, found } of undeclared) {
    const models = cardModels.filter(({ natural_key: key }) => found?.model && isModel(found.model, key));
    const [model] = models;
    if (!model || models.length > 1) continue;
    await add(tx, 'card', [
      { device: `#${device.id}`, slot, model: `#${model.id}`, ...(found?.serial ? { serial: found.serial } : {}) },
    ]);
  }
  return hardwareOfDevice(tx, device);
}
