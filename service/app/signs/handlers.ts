/** What answers the calls of this area. */
import type { VerbHandlers } from '../handler.ts';
import { listSigns } from './signs.ts';

export const signHandlers = {
  'sign.list': (tx, { query }) => listSigns(tx, query),
} satisfies Partial<VerbHandlers>;
