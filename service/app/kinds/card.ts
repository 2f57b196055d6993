/** A card sits in a slot that takes it, and brings its ports. */
import { expandSlots, slotAround, slotItself, type Slot } from '@zpine/core/rack/portGroups';
import { mustParse } from '@zpine/core/fault';
import type { Stored } from '@zpine/contract/kinds';
import { asStored, idsOf, type Draft, type KindRules } from '../records/draft.ts';
import { byIds, find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { alignPorts } from '../hardware/align.ts';
import { refuseInUse } from '../hardware/use.ts';

export const cardRules: KindRules = {
  async prepare(tx, drafts) {
    // Cards of one device come one behind the other.
    const devices = await byIds(tx, 'device', idsOf(drafts, 'device'), true);
    const cards = await find(tx, 'card', { device_id: [...devices.keys()] });
    const models = await byIds(tx, 'model', [
      ...idsOf(drafts, 'model'),
      ...cards.map((card) => card.model),
      ...[...devices.values()].flatMap((d) => d.model ?? []),
    ]);
    const at = (device: number, slot: string) => `${device} ${slot.toLowerCase()}`;
    const modelAt = new Map(cards.map((card) => [at(card.device, card.slot), card.model]));
    for (const draft of drafts)
      modelAt.set(at(draft.id('device') ?? 0, draft.text('slot') ?? ''), draft.id('model') ?? 0);
    for (const draft of drafts) {
      const device = devices.get(draft.id('device') ?? 0);
      const model = models.get(draft.id('model') ?? 0);
      const slot = draft.text('slot');
      if (!device || !model || slot === null) continue;
      if (model.fits === null) {
        draft.fault('model', 'model-no-card', { model: model.key });
        continue;
      }
      const around = slotAround(slot);
      const holder = models.get(around === null ? (device.model ?? 0) : (modelAt.get(at(device.id, around)) ?? 0));
      if (around !== null && !holder) draft.fault('slot', 'slot-without-card', { device: device.key, around, slot });
      else checkSlot(draft, device, model, holder, slot);
    }
  },

  async added(tx, records) {
    const cards = records.map((record) => asStored('card', record));
    const all = await find(tx, 'card', { device_id: cards.map((card) => card.device) });
    for (const card of cards) {
      const around = slotAround(card.slot)?.toLowerCase();
      const inside = all.find((one) => one.device === card.device && one.slot.toLowerCase() === around);
      if (inside) await tx.execute('UPDATE card SET inside_id = ? WHERE id = ?', [inside.id, card.id]);
    }
    await alignDevicesOf(tx, cards);
  },

  async edited(tx, pairs) {
    const other = pairs
      .filter(({ before, after }) => before.model !== after.model)
      .map(({ after }) => asStored('card', after));
    await alignDevicesOf(tx, other);
  },

  async mayGo(tx, records) {
    const all = await find(tx, 'card', { device_id: records.map((record) => asStored('card', record).device) });
    for (const record of records) {
      const card = asStored('card', record);
      const within = all.filter((one) => one.device === card.device && isWithin(one.slot, card.slot));
      const ports = await find(tx, 'port', { card_id: within.map((one) => one.id) });
      await refuseInUse(
        tx,
        ports.map((port) => port.id),
        `card ${card.key}`,
      );
    }
  },
};

const isWithin = (slot: string, around: string): boolean =>
  slot.toLowerCase() === around.toLowerCase() || slot.toLowerCase().startsWith(`${around.toLowerCase()}/`);

function checkSlot(
  draft: Draft,
  device: Stored<'device'>,
  model: Stored<'model'>,
  holder: Stored<'model'> | undefined,
  slot: string,
): void {
  const slots: Slot[] = mustParse(expandSlots(holder?.slots ?? []));
  const itself = slotItself(slot);
  const found = slots.find(({ name }) => name.toLowerCase() === itself.toLowerCase());
  if (!found) {
    const known = slots.length === 0 ? 'none' : slots.map(({ name }) => name).join(', ');
    const of = holder ? `${device.key} (${holder.key})` : device.key;
    draft.fault('slot', 'slot-unknown', { of, slot, known });
  } else if (found.takes !== model.fits) {
    const params = { slot, device: device.key, takes: found.takes, model: model.key, fits: model.fits ?? '' };
    draft.fault('model', 'card-unfit', params);
  }
}

async function alignDevicesOf(tx: Tx, cards: Stored<'card'>[]): Promise<void> {
  if (tx.takingBack || cards.length === 0) return;
  const devices = await byIds(tx, 'device', cards, 'device');
  await alignPorts(tx, [...devices.values()]);
}
