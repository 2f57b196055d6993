/** What answers the calls of this area. */
import type { VerbHandlers } from '../handler.ts';
import { listTerminals, showTerminal } from './terminals.ts';

export const terminalHandlers = {
  'terminal.list': (tx, { query }) => listTerminals(tx, query),
  'terminal.show': (tx, { params }) => showTerminal(tx, params.id ?? ''),
} satisfies Partial<VerbHandlers>;
