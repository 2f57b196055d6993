/** Starts threads of the service's own code; works from the sources as well as from what was built. */
import { existsSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import type { Config } from './config.ts';
import type { ClaimedJob } from './store/jobs.ts';

/** What was built is taken by a service that runs from its sources, too, where it is there: to load those takes a thread seconds. */
const built = [new URL('./jobThread.js', import.meta.url), new URL('../dist/jobThread.js', import.meta.url)].find(
  (url) => existsSync(fileURLToPath(url)),
);

/** A thread does not take over what makes sources loadable: it has to be said there again. */
const loadingSource = (entry: URL): string =>
  `import('tsx/esm/api').then(({ register }) => (register(), import(${JSON.stringify(entry.href)})))`;

/** Of the thread's own objects, in MiB: what works through an estate does so batch by batch; some imports are read as a whole. */
const heapOf = (name: string): number => (name === 'import' ? 1536 : 256);

/** Does a long job in a thread of its own; fails when that fails, and ends it when told to. */
export function jobInThread(config: Config, job: ClaimedJob, ...endings: AbortSignal[]): Promise<void> {
  const { name, payload, lease } = job;
  const options = {
    workerData: { config, name, payload, lease },
    resourceLimits: { maxOldGenerationSizeMb: heapOf(name) },
  };
  const source = new URL('./jobThread.ts', import.meta.url);
  // What was built needs nothing of what makes sources loadable, whoever starts it.
  const thread = built
    ? new Worker(built, { ...options, execArgv: [] })
    : new Worker(loadingSource(source), { ...options, eval: true });
  const stop = () => void thread.terminate();
  for (const ending of endings) {
    if (ending.aborted) stop();
    ending.addEventListener('abort', stop);
  }
  return new Promise<void>((done, failed) => {
    thread.once('error', failed);
    thread.once('exit', (code) =>
      code === 0 ? done() : failed(new Error(`the thread of the job ${name} ended with status ${code}`)),
    );
  }).finally(() => endings.forEach((ending) => ending.removeEventListener('abort', stop)));
}
