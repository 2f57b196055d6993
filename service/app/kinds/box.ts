import { Refusal } from '@zpine/contract/errors';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { idsOf, type KindRules } from '../records/draft.ts';

/** A box is fitted as a device exactly when its condition says so; a device has at most one box. */
export const boxRules: KindRules = {
  async prepare(tx, drafts) {
    const moving = drafts.filter((draft) => draft.changes('device'));
    const devices = await byIds(tx, 'device', idsOf(moving, 'device'));
    const holders = new Map((await boxesIn(tx, [...devices.keys()])).map((box) => [Number(box.device_id), box]));
    for (const draft of drafts) {
      const device = draft.id('device');
      if ((draft.after.serial ?? null) === null && (draft.after.mac ?? null) === null)
        draft.fault('serial', 'box-nameless', {});
      if (device !== null && !draft.given.has('condition') && draft.changes('device')) draft.after.condition = 'fitted';
      if (device === null && draft.before?.device && !draft.given.has('condition')) draft.after.condition = 'stock';
      const condition = String(draft.after.condition);
      if (device !== null && (condition === 'stock' || condition === 'retired'))
        draft.fault('condition', 'box-condition', { condition });
      if (device === null || !draft.changes('device')) continue;
      const fitted = devices.get(device);
      if (!fitted) throw new Refusal('not-found', { kind: 'device', ref: `#${device}` });
      if (fitted.virtual) draft.fault('device', 'virtual-place', { device: fitted.key, what: 'box' });
      const holder = holders.get(device);
      if (holder && Number(holder.id) !== draft.before?.id)
        draft.fault('device', 'taken', { value: fitted.key, by: `box ${holder.natural_key}` });
    }
  },
};

const boxesIn = async (tx: Tx, devices: number[]): Promise<{ id: number; natural_key: string; device_id: number }[]> =>
  devices.length === 0 ? [] : tx.select('SELECT id, natural_key, device_id FROM box WHERE device_id IN (?)', [devices]);
