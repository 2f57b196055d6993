/** What answers the calls of this area. */
import { listViews, removeView, saveView } from '../views.ts';
import { complete } from './complete.ts';
import { search } from './search.ts';
import type { VerbHandlers } from '../handler.ts';

export const searchHandlers = {
  search: async (tx, { query }) => ({ items: await search(tx, query.q) }),
  'view.list': (tx, { user, query }) => listViews(tx, user, query),
  'view.save': (tx, { user, body }) => saveView(tx, user, body),
  'view.remove': async (tx, { user, params }) => {
    await removeView(tx, user, params.id ?? '');
    return null;
  },
  'where.complete': (tx, { query }) => complete(tx, query),
} satisfies Partial<VerbHandlers>;
