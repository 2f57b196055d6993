/** Which use case answers which route. The types hold it together with the route list. */
import { kindNames, type KindName } from '@zpine/contract/kinds';
import { type BodyOf, type QueryOf, type ReplyOf, type RouteId, type VerbRouteId } from '@zpine/contract/routes';
import { type Value } from '@zpine/contract/fields';
import { type z } from 'zod';
import { MOST_ADDED } from '@zpine/contract/kindRoutes';
import { bulkBodySchema, cloneBodySchema, removeManyBodySchema } from '@zpine/contract/bulkRoutes';
import { Refusal } from '@zpine/contract/errors';
import { faultsOf as faultsIn } from '@zpine/contract/faults';
import { present } from '../store/records.ts';
import { type Tx } from '../store/tx.ts';
import { accessOf, endSessions, listSessions, revoke } from './access/sessions.ts';
import { addToken, listTokens, removeToken } from './access/tokens.ts';
import { addUser, changePassword, editUser, listUsers } from './access/users.ts';
import { type User } from './access/who.ts';
import { assign, propose } from './addressing/assign.ts';
import { carve, fits } from './addressing/carve.ts';
import { conversion } from './addressing/conversion.ts';
import { level } from './addressing/levels.ts';
import { link } from './addressing/link.ts';
import { lookup } from './addressing/lookup.ts';
import { assignManagement } from './addressing/management.ts';
import { hostsFile, zoneFiles } from './addressing/names.ts';
import { overlaps } from './addressing/overlaps.ts';
import { applyPlan } from './addressing/sitePlan.ts';
import { reserve } from './addressing/reserve.ts';
import { merge, resize, split } from './addressing/reshape.ts';
import { space } from './addressing/space.ts';
import { listArrivals, retryArrival, showArrival, presentArrivals } from './arrivals/list.ts';
import { dismiss, dismissMany, listStrangers, recognise } from './arrivals/strangers.ts';
import { closeWindow, openWindow } from './arrivals/window.ts';
import { plugs, trace } from './cables/shown.ts';
import { explainDhcp } from './boot/explain.ts';
import { listBootRecords } from './boot/records.ts';
import { overview } from './device.ts';
import { retire, stageByHand } from './devices/retire.ts';
import { declare } from './devices/declare.ts';
import { fit, forgetHostKey } from './devices/fit.ts';
import { nextName } from './devices/nextName.ts';
import { ask, captureNow, groups, reach } from './fleet/asks.ts';
import { diffCaptures, listCaptures, revealCapture, searchCaptures, showCapture } from './fleet/captures.ts';
import { errand, go, takeBack } from './fleet/errands.ts';
import { acceptHostKeys } from './fleet/hostKeys.ts';
import { liveAddresses, liveMac } from './fleet/live.ts';
import { listRuns, wholeRun, rowOfRun, stopRun } from './fleet/runs.ts';
import { checkSheet, shippedDialects, trySheet } from './fleet/sheets.ts';
import { listNotices, listWatched } from './fleet/watch.ts';
import { listEditions, makeEdition, publishEdition, showEdition, tryTemplate } from './editions/editions.ts';
import { templateNames } from './editions/names.ts';
import { faultsOf, presentFault } from './editions/templates.ts';
import { align, differing } from './hardware/differing.ts';
import { readSheets, writeSheet } from './hardware/sheets.ts';
import { declareFound, enterFound, hardware } from './hardware/slots.ts';
import { history } from './history/list.ts';
import { listRemoved, restore } from './history/removed.ts';
import { undo } from './history/undo.ts';
import { exampleText } from './imports/example.ts';
import { Pieces } from './pieces.ts';
import { exportText, mayExport } from './imports/export.ts';
import { pasteDevices } from './imports/paste.ts';
import { importText } from './imports/run.ts';
import { importScans } from './imports/scan.ts';
import { applyUpload, cancelUpload, presentUpload, uploadRow } from './imports/uploads.ts';
import { complete } from './search/complete.ts';
import { askCheck, listChecks, showCheck } from './soundness/checks.ts';
import { search } from './search/search.ts';
import { today, todayCounts } from './checks/today.ts';
import { copySite } from './places/copySite.ts';
import { drawing } from './racks/drawing.ts';
import { fill } from './racks/fill.ts';
import { doubtfulData } from './checks/report.ts';
import { add } from './records/add.ts';
import { clone } from './records/clone.ts';
import { editMany } from './records/editMany.ts';
import { editOne } from './records/edit.ts';
import { removal, removeMany } from './records/removal.ts';
import { list, type ListInput } from './records/list.ts';
import { removeOne } from './records/remove.ts';
import { mustFind } from './records/refs.ts';
import { show } from './records/show.ts';
import { explainSettings } from './settings/effective.ts';
import { listValues, putValue, removeValue } from './settings/values.ts';
import { listViews, removeView, saveView } from './views.ts';

