/** The steps of a site plan can be read, each fault with its place. */
import { readRecipe } from '@zpine/core/addressing/recipe';
import type { ErrorCode } from '@zpine/contract/errors';
import type { KindRules } from '../records/draft.ts';

export const siteplanRules: KindRules = {
  prepare(_tx, drafts) {
    for (const draft of drafts)
      for (const { path, code, params } of readRecipe(draft.after.steps).faults)
        draft.fault(['steps', ...path], code as ErrorCode, params);
    return Promise.resolve();
  },
};
