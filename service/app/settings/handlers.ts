/** What answers the calls of this area. */
import { mustFind } from '../records/refs.ts';
import { explainSettings } from './effective.ts';
import { listValues, putValue, removeValue } from './values.ts';
import { refOf, type VerbHandlers } from '../handler.ts';

export const settingsHandlers = {
  'value.list': (tx, { query }) => listValues(tx, query),
  'value.put': (tx, { body }) => putValue(tx, body),
  'value.remove': (tx, { body }) => removeValue(tx, body),
  'device.settings': async (tx, call) => ({
    items: await explainSettings(tx, await mustFind(tx, 'device', refOf(call))),
  }),
} satisfies Partial<VerbHandlers>;
