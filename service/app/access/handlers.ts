/** What answers the calls of this area. */
import { accessOf, endSessions, listSessions, revoke } from './sessions.ts';
import { addToken, listTokens, removeToken } from './tokens.ts';
import { addUser, changePassword, editUser, listUsers } from './users.ts';
import type { VerbHandlers } from '../handler.ts';

export const accessHandlers = {
  'session.password': async (tx, { user, body }) => {
    await changePassword(tx, user, body);
    return null;
  },
  'session.list': (tx, { user }) => listSessions(tx, user, user.session),
  'session.end': (tx, { user, body }) => endSessions(tx, user, body.session),
  'user.access': (tx, { params }) => accessOf(tx, params.name ?? ''),
  'user.revoke': (tx, { params, user, body }) => revoke(tx, user, params.name ?? '', body),
  'token.list': (tx, { user }) => listTokens(tx, user),
  'token.add': (tx, { user, body }) => addToken(tx, user, body),
  'token.remove': async (tx, { user, params }) => {
    await removeToken(tx, user, params.id ?? '');
    return null;
  },
  'user.list': (tx) => listUsers(tx),
  'user.add': (tx, { body }) => addUser(tx, body),
  'user.edit': (tx, { params, body }) => editUser(tx, params.name ?? '', body),
} satisfies Partial<VerbHandlers>;
