/** What answers the calls of this area. */
import { again, beginRun } from './again.ts';
import { liveBehind, takeBehind } from './behind.ts';
import { takeMet } from './met.ts';
import { takeNetwork } from './network.ts';
import { groups } from './asks.ts';
import { diffCaptures, listCaptures, revealCapture, searchCaptures, showCapture } from './captures.ts';
import { listDrift, showDrift } from './drift.ts';
import { go, takeBack } from './errands.ts';
import { acceptHostKeys } from './hostKeys.ts';
import { liveAddresses, liveMac } from './live.ts';
import { liveLinks, takeAddresses, takeLinks } from './liveTake.ts';
import { retry } from './pushes.ts';
import { restore } from './restores.ts';
import { listRuns, pauseRun, rowOfRun, stopRun, wholeRun } from './runs.ts';
import { meaningOfDrift, takeOver } from './takeOver.ts';
import { knownHostsFile, sshConfigFile } from './sshFiles.ts';
import { checkSheet, dialectWords, shippedDialects, trySheet } from './sheets.ts';
import { listDeliveries } from './deliveries.ts';
import { listNotices } from './letters.ts';
import { listWatched } from './watch.ts';
import type { VerbHandlers } from '../handler.ts';

export const fleetHandlers = {
  'dialect.shipped': (tx) => shippedDialects(tx),
  'dialect.knows': (tx, { query }) => dialectWords(tx, query),
  'dialect.check': (_tx, { body }) => Promise.resolve(checkSheet(body)),
  'dialect.try': (tx, { body }) => trySheet(tx, body),
  'run.list': (tx, { query }) => listRuns(tx, query),
  'run.show': (tx, { params, query }) => wholeRun(tx, params.id ?? '', query),
  'run.row': (tx, { params }) => rowOfRun(tx, params.id ?? '', params.device ?? ''),
  'run.groups': (tx, { params }) => groups(tx, params.id ?? ''),
  'run.stop': (tx, { params }) => stopRun(tx, params.id ?? ''),
  'run.pause': (tx, { params, body }) => pauseRun(tx, params.id ?? '', body.paused),
  'run.go': (tx, { params, body }) => go(tx, params.id ?? '', body.count),
  'run.compare': (tx, { body }) => beginRun(tx, 'run.compare', body),
  'run.push': (tx, { body }) => beginRun(tx, 'run.push', body),
  'run.restore': (tx, { body }) => restore(tx, body),
  'run.operation': (tx, { body }) => beginRun(tx, 'run.operation', body),
  'run.again': (tx, { params }) => again(tx, params.id ?? ''),
  'run.retry': (tx, { params }) => retry(tx, params.id ?? ''),
  'drift.list': (tx, { query }) => listDrift(tx, query),
  'drift.means': (tx, { params }) => meaningOfDrift(tx, params.ref ?? ''),
  'drift.takeOver': (tx, { params, body }) => takeOver(tx, params.ref ?? '', body),
  'drift.show': (tx, { params }) => showDrift(tx, params.ref ?? ''),
  'run.takeBack': (tx, { params }) => takeBack(tx, params.id ?? ''),
  'run.reach': (tx, { body }) => beginRun(tx, 'run.reach', body),
  'run.takeNetwork': (tx, { params, body }) => takeNetwork(tx, params.id ?? '', body),
  'run.take': (tx, { params, body }) => takeMet(tx, params.id ?? '', body),
  'run.ask': (tx, { body }) => beginRun(tx, 'run.ask', body),
  'run.capture': (tx, { body }) => beginRun(tx, 'run.capture', body),
  'run.errand': (tx, { body }) => beginRun(tx, 'run.errand', body),
  'hostKey.accept': (tx, { body }) => acceptHostKeys(tx, body),
  'capture.list': (tx, { query }) => listCaptures(tx, query),
  'capture.show': (tx, { params }) => showCapture(tx, params.id ?? ''),
  'capture.reveal': (tx, { params }) => revealCapture(tx, params.id ?? ''),
  'capture.diff': (tx, { query }) => diffCaptures(tx, query),
  'capture.search': (tx, { query }) => searchCaptures(tx, query),
  'names.ssh': (tx, { query }) => sshConfigFile(tx, query),
  'names.knownHosts': (tx, { query }) => knownHostsFile(tx, query),
  'live.addresses': (tx, { query }) => liveAddresses(tx, query),
  'live.take': (tx, { body }) => takeAddresses(tx, body),
  'live.links': (tx, { query }) => liveLinks(tx, query),
  'live.takeLinks': (tx, { body }) => takeLinks(tx, body),
  'live.behind': (tx, { query }) => liveBehind(tx, query),
  'live.takeBehind': (tx, { body }) => takeBehind(tx, body),
  'live.mac': (tx, { query }) => liveMac(tx, query),
  'watch.list': (tx, { query }) => listWatched(tx, query),
  'delivery.list': (tx) => listDeliveries(tx),
  'notice.list': (tx, { query }) => listNotices(tx, query),
} satisfies Partial<VerbHandlers>;
