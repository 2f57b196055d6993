/** A fragment matches no devices: it is inserted by name. */
import { withTodaysDirectives } from '@zpine/core/template/former';
import type { KindRules } from '../records/draft.ts';

export const templateRules: KindRules = {
  recall: (image) =>
    typeof image.source === 'string' ? { ...image, source: withTodaysDirectives(image.source) } : image,

  prepare(_tx, drafts) {
    for (const draft of drafts) {
      if (draft.after.fragment !== true) continue;
      for (const field of ['dialect', 'model', 'duty']) {
        if (draft.id(field) !== null) draft.fault(field, 'template-fragment', { template: draft.text('name') ?? '' });
      }
    }
    return Promise.resolve();
  },
};
