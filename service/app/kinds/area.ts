import type { KindRules } from '../records/draft.ts';

/** An area must not end up inside itself. */
export const areaRules: KindRules = {
  async prepare(tx, drafts) {
    for (const draft of drafts) {
      const self = draft.before?.id;
      if (self === undefined || !draft.changes('parent')) continue;
      // The tree is locked from here up, so that two moves cannot close a ring together.
      for (let up = draft.id('parent'); up !== null;) {
        if (up === self) {
          draft.fault('parent', 'circle', { key: draft.before?.key ?? '' });
          break;
        }
        const row: { parent_id: number | null } | undefined = await tx.one(
          'SELECT parent_id FROM area WHERE id = ? FOR UPDATE',
          [up],
        );
        up = row?.parent_id ?? null;
      }
    }
  },
};
