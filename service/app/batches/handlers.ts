/** What answers the calls of this area. */
import { mustActAt, mustNotServe } from '../access/sites.ts';
import { presentArrivals } from '../arrivals/list.ts';
import { beginAnew } from '../arrivals/window.ts';
import { onlyOne, refOf, type VerbHandlers } from '../handler.ts';
import { mustFind } from '../records/refs.ts';
import { boardOf } from './board.ts';
import { prepareMany } from './prepare.ts';
import { formOf, takeTable } from './table.ts';
import { closeBatch, openBatch, turnOf } from './window.ts';

export const batchHandlers = {
  'batch.board': async (tx, call) => boardOf(tx, await mustFind(tx, 'batch', refOf(call)), call.query.now === 'true'),
  'batch.open': (tx, call) => openBatch(tx, refOf(call), call.body),
  'batch.close': (tx, call) => closeBatch(tx, refOf(call)),
  'batch.turn': async (tx, call) => {
    for (const key of call.body.devices) await mustActAt(tx, call.user, await mustFind(tx, 'device', key));
    return turnOf(tx, refOf(call), call.body);
  },
  'batch.table': (tx, call) => takeTable(tx, refOf(call), call.body),
  'batch.form': (tx, call) => formOf(tx, refOf(call)),
  'device.prepareMany': (tx, { body }) => prepareMany(tx, body),
  'arrival.anew': async (tx, call) => {
    const device = await mustFind(tx, 'device', refOf(call), true);
    await mustActAt(tx, call.user, device);
    await mustNotServe(tx, call.user, device);
    return onlyOne(await presentArrivals(tx, [await beginAnew(tx, device)]));
  },
} satisfies Partial<VerbHandlers>;
