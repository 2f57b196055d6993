/** Which use case answers which route: area by area, and the same for every kind. The types hold it together with the routes. */
import { bulkBodySchema, cloneBodySchema, removeManyBodySchema } from '@zpine/contract/bulkRoutes';
import { Refusal } from '@zpine/contract/errors';
import { faultsOf as faultsIn } from '@zpine/contract/faults';
import { MOST_ADDED } from '@zpine/contract/kindRoutes';
import { kindNames, type KindName } from '@zpine/contract/kinds';
import type { RouteId } from '@zpine/contract/routes';
import type { z } from 'zod';
import { present } from '../store/records.ts';
import { add } from './records/add.ts';
import { clone } from './records/clone.ts';
import { editOne } from './records/edit.ts';
import { editMany } from './records/editMany.ts';
import { list, type ListInput } from './records/list.ts';
import { removal, removeMany } from './records/removal.ts';
import { removeOne } from './records/remove.ts';
import { show } from './records/show.ts';
import type { Store } from '../store/store.ts';
import type { Tx } from '../store/tx.ts';
import { importUploaded } from './imports/background.ts';
import { accessHandlers } from './access/handlers.ts';
import { addressingHandlers } from './addressing/handlers.ts';
import { arrivalsHandlers } from './arrivals/handlers.ts';
import { checksHandlers } from './checks/handlers.ts';
import { routineHandlers } from './routines/handlers.ts';
import { leaseHandlers } from './boot/handlers.ts';
import { sweepHandlers } from './sweeps/handlers.ts';
import { terminalHandlers } from './terminals/handlers.ts';
import { mattersHandlers } from './matters/handlers.ts';
import { devicesHandlers } from './devices/handlers.ts';
import { editionsHandlers } from './editions/handlers.ts';
import { fleetHandlers } from './fleet/handlers.ts';
import { hardwareHandlers } from './hardware/handlers.ts';
import { historyHandlers } from './history/handlers.ts';
import { batchHandlers } from './batches/handlers.ts';
import { jobHandlers } from './onSite/handlers.ts';
import { swapHandlers } from './swaps/handlers.ts';
import { imageHandlers } from './images/handlers.ts';
import { signHandlers } from './signs/handlers.ts';
import { importsHandlers } from './imports/handlers.ts';
import { racksHandlers } from './racks/handlers.ts';
import { searchHandlers } from './search/handlers.ts';
import { settingsHandlers } from './settings/handlers.ts';
import { presentOne, refOf, type Call, type Handler, type OwnRoutes, type VerbHandlers } from './handler.ts';

const verbs: VerbHandlers = {
  ...accessHandlers,
  ...addressingHandlers,
  ...arrivalsHandlers,
  ...checksHandlers,
  ...routineHandlers,
  ...leaseHandlers,
  ...sweepHandlers,
  ...terminalHandlers,
  ...mattersHandlers,
  ...devicesHandlers,
  ...editionsHandlers,
  ...fleetHandlers,
  ...hardwareHandlers,
  ...historyHandlers,
  ...imageHandlers,
  ...swapHandlers,
  ...jobHandlers,
  ...batchHandlers,
  ...signHandlers,
  ...importsHandlers,
  ...racksHandlers,
  ...searchHandlers,
  ...settingsHandlers,
};

const ofKind = (kind: KindName): Record<string, Handler> => ({
  [`${kind}.list`]: (tx, call: Call<ListInput>) => list(tx, kind, call.query),
  [`${kind}.show`]: (tx, call: Call) => show(tx, kind, refOf(call)),
  [`${kind}.add`]: async (tx, { body }: Call) => {
    const several = Array.isArray(body);
    // Before anything is worked out of them.
    if (several && body.length > MOST_ADDED) throw new Refusal('bulk-many', { max: MOST_ADDED });
    const records = await present(tx, kind, await add(tx, kind, several ? body : [body], (i) => (several ? [i] : [])));
    return several ? records : records[0];
  },
  [`${kind}.edit`]: async (tx, call: Call) =>
    presentOne(tx, kind, await editOne(tx, kind, refOf(call), call.body, call.version)),
  [`${kind}.remove`]: async (tx, call: Call) => {
    await removeOne(tx, kind, refOf(call), call.version);
    return null;
  },
  [`${kind}.editMany`]: (tx, { body }: Call) => editMany(tx, kind, bodyAs(bulkBodySchema, body)),
  [`${kind}.removeMany`]: (tx, { body }: Call) => removeMany(tx, kind, bodyAs(removeManyBodySchema, body)),
  [`${kind}.clone`]: async (tx, call: Call) =>
    present(tx, kind, await clone(tx, kind, refOf(call), bodyAs(cloneBodySchema, call.body))),
  [`${kind}.removal`]: (tx, call: Call) => removal(tx, kind, refOf(call)),
});

function bodyAs<T extends z.ZodObject>(schema: T, body: unknown): z.output<T> {
  const read = schema.safeParse(body);
  if (!read.success) throw Refusal.of(faultsIn(read.error, body, Object.keys(schema.shape)));
  return read.data;
}

export const handlers = {
  ...verbs,
  ...Object.assign({}, ...kindNames.map(ofKind)),
} as Record<Exclude<RouteId, OwnRoutes>, Handler<unknown, unknown>>;

/** What a preview carries out where that is not the call itself: an uploaded file is saved by a job later. */
export const previewed: Partial<
  Record<RouteId, (tx: Tx, store: Store, params: Record<string, string>) => Promise<unknown>>
> = {
  'import.apply': (tx, store, { id = '' }) => importUploaded(tx, store, id),
};
