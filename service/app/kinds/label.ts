import { Refusal } from '@zpine/contract/errors';
import { asStored, type KindRules } from '../records/draft.ts';
import { refuseDisagreeing } from '../settings/labels.ts';

/** A label's rank decides between labels that disagree; a label that speaks for devices stays. */
export const labelRules: KindRules = {
  async edited(tx, pairs) {
    for (const { before, after } of pairs)
      if (before.rank !== after.rank) await refuseDisagreeing(tx, asStored('label', after).name);
  },
  async removing(tx, records) {
    for (const record of records) {
      const valued = await tx.one(
        "SELECT 1 AS one FROM setting_value WHERE layer_kind = 'label' AND layer_id = ? LIMIT 1",
        [record.id],
      );
      if (!valued) continue;
      const used = await tx.one<{ count: number }>(
        "SELECT COUNT(*) AS count FROM search_term WHERE term = ? AND kind = 'device' AND field = 'labels'",
        [record.key],
      );
      if (Number(used?.count) > 0) throw new Refusal('label-used', { key: record.key, count: Number(used?.count) });
    }
  },
};
