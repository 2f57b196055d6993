/** What fills U of a rack without being a device: it stands in nobody's way. */
import { fits } from '@zpine/core/rack/occupancy';
import { asStored, idsOf, type KindRules } from '../records/draft.ts';
import { byIds } from '../../store/records.ts';
import {
  extentOfFiller,
  freeSlots,
  clashingSlots,
  placedFillers,
  shapeOf,
  occupySlots,
  type Placed,
} from '../racks/slots.ts';

export const fillerRules: KindRules = {
  async prepare(tx, drafts) {
    const racks = await byIds(tx, 'rack', idsOf(drafts, 'rack'));
    const wanted = new Map<Placed, (typeof drafts)[number]>();
    for (const draft of drafts) {
      const rack = racks.get(draft.id('rack') ?? 0);
      if (!rack) continue;
      const extent = extentOfFiller({
        positionU: Number(draft.after.positionU),
        heightU: Number(draft.after.heightU),
        face: String(draft.after.face),
        depth: String(draft.after.depth),
      });
      if (!fits(shapeOf(rack), extent)) {
        const to = extent.positionU + extent.heightU - 1;
        draft.fault('positionU', 'position-outside', {
          from: extent.positionU,
          to,
          rack: rack.key,
          height: rack.heightU,
        });
        continue;
      }
      const words = String(draft.after.description ?? draft.after.form);
      wanted.set({ kind: 'filler', id: draft.before?.id ?? 0, name: `filler ${words}`, rack, extent }, draft);
    }
    for (const [placed, { u, by }] of await clashingSlots(tx, [...wanted.keys()]))
      wanted.get(placed)?.fault('positionU', 'position-taken', { u, rack: placed.rack.key, by });
  },
  async added(tx, records) {
    await occupySlots(
      tx,
      await placedFillers(
        tx,
        records.map((record) => asStored('filler', record)),
      ),
    );
  },
  async edited(tx, pairs) {
    await freeSlots(
      tx,
      'filler',
      pairs.map(({ after }) => after.id),
    );
    await occupySlots(
      tx,
      await placedFillers(
        tx,
        pairs.map(({ after }) => asStored('filler', after)),
      ),
    );
  },
  async removed(tx, records) {
    await freeSlots(
      tx,
      'filler',
      records.map((record) => record.id),
    );
  },
};
