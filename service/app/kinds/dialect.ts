/** The sheet of a dialect can be read, each fault with its line and column. */
import { readSheet } from '../../store/dialects.ts';
import type { KindRules } from '../records/draft.ts';

export const dialectRules: KindRules = {
  prepare(_tx, drafts) {
    for (const draft of drafts) {
      const sheet = draft.text('sheet');
      if (sheet === null || sheet === undefined) continue;
      for (const { line, column, place, message } of readSheet(sheet).faults.slice(0, 20))
        draft.fault('sheet', 'sheet-faulty', { line, column, place, message });
    }
    return Promise.resolve();
  },
};
