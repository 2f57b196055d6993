/** Wires the parts together: the one place that knows them all. */
import { serve, type ServerType } from '@hono/node-server';
import { setMaxListeners } from 'node:events';
import { setTimeout as pause } from 'node:timers/promises';
import type { AddressInfo } from 'node:net';
import type { Logger } from 'pino';
import { WebSocketServer } from 'ws';
import { problemOf, Refusal } from '@zpine/contract/errors';
import { failUpload } from './app/imports/background.ts';
import { Worker } from './app/worker.ts';
import { startBoot, type Part, type TellBoot } from './bootPart.ts';
import type { Config } from './config.ts';
import { Jumps } from './fleet/jumps.ts';
import { letsIn } from './fleet/letsIn.ts';
import { Keeper } from './fleet/keeper.ts';
import { Runner } from './fleet/runner.ts';
import { CaptureRepository } from './fleet/captureRepository.ts';
import { Sweeper } from './fleet/sweeper.ts';
import { openTerminal } from './fleet/terminals.ts';
import { Watcher } from './fleet/watcher.ts';
import type { Apart } from './http/asked.ts';
import { BodyRoom } from './http/bodyRoom.ts';
import { makeServer } from './http/server.ts';
import type { ShownProcess } from '@zpine/contract/processes';
import { processHere } from './processes/shown.ts';
import type { ClaimedJob } from './store/jobs.ts';
import { EventFeed } from './store/events.ts';
import type { Store } from './store/store.ts';
import { openStore, prepareStore } from './stores.ts';
import { jobInThread } from './threads.ts';

/** An import is as large as somebody made it: it runs where it may be ended. */
type ImportInProcess = (job: ClaimedJob, ...endings: AbortSignal[]) => Promise<void>;

export interface Service {
  store: Store;
  /** Where it listens: `http://127.0.0.1:7780`. */
  url: string;
  watcher: Watcher;
  stop: () => Promise<void>;
}

export interface ApiOptions {
  version: string;
  consoleFolder?: string | undefined;
  /** Where large work is done; left out, in this process. */
  apart?: (Apart & Part) | undefined;
  importInProcess?: ImportInProcess | undefined;
  processes?: (() => ShownProcess[]) | undefined;
  refresh?: TellBoot | undefined;
}

/** So often a process may end with an import before that is given up. */
const MOST_TRIES = 3;

/** What took too much is not tried again, and says so to whoever uploaded it; neither is what ends its process again and again. */
async function importApart(store: Store, job: ClaimedJob, work: () => Promise<void> | undefined): Promise<void> {
  try {
    await work();
  } catch (error) {
    const refused = error instanceof Refusal && ['too-large', 'too-slow'].includes(error.code) ? error : undefined;
    if (!refused && (error instanceof Refusal || job.tries < MOST_TRIES)) throw error;
    const why = refused ? problemOf(refused).detail : `the process that looked at it ended ${job.tries} times`;
    await failUpload(store, (job.payload as { id: number }).id, why, job.lease);
  }
}

