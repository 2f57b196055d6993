import { type KindRules } from '../records/draft.ts';
import { takeAnew } from '../racks/slots.ts';

/** A model that turns out larger than it was said needs the room wherever it stands. */
export const modelRules: KindRules = {
  async edited(tx, pairs) {
    const reshaped = pairs.filter(({ before, after }) =>
      (['heightU', 'depth', 'width'] as const).some((field) => before[field] !== after[field]),
    );
    if (reshaped.length > 0) await takeAnew(tx, { models: reshaped.map(({ after }) => after.id) });
  },
};
