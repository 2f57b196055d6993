/** What answers the calls of this area. */
import { assignManagement } from '../addressing/management.ts';
import { overview } from '../device.ts';
import { declare } from './declare.ts';
import { fit, forgetHostKey } from './fit.ts';
import { nextName } from './nextName.ts';
import { retire, stageByHand } from './retire.ts';
import { refOf, presentOne, type VerbHandlers } from '../handler.ts';

export const devicesHandlers = {
  'device.overview': (tx, call) => overview(tx, refOf(call)),
  'device.nextName': (tx, { query }) => nextName(tx, query),
  'device.retire': (tx, call) => retire(tx, refOf(call), call.body),
  'device.stage': async (tx, call) => presentOne(tx, 'device', await stageByHand(tx, refOf(call), call.body.stage)),
  'device.assignManagement': (tx, call) => assignManagement(tx, refOf(call), call.body),
  'device.declare': (tx, { body }) => declare(tx, body),
  'device.fit': async (tx, call) => presentOne(tx, 'box', await fit(tx, refOf(call), call.body)),
  'device.forgetHostKey': async (tx, call) => {
    await forgetHostKey(tx, refOf(call));
    return null;
  },
} satisfies Partial<VerbHandlers>;