export interface Call<Query = unknown, Body = unknown> {
  params: Record<string, string>;
  query: Query;
  body: Body;
  /** From If-Match. */
  version: number | undefined;
  user: User;
}

export type Handler<Query = never, Body = never> = (tx: Tx, call: Call<Query, Body>) => Promise<unknown>;

/** These need more than a unit of work; the HTTP part answers them. */
export type OwnRoutes =
  'session.open' | 'session.close' | 'session.show' | 'events' | 'import.upload' | 'doctor.processes';

type VerbHandlers = {
  [R in Exclude<VerbRouteId, OwnRoutes>]: (tx: Tx, call: Call<QueryOf<R>, BodyOf<R>>) => Promise<ReplyOf<R>>;
};

const ref = (call: Call): string => call.params.ref ?? '';

const verbs: VerbHandlers = {
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
  'device.overview': (tx, call) => overview(tx, ref(call)),
  'device.nextName': (tx, { query }) => nextName(tx, query),
  'device.retire': (tx, call) => retire(tx, ref(call), call.body),
  'device.stage': async (tx, call) => shown(tx, 'device', await stageByHand(tx, ref(call), call.body.stage)),
  'device.assignManagement': (tx, call) => assignManagement(tx, ref(call), call.body),
  'address.propose': (tx, { query }) => propose(tx, query),
  'address.assign': (tx, { body }) => assign(tx, body),
  'rack.drawing': (tx, call) => drawing(tx, ref(call)),
  'rack.fill': (tx, { body }) => fill(tx, body),
  'device.hardware': (tx, call) => hardware(tx, ref(call)),
  'device.found': (tx, call) => enterFound(tx, ref(call), call.body, call.user),
  'device.declareFound': (tx, call) => declareFound(tx, ref(call)),
  'model.differing': (tx, call) => differing(tx, ref(call)),
  'model.align': (tx, call) => align(tx, ref(call), call.body),
  'sheet.read': (tx, { body }) => readSheets(tx, body),
  'sheet.write': (tx, call) => writeSheet(tx, ref(call), call.query),
  'port.trace': (tx, call) => trace(tx, ref(call)),
  'cable.plugs': (tx, { query }) => plugs(tx, query),
  'site.copy': (tx, call) => copySite(tx, ref(call), call.body),
  'prefix.space': (tx, call) => space(tx, ref(call)),
  'prefix.carve': (tx, call) => carve(tx, ref(call), call.body),
  'address.link': (tx, { body }) => link(tx, body),
  'prefix.split': (tx, call) => split(tx, ref(call), call.body),
  'prefix.merge': (tx, { body }) => merge(tx, body),
  'siteplan.apply': (tx, call) => applyPlan(tx, ref(call), call.body),
  'prefix.level': (tx, { query }) => level(tx, query),
  'prefix.resize': (tx, call) => resize(tx, ref(call), call.body),
  'names.hosts': (tx, { query }) => hostsFile(tx, query),
  'names.zones': (tx, { body }) => zoneFiles(tx, body),
  'prefix.overlaps': (tx, { query }) => overlaps(tx, query),
  'prefix.fits': (tx, { query }) => fits(tx, query),
  'address.reserve': (tx, { body }) => reserve(tx, body),
  'device.declare': (tx, { body }) => declare(tx, body),
  'address.lookup': (tx, { query }) => lookup(tx, query),
  'address.convert': (_tx, { query }) => Promise.resolve(conversion(query.text)),
  'value.list': (tx, { query }) => listValues(tx, query),
  'value.put': (tx, { body }) => putValue(tx, body),
  'value.remove': (tx, { body }) => removeValue(tx, body),
  'device.settings': async (tx, call) => ({
    items: await explainSettings(tx, await mustFind(tx, 'device', ref(call))),
  }),
  'template.check': async (tx, call) => ({
    faults: (await faultsOf(tx, await mustFind(tx, 'template', ref(call)))).map(presentFault),
  }),
  'template.try': (tx, { body }) => tryTemplate(tx, body),
  'device.names': (tx, call) => templateNames(tx, ref(call)),
  'edition.list': (tx, call) => listEditions(tx, ref(call)),
  'edition.make': (tx, call) => makeEdition(tx, ref(call), call.body),
  'edition.show': (tx, call) => showEdition(tx, ref(call), call.params.number ?? '', call.query.trace === 'true'),
  'edition.publish': (tx, call) => publishEdition(tx, ref(call), call.params.number ?? '', call.body),
  'device.dhcp': (tx, call) => explainDhcp(tx, ref(call), call.query),
  'boot.records': (tx, { query }) => listBootRecords(tx, query),
  'arrival.list': (tx, { query }) => listArrivals(tx, query),
  'arrival.show': (tx, { params }) => showArrival(tx, params.id ?? ''),
  'arrival.open': async (tx, call) => {
    const row = await openWindow(tx, await mustFind(tx, 'device', ref(call), true), call.body.hours);
    return onlyOne(await presentArrivals(tx, [row]));
  },
  'arrival.close': async (tx, call) => {
    await closeWindow(tx, ref(call));
    return null;
  },
  'arrival.retry': (tx, { params, user }) => retryArrival(tx, params.id ?? '', user),
  'stranger.list': (tx, { query }) => listStrangers(tx, query),
  'stranger.recognise': (tx, { params, body, user }) => recognise(tx, params.id ?? '', body, user),
  'stranger.dismissMany': (tx, { body }) => dismissMany(tx, body),
  'stranger.dismiss': (tx, { params }) => dismiss(tx, params.id ?? ''),
  'device.fit': async (tx, call) => shown(tx, 'box', await fit(tx, ref(call), call.body)),
  'device.forgetHostKey': async (tx, call) => {
    await forgetHostKey(tx, ref(call));
    return null;
  },
  'doctor.data': (tx, { query }) => doubtfulData(tx, query),
  'doctor.store': (tx, { body }) => askCheck(tx, body),
  'doctor.storeChecks': (tx) => listChecks(tx),
  'doctor.storeCheck': (tx, { params }) => showCheck(tx, params.id ?? ''),
  'dialect.shipped': (tx) => shippedDialects(tx),
  'dialect.check': (_tx, { body }) => Promise.resolve(checkSheet(body)),
  'dialect.try': (tx, { body }) => trySheet(tx, body),
  'run.list': (tx, { query }) => listRuns(tx, query),
  'run.show': (tx, { params, query }) => wholeRun(tx, params.id ?? '', query),
  'run.row': (tx, { params }) => rowOfRun(tx, params.id ?? '', params.device ?? ''),
  'run.groups': (tx, { params }) => groups(tx, params.id ?? ''),
  'run.stop': (tx, { params }) => stopRun(tx, params.id ?? ''),
  'run.go': (tx, { params, body }) => go(tx, params.id ?? '', body.count),
  'run.takeBack': (tx, { params }) => takeBack(tx, params.id ?? ''),
  'run.reach': (tx, { body }) => reach(tx, body),
  'run.ask': (tx, { body }) => ask(tx, body),
  'run.capture': (tx, { body }) => captureNow(tx, body),
  'run.errand': (tx, { body }) => errand(tx, body),
  'hostKey.accept': (tx, { body }) => acceptHostKeys(tx, body),
  'capture.list': (tx, { query }) => listCaptures(tx, query),
  'capture.show': (tx, { params }) => showCapture(tx, params.id ?? ''),
  'capture.reveal': (tx, { params }) => revealCapture(tx, params.id ?? ''),
  'capture.diff': (tx, { query }) => diffCaptures(tx, query),
  'capture.search': (tx, { query }) => searchCaptures(tx, query),
  'live.addresses': (tx, { query }) => liveAddresses(tx, query),
  'live.mac': (tx, { query }) => liveMac(tx, query),
  'watch.list': (tx, { query }) => listWatched(tx, query),
  'notice.list': (tx, { query }) => listNotices(tx, query),
  today: (tx) => today(tx),
  'today.counts': (tx) => todayCounts(tx),
  search: async (tx, { query }) => ({ items: await search(tx, query.q) }),
  'history.list': (tx, { query, user }) => history(tx, query, user.role),
  'history.undo': (tx, { params, body }) => undo(tx, params.id ?? '', body.apply),
  'view.list': (tx, { user, query }) => listViews(tx, user, query),
  'view.save': (tx, { user, body }) => saveView(tx, user, body),
  'view.remove': async (tx, { user, params }) => {
    await removeView(tx, user, params.id ?? '');
    return null;
  },
  'where.complete': (tx, { query }) => complete(tx, query),
  'removed.list': (tx, { query }) => listRemoved(tx, query),
  'removed.restore': (tx, call) => restore(tx, call.params.kind ?? '', ref(call)),
  'import.run': (tx, { body }) => importText(tx, body),
  'import.scan': (tx, { body }) => importScans(tx, body),
  'import.paste': (tx, { body }) => pasteDevices(tx, body),
  'import.show': async (tx, { params }) => presentUpload(await uploadRow(tx, params.id ?? '')),
  'import.apply': (tx, { params, user }) => applyUpload(tx, params.id ?? '', user),
  'import.cancel': (tx, { params }) => cancelUpload(tx, params.id ?? ''),
  'import.example': (_tx, { params, query }) => Promise.resolve(exampleText(params.kind ?? '', query.as)),
  // Its answer is made piece by piece.
  'export.run': async (tx, { query }) => {
    await mayExport(tx, query);
    return new Pieces(exportText(tx, query)) as never;
  },
};

