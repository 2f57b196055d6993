/** Only shared addresses are carried by several, all of them in one VRF. */
import { type Draft, idsOf, type KindRules } from '../records/draft.ts';
import { byIds, keyOf } from '../../store/records.ts';

export const carrierRules: KindRules = {
  async prepare(tx, drafts: Draft[]) {
    const addresses = await byIds(tx, 'address', idsOf(drafts, 'address'));
    const interfaces = await byIds(tx, 'interface', idsOf(drafts, 'interface'));
    for (const draft of drafts) {
      const address = addresses.get(draft.id('address') ?? 0);
      const on = interfaces.get(draft.id('interface') ?? 0);
      if (!address || !on) continue;
      if (!address.shared) draft.fault('address', 'shared-not', { address: address.key });
      if (address.vrf === on.vrf) continue;
      const [one, other] = [await keyOf(tx, 'vrf', on.vrf), await keyOf(tx, 'vrf', address.vrf)];
      draft.fault('interface', 'vrf-differs', { one: one ?? '', other: other ?? '' });
    }
  },
};
