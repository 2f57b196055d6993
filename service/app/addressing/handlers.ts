/** What answers the calls of this area. */
import { assign, propose } from './assign.ts';
import { carve, fits } from './carve.ts';
import { conversion } from './conversion.ts';
import { level } from './levels.ts';
import { link } from './link.ts';
import { lookup } from './lookup.ts';
import { hostsFile, zoneFiles } from './names.ts';
import { overlaps } from './overlaps.ts';
import { reserve } from './reserve.ts';
import { merge, resize, split } from './reshape.ts';
import { applyPlan } from './sitePlan.ts';
import { space } from './space.ts';
import { refOf, type VerbHandlers } from '../handler.ts';

export const addressingHandlers = {
  'address.propose': (tx, { query }) => propose(tx, query),
  'address.assign': (tx, { body }) => assign(tx, body),
  'prefix.space': (tx, call) => space(tx, refOf(call)),
  'prefix.carve': (tx, call) => carve(tx, refOf(call), call.body),
  'address.link': (tx, { body }) => link(tx, body),
  'prefix.split': (tx, call) => split(tx, refOf(call), call.body),
  'prefix.merge': (tx, { body }) => merge(tx, body),
  'siteplan.apply': (tx, call) => applyPlan(tx, refOf(call), call.body),
  'prefix.level': (tx, { query }) => level(tx, query),
  'prefix.resize': (tx, call) => resize(tx, refOf(call), call.body),
  'names.hosts': (tx, { query }) => hostsFile(tx, query),
  'names.zones': (tx, { body }) => zoneFiles(tx, body),
  'prefix.overlaps': (tx, { query }) => overlaps(tx, query),
  'prefix.fits': (tx, { query }) => fits(tx, query),
  'address.reserve': (tx, { body }) => reserve(tx, body),
  'address.lookup': (tx, { query }) => lookup(tx, query),
  'address.convert': (_tx, { query }) => Promise.resolve(conversion(query.text)),
} satisfies Partial<VerbHandlers>;
