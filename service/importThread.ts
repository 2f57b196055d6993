/** Entry of the thread that works through an uploaded import: the service goes on answering meanwhile. */
import { workerData } from 'node:worker_threads';
import { importUpload } from './app/imports/background.ts';
import { type Config } from './config.ts';
import { openStore } from './service.ts';

const { config, payload } = workerData as { config: Config; payload: { id: number; apply: boolean } };
const store = openStore({ ...config, databaseConnections: 3 });
try {
  await importUpload(store, payload);
} finally {
  await store.sequelize.close();
}
