import { namesSlot, portsText, type PortGroup } from '@zpine/core/rack/portGroups';
import type { KindRules } from '../records/draft.ts';
import { find } from '../../store/records.ts';
import { occupyAnew } from '../racks/slots.ts';

/** A model that turns out larger than it was said needs the room wherever it stands. */
export const modelRules: KindRules = {
  async prepare(tx, drafts) {
    for (const draft of drafts) {
      const ports = (draft.after.ports ?? []) as PortGroup[];
      if (draft.after.fits === null && namesSlot(ports))
        draft.fault('ports', 'slot-sign', { value: portsText(ports.filter((group) => namesSlot([group]))) });
      if (!draft.before || !draft.changes('fits')) continue;
      const model = draft.before.key;
      const [card] = await find(tx, 'card', { model_id: draft.before.id }, { limit: 1 });
      if (card) draft.fault('fits', 'card-form-lost', { model, card: card.key });
      const [device] = await find(tx, 'device', { model_id: draft.before.id }, { limit: 1 });
      if (device && draft.after.fits !== null) draft.fault('fits', 'model-is-card', { model });
    }
  },

  async edited(tx, pairs) {
    const reshaped = pairs.filter(({ before, after }) =>
      (['heightU', 'depth', 'width'] as const).some((field) => before[field] !== after[field]),
    );
    if (reshaped.length > 0) await occupyAnew(tx, { models: reshaped.map(({ after }) => after.id) });
  },
};
