/** What answers the calls of this area. */
import { explainDhcp, replayDhcp } from '../boot/explain.ts';
import { listBootRecords } from '../boot/records.ts';
import { mustActAt, mustNotServe } from '../access/sites.ts';
import { mustFind } from '../records/refs.ts';
import { confirmPlace, listArrivals, presentArrivals, retryArrival, showArrival } from './list.ts';
import { dismiss, dismissMany, listStrangers, recognise } from './strangers.ts';
import { proveNow } from './proveNow.ts';
import { closeWindow, openWindow } from './window.ts';
import { refOf, onlyOne, type VerbHandlers } from '../handler.ts';

export const arrivalsHandlers = {
  'device.dhcp': (tx, call) => explainDhcp(tx, refOf(call), call.query),
  'boot.replay': (tx, { params }) => replayDhcp(tx, params.id ?? ''),
  'boot.records': (tx, { query }) => listBootRecords(tx, query),
  'arrival.list': (tx, { query }) => listArrivals(tx, query),
  'arrival.show': (tx, { params }) => showArrival(tx, params.id ?? ''),
  'arrival.open': async (tx, call) => {
    // The device may be asked whether it lets the service in, and nothing is held while it is.
    const seen = await mustFind(tx, 'device', refOf(call));
    await mustActAt(tx, call.user, seen);
    await mustNotServe(tx, call.user, seen);
    const row = await openWindow(tx, await mustFind(tx, 'device', refOf(call), true), call.body.hours);
    return onlyOne(await presentArrivals(tx, [row]));
  },
  'arrival.close': async (tx, call) => {
    await closeWindow(tx, refOf(call));
    return null;
  },
  'arrival.retry': (tx, { params, user }) => retryArrival(tx, params.id ?? '', user),
  'device.prove': (tx, call) => proveNow(tx, refOf(call), call.body.hours, call.user),
  'arrival.confirm': (tx, { params, user }) => confirmPlace(tx, params.id ?? '', user),
  'stranger.list': (tx, { query }) => listStrangers(tx, query),
  'stranger.recognise': (tx, { params, body, user }) => recognise(tx, params.id ?? '', body, user),
  'stranger.dismissMany': (tx, { body }) => dismissMany(tx, body),
  'stranger.dismiss': (tx, { params }) => dismiss(tx, params.id ?? ''),
} satisfies Partial<VerbHandlers>;
