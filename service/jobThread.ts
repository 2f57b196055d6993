/** Entry of a thread that does one long job: the service goes on answering meanwhile. */
import { workerData } from 'node:worker_threads';
import { importUpload } from './app/imports/background.ts';
import { works } from './app/worker.ts';
import type { Config } from './config.ts';
import { openStore } from './stores.ts';
import type { Lease } from './store/claims.ts';

const { config, name, payload, lease } = workerData as { config: Config; name: string; payload: unknown; lease: Lease };
const store = openStore(config, 'job');
try {
  if (name === 'import') await importUpload(store, payload as { id: number; apply: boolean }, lease);
  else await works[name]?.(store, payload);
} finally {
  await store.sequelize.close();
}
