import { Refusal } from '@zpine/contract/errors';
import { DEFAULT_VRF, defaultVrf } from '@zpine/contract/kinds/addressing';
import type { KindRules } from '../records/draft.ts';

/** The default VRF stays, and keeps its name: keys are written without it. */
export const vrfRules: KindRules = {
  prepare(_tx, drafts) {
    for (const draft of drafts) {
      if (draft.before?.id === DEFAULT_VRF && draft.changes('name'))
        draft.fault('name', 'default-kept', { vrf: defaultVrf });
    }
    return Promise.resolve();
  },
  removing(_tx, records) {
    if (records.some((r) => r.id === DEFAULT_VRF)) throw new Refusal('default-kept', { vrf: defaultVrf });
    return Promise.resolve();
  },
};
