/** An exception is for days to come. */
import type { KindRules } from '../records/draft.ts';
import { dayOf } from '../checks/turns.ts';

export const exceptionRules: KindRules = {
  async prepare(tx, drafts) {
    const today = await dayOf(tx);
    for (const draft of drafts) {
      const until = draft.text('until');
      if (until !== null && draft.changes('until') && until < today) draft.fault('until', 'exception-over', { until });
    }
  },
};
