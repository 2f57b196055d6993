import { type KindRules } from '../records/draft.ts';
import { byId, keyOf } from '../../store/records.ts';

/** A box is fitted as a device exactly when its condition says so; a device has at most one box. */
export const boxRules: KindRules = {
  async prepare(tx, drafts) {
    for (const draft of drafts) {
      const device = draft.id('device');
      if (device !== null && !draft.given.has('condition') && draft.changes('device')) draft.after.condition = 'fitted';
      if (device === null && draft.before?.device && !draft.given.has('condition')) draft.after.condition = 'stock';
      const condition = String(draft.after.condition);
      if (device !== null && (condition === 'stock' || condition === 'retired'))
        draft.fault('condition', 'box-condition', { condition });
      if (device === null || !draft.changes('device')) continue;
      const fitted = await byId(tx, 'device', device);
      if (fitted.virtual) draft.fault('device', 'virtual-place', { device: fitted.key, what: 'box' });
      const holder = await tx.one<{ id: number; natural_key: string }>(
        'SELECT id, natural_key FROM box WHERE device_id = ?',
        [device],
      );
      if (holder && holder.id !== draft.before?.id) {
        const value = (await keyOf(tx, 'device', device)) ?? '';
        draft.fault('device', 'taken', { value, by: `box ${holder.natural_key}` });
      }
    }
  },
};
