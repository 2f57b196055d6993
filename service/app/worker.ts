import { claim, finish, heartbeat, type ClaimedJob, type JobWork } from '../store/jobs.ts';
import { run, type Store } from '../store/tx.ts';
import { housekeeping } from './housekeeping.ts';

interface Log {
  info: (what: object, text: string) => void;
  warn: (what: object, text: string) => void;
}

const works: Record<string, JobWork> = { housekeeping };

const IDLE_MS = 1000;
const HEARTBEAT_MS = 10_000;
const RETRY_SECONDS = 60;

/** Claims and does jobs, one at a time, until it is stopped. */
export class Worker {
  private readonly store: Store;
  private readonly log: Log;
  private stopping = false;
  private wake: (() => void) | undefined;
  private loop: Promise<void> | undefined;

  constructor(store: Store, log: Log) {
    this.store = store;
    this.log = log;
  }

  async start(): Promise<void> {
    await run(this.store, { name: 'service', via: 'service' }, 'start', async (tx) => {
      tx.job({ name: 'housekeeping', payload: {}, delaySeconds: 5, single: 'housekeeping' });
      return Promise.resolve();
    });
    this.loop = this.go();
  }

  async stop(): Promise<void> {
    this.stopping = true;
    this.wake?.();
    await this.loop;
  }

  private async go(): Promise<void> {
    while (!this.stopping) {
      const job = await claim(this.store).catch(() => undefined);
      if (job) await this.work(job);
      else await new Promise<void>((resolve) => void ((this.wake = resolve), setTimeout(resolve, IDLE_MS)));
    }
  }

  private async work(job: ClaimedJob): Promise<void> {
    const beat = setInterval(() => void heartbeat(this.store, job).catch(() => undefined), HEARTBEAT_MS);
    try {
      const work = works[job.name];
      if (!work) throw new Error(`nothing does jobs of the name ${job.name}`);
      const again = await work(this.store, job.payload);
      await finish(this.store, job, again);
    } catch (error) {
      this.log.warn({ job: job.name, tries: job.tries, err: error }, 'a job failed');
      const failure = String(error instanceof Error ? error.message : error).slice(0, 500);
      await finish(this.store, job, RETRY_SECONDS * Math.min(job.tries, 30), failure).catch(() => undefined);
    } finally {
      clearInterval(beat);
    }
  }
}
