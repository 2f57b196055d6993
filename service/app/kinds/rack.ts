import type { KindRules } from '../records/draft.ts';
import { occupyAnew } from '../racks/slots.ts';

/** A rack that gets another shape must hold what stands in it. */
export const rackRules: KindRules = {
  async edited(tx, pairs) {
    const reshaped = pairs.filter(
      ({ before, after }) => before.heightU !== after.heightU || before.numbering !== after.numbering,
    );
    if (reshaped.length > 0) await occupyAnew(tx, { racks: reshaped.map(({ after }) => after.id) });
  },
};
