import { claim, finish, heartbeat, type ClaimedJob, type JobWork } from '../store/jobs.ts';
import { run, type Store } from '../store/tx.ts';
import { wakeResting } from './addressing/resting.ts';
import { housekeeping } from './housekeeping.ts';
import { countDoubts, DOUBTS_AGAIN_SECONDS } from './plausibility/counting.ts';
import { reslot } from './racks/reslot.ts';
import { reindex } from './search/reindex.ts';

interface Log {
  info: (what: object, text: string) => void;
  warn: (what: object, text: string) => void;
}

export const works: Record<string, JobWork> = {
  housekeeping,
  reindex,
  reslot,
  resting: wakeResting,
  plausibility: countDoubts,
};

/** What takes long in a large estate, and when it is due again. Done in threads, beside the rest. */
const long: Record<string, number | undefined> = {
  import: undefined,
  reindex: undefined,
  reslot: undefined,
  plausibility: DOUBTS_AGAIN_SECONDS,
};
export type InThread = (name: string, payload: unknown) => Promise<void>;
const MOST_LONG = 2;

const IDLE_MS = 1000;
const HEARTBEAT_MS = 10_000;
const RETRY_SECONDS = 60;

/** Claims and does jobs, one at a time and slow ones beside, until it is stopped. */
export class Worker {
  private readonly store: Store;
  private readonly log: Log;
  private stopping = false;
  private wake: (() => void) | undefined;
  private loop: Promise<void> | undefined;
  private readonly inThread: InThread;
  private readonly running = new Set<Promise<void>>();

  constructor(store: Store, log: Log, inThread: InThread) {
    this.store = store;
    this.log = log;
    this.inThread = inThread;
  }

  async start(): Promise<void> {
    await run(this.store, { name: 'service', via: 'service' }, 'start', async (tx) => {
      tx.job({ name: 'housekeeping', payload: {}, delaySeconds: 5, single: 'housekeeping' });
      tx.job({ name: 'plausibility', payload: {}, delaySeconds: 60, single: 'plausibility' });
      tx.job({ name: 'resting', payload: {}, delaySeconds: 1, single: 'resting' });
      return Promise.resolve();
    });
    this.loop = this.go();
  }

  async stop(): Promise<void> {
    this.stopping = true;
    this.wake?.();
    await this.loop;
    await Promise.all(this.running);
  }

  private async go(): Promise<void> {
    while (!this.stopping) {
      const job = await claim(this.store).catch(() => undefined);
      if (job && job.name in long) {
        const work = this.work(job);
        this.running.add(work);
        void work.finally(() => this.running.delete(work));
        if (this.running.size >= MOST_LONG) await Promise.race(this.running);
      } else if (job) await this.work(job);
      else await new Promise<void>((resolve) => void ((this.wake = resolve), setTimeout(resolve, IDLE_MS)));
    }
  }

  private async work(job: ClaimedJob): Promise<void> {
    const beat = setInterval(() => void heartbeat(this.store, job).catch(() => undefined), HEARTBEAT_MS);
    try {
      const work: JobWork | undefined =
        job.name in long
          ? (_store, payload) => this.inThread(job.name, payload).then(() => long[job.name])
          : works[job.name];
      if (!work) throw new Error(`nothing does jobs of the name ${job.name}`);
      const again = await work(this.store, job.payload);
      await finish(this.store, job, again);
    } catch (error) {
      // What was cut off is claimed again by whoever starts next.
      if (this.stopping) return;
      this.log.warn({ job: job.name, tries: job.tries, err: error }, 'a job failed');
      const failure = String(error instanceof Error ? error.message : error).slice(0, 500);
      await finish(this.store, job, RETRY_SECONDS * Math.min(job.tries, 30), failure).catch(() => undefined);
    } finally {
      clearInterval(beat);
    }
  }
}
