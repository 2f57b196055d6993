/** Starts threads of the service's own code; works from the sources as well as from what was built. */
import { Worker } from 'node:worker_threads';
import { type Config } from './config.ts';

const fromSource = import.meta.url.endsWith('.ts');

/** A thread does not take over what makes sources loadable: it has to be said there again. */
const loadingSource = (entry: URL): string =>
  `import('tsx/esm/api').then(({ register }) => (register(), import(${JSON.stringify(entry.href)})))`;

/** Does the work of an uploaded import in a thread of its own; fails when that fails, and ends it when told to. */
export function importInThread(config: Config, payload: unknown, stopping: AbortSignal): Promise<void> {
  const workerData = { config, payload };
  const entry = new URL(fromSource ? './importThread.ts' : './importThread.js', import.meta.url);
  const thread = fromSource
    ? new Worker(loadingSource(entry), { workerData, eval: true })
    : new Worker(entry, { workerData });
  const stop = () => void thread.terminate();
  stopping.addEventListener('abort', stop);
  return new Promise<void>((done, failed) => {
    thread.once('error', failed);
    thread.once('exit', (code) =>
      code === 0 ? done() : failed(new Error(`the thread of an import ended with status ${code}`)),
    );
  }).finally(() => stopping.removeEventListener('abort', stop));
}
