/** Wires the parts together: the one place that knows them all. */
import { serve, type ServerType } from '@hono/node-server';
import { setMaxListeners } from 'node:events';
import { type AddressInfo } from 'node:net';
import { type Logger } from 'pino';
import { Worker } from './app/worker.ts';
import { Boot } from './boot/boot.ts';
import { type Config } from './config.ts';
import { Jumps } from './fleet/jumps.ts';
import { Keeper } from './fleet/keeper.ts';
import { Runner } from './fleet/runner.ts';
import { Watcher } from './fleet/watcher.ts';
import { makeServer } from './http/server.ts';
import { connect } from './store/database.ts';
import { Dialects } from './store/dialects.ts';
import { EventFeed } from './store/events.ts';
import { migrate } from './store/migrate.ts';
import { checkSealer } from './store/keyCheck.ts';
import { sealerFrom } from './store/sealing.ts';
import { defineModels } from './store/models.ts';
import { type Store } from './store/tx.ts';
import { jobInThread } from './threads.ts';

export interface Service {
  store: Store;
  /** Where it listens: `http://127.0.0.1:7780`. */
  url: string;
  watcher: Watcher;
  stop: () => Promise<void>;
}

export function openStore(config: Config): Store {
  const sequelize = connect({
    socket: config.databaseSocket,
    host: config.databaseHost,
    port: config.databasePort,
    user: config.databaseUser,
    password: config.databasePassword,
    name: config.databaseName,
    connections: config.databaseConnections,
  });
  return {
    sequelize,
    models: defineModels(sequelize),
    sealer: sealerFrom(config.keyFile),
    dialects: new Dialects(),
    place: { address: config.bootAddress, httpPort: config.bootHttpPort },
    limits: {
      packet: config.waitPacket,
      request: config.waitRequest,
      file: config.waitFile,
      transfer: config.waitTransfer,
      life: config.waitLife,
      probe: config.waitProbe,
    },
  };
}

export async function startService(
  config: Config,
  log: Logger,
  version: string,
  consoleFolder?: string,
): Promise<Service> {
  const store = openStore(config);
  const applied = await migrate(store);
  if (applied.length > 0) log.info({ steps: applied.length }, 'the database was brought up to date');
  await checkSealer(store);
  const feed = new EventFeed(store, log);
  const closing = new AbortController();
  // Each open event stream listens for the end: many at a time are no leak.
  setMaxListeners(0, closing.signal);
  const worker = new Worker(store, log, (job, lost) => jobInThread(config, job, closing.signal, lost));
  await worker.start();
  const { dialMap } = config;
  const jumps = new Jumps(dialMap);
  const keeper = new Keeper(store, dialMap, jumps.open, log);
  keeper.start();
  const runner = new Runner(store, dialMap, jumps.open, log);
  runner.start();
  const watcher = new Watcher(
    store,
    { dialMap, jump: jumps.open, firstContact: false },
    { server: config.mailServer, from: config.mailFrom },
    log,
  );
  watcher.start();
  const place = { address: config.bootAddress, httpPort: config.bootHttpPort };
  const boot =
    config.bootAddress === ''
      ? undefined
      : new Boot(store, { ...place, dialMap, broadcast: config.bootBroadcast }, log);
  await boot?.start();
  const app = makeServer({
    store,
    feed,
    log,
    version,
    bodyBytes: config.bodyBytes,
    importBytes: config.importBytes,
    uploadBytes: config.uploadBytes,
    sessionHours: config.sessionHours,
    cookieSecure: config.cookieSecure,
    organisation: config.organisation,
    consoleFolder,
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
    await Promise.all([worker.stop(), keeper.stop(), runner.stop(), watcher.stop(), boot?.stop(), closeServer(server)]);
    jumps.stop();
    await store.sequelize.close();
    log.info('stopped');
  };
  return { store, url, watcher, stop };
}

const listen = (fetch: Parameters<typeof serve>[0]['fetch'], config: Config): Promise<ServerType> =>
  new Promise((resolve, reject) => {
    const server = serve({ fetch, hostname: config.listenHost, port: config.listenPort }, () => resolve(server));
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