/** The API with its console, and what looks after arrivals, runs, watched devices and jobs. */
export async function startApi(config: Config, log: Logger, options: ApiOptions): Promise<Service> {
  const store = openStore(config);
  const jobStore = openStore(config, 'job', store.dialects);
  for (const one of [store, jobStore]) one.committed = bootHears(options.refresh);
  const feed = new EventFeed(store, log);
  const closing = new AbortController();
  // Each open event stream listens for the end: many at a time are no leak.
  setMaxListeners(0, closing.signal);
  const worker = new Worker(jobStore, log, (job, lost) =>
    job.name === 'import' && options.importInProcess
      ? importApart(jobStore, job, () => options.importInProcess?.(job, closing.signal, lost))
      : jobInThread(config, job, closing.signal, lost),
  );
  await worker.start();
  const { dialMap } = config;
  const jumps = new Jumps(dialMap);
  store.letsIn = (device) => letsIn(store, device, { dialMap, jump: jumps.open, firstContact: false });
  const keeper = new Keeper(store, dialMap, jumps.open, log);
  keeper.start();
  const runner = new Runner(store, dialMap, jumps.open, log);
  runner.start();
  const sweeper = new Sweeper(store, { dialMap, jump: jumps.open, firstContact: false }, log);
  sweeper.start();
  const watcher = new Watcher(
    store,
    { dialMap, jump: jumps.open, firstContact: false },
    {
      server: config.mailServer,
      from: config.mailFrom,
      gatherSeconds: config.mailGatherSeconds,
      consoleUrl: config.consoleUrl,
    },
    log,
  );
  watcher.start();
  const repository =
    config.captureRepository === ''
      ? undefined
      : new CaptureRepository(store, config.captureRepository, config.captureRepositorySeconds, log);
  repository?.start();
  const app = makeServer({
    store,
    feed,
    log,
    version: options.version,
    bodyBytes: config.bodyBytes,
    importBytes: config.importBytes,
    uploadBytes: config.uploadBytes,
    imageBytes: config.imageBytes,
    sessionHours: config.sessionHours,
    cookieSecure: config.cookieSecure,
    trustedProxies: config.trustedProxies,
    streams: new Map(),
    organisation: config.organisation,
    consoleFolder: options.consoleFolder,
    room: new BodyRoom(IMPORTS_HELD * config.importBytes),
    apart: options.apart,
    booting: async () => within(options.refresh?.([])),
    terminal: (actor, ref, size) =>
      openTerminal(store, { dialMap, jump: jumps.open, firstContact: false }, actor, ref, size),
    processes: options.processes ?? (() => [processHere('service')]),
    closing: closing.signal,
  });
  const server = await listen(app.fetch, config);
  const { port } = server.address() as AddressInfo;
  const host = config.listenHost.includes(':') ? `[${config.listenHost}]` : config.listenHost;
  const url = `http://${host}:${port}`;
  log.info({ url }, 'listening');

  const stop = async (): Promise<void> => {
    closing.abort();
    feed.stop();
    await Promise.all([
      worker.stop(),
      keeper.stop(),
      runner.stop(),
      sweeper.stop(),
      watcher.stop(),
      repository?.stop(),
      closeServer(server),
    ]);
    await options.apart?.stop();
    jumps.stop();
    await Promise.all([store.sequelize.close(), jobStore.sequelize.close()]);
    log.info('stopped');
  };
  return { store, url, watcher, stop };
}

/** What booting devices are told depends on; the rest of what is committed is nothing to them. */
const TOLD_OF = new Set([
  ...['device', 'box', 'interface', 'address', 'edition', 'arrival', 'prefix', 'vrf', 'value', 'setting'],
  ...['area', 'site', 'room', 'rack', 'label', 'model', 'duty', 'dialect', 'leases-in'],
  ...['bootprofile', 'template'],
]);
/** A call waits no longer for it: the events tell it, too. */
const TOLD_MS = 1000;

/** What comes within that time, and does not fail. */
async function within<T>(work: Promise<T> | undefined): Promise<T | undefined> {
  const limit = new AbortController();
  const first = await Promise.race([
    work?.catch(() => undefined),
    pause(TOLD_MS, undefined, { signal: limit.signal }).catch(() => undefined),
  ]);
  limit.abort();
  return first;
}

function bootHears(refresh: ApiOptions['refresh']): Store['committed'] {
  if (!refresh) return undefined;
  return async (hints) => {
    const told = hints.filter(({ kind }) => TOLD_OF.has(kind));
    if (told.length === 0) return;
    await within(refresh(told));
  };
}

/** As many bodies of the largest kind are held at a time. */
const IMPORTS_HELD = 4;

/** All of it in this process. */
export async function startService(
  config: Config,
  log: Logger,
  version: string,
  consoleFolder?: string,
): Promise<Service> {
  await prepareStore(config, log);
  const boot = await startBoot(config, log);
  const api = await startApi(config, log, { version, consoleFolder, refresh: boot?.refresh });
  const stop = async (): Promise<void> => {
    await Promise.all([boot?.stop(), api.stop()]);
  };
  return { ...api, stop };
}

/** Nobody types or pastes more at a time. */
const TYPED_BYTES = 256 * 1024;

const listen = (fetch: Parameters<typeof serve>[0]['fetch'], config: Config): Promise<ServerType> =>
  new Promise((resolve, reject) => {
    const websocket = { server: new WebSocketServer({ noServer: true, maxPayload: TYPED_BYTES }) };
    const options = { fetch, hostname: config.listenHost, port: config.listenPort, websocket };
    const server = serve(options, () => resolve(server));
    server.once('error', reject);
  });

const CLOSE_MS = 3000;

/** Lets requests under way end, but not for ever. */
function closeServer(server: ServerType): Promise<void> {
  return new Promise((resolve) => {
    const http = server as ServerType & { closeIdleConnections?: () => void; closeAllConnections?: () => void };
    const limit = setTimeout(() => http.closeAllConnections?.(), CLOSE_MS);
    server.close(() => {
      clearTimeout(limit);
      resolve();
    });
    http.closeIdleConnections?.();
  });
}
