/** What answers the calls of this area. */
import { history } from './list.ts';
import { listRemoved, restore } from './removed.ts';
import { undo } from './undo.ts';
import { refOf, type VerbHandlers } from '../handler.ts';

export const historyHandlers = {
  'history.list': (tx, { query, user }) => history(tx, query, user.role),
  'history.undo': (tx, { params, body }) => undo(tx, params.id ?? '', body.apply),
  'removed.list': (tx, { query }) => listRemoved(tx, query),
  'removed.restore': (tx, call) => restore(tx, call.params.kind ?? '', refOf(call)),
} satisfies Partial<VerbHandlers>;