function onlyOne<T>(items: T[]): T {
  const [item] = items;
  if (item === undefined) throw new Error('there is none');
  return item;
}

async function shown(tx: Tx, kind: KindName, record: object): Promise<Record<string, Value>> {
  const [one] = await present(tx, kind, [record as never]);
  if (!one) throw new Refusal('not-found', { kind, ref: '' });
  return one;
}

const ofKind = (kind: KindName): Record<string, Handler> => ({
  [`${kind}.list`]: (tx, call: Call<ListInput>) => list(tx, kind, call.query),
  [`${kind}.show`]: (tx, call: Call) => show(tx, kind, ref(call)),
  [`${kind}.add`]: async (tx, { body }: Call) => {
    const several = Array.isArray(body);
    // Before anything is worked out of them.
    if (several && body.length > MOST_ADDED) throw new Refusal('bulk-many', { max: MOST_ADDED });
    const records = await present(tx, kind, await add(tx, kind, several ? body : [body], (i) => (several ? [i] : [])));
    return several ? records : records[0];
  },
  [`${kind}.edit`]: async (tx, call: Call) =>
    shown(tx, kind, await editOne(tx, kind, ref(call), call.body, call.version)),
  [`${kind}.remove`]: async (tx, call: Call) => {
    await removeOne(tx, kind, ref(call), call.version);
    return null;
  },
  [`${kind}.editMany`]: (tx, { body }: Call) => editMany(tx, kind, bodyAs(bulkBodySchema, body)),
  [`${kind}.removeMany`]: (tx, { body }: Call) => removeMany(tx, kind, bodyAs(removeManyBodySchema, body)),
  [`${kind}.clone`]: async (tx, call: Call) =>
    present(tx, kind, await clone(tx, kind, ref(call), bodyAs(cloneBodySchema, call.body))),
  [`${kind}.removal`]: (tx, call: Call) => removal(tx, kind, ref(call)),
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
