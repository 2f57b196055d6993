import { Refusal } from '@zpine/contract/errors';
import { claim, finish, heartbeat, JobLost, type ClaimedJob, type JobWork } from '../store/jobs.ts';
import { run, type Store } from '../store/tx.ts';
import { wakeResting } from './addressing/resting.ts';
import { housekeeping } from './housekeeping.ts';
import { countDoubts, DOUBTS_AGAIN_SECONDS } from './doubts/counting.ts';
import { reslot } from './racks/reslot.ts';
import { againAtNight, soundnessWork, untilNight } from './soundness/checks.ts';
import { remask } from './secrets/remask.ts';
import { reindex } from './search/reindex.ts';

interface Log {
  info: (what: object, text: string) => void;
  warn: (what: object, text: string) => void;
}

export const works: Record<string, JobWork> = {
  housekeeping,
  reindex,
  remask,
  reslot,
  resting: wakeResting,
  plausibility: countDoubts,
  soundness: soundnessWork,
};

/** What takes long in a large estate, and when it is due again. Done in threads, beside the rest. */
const never = (): undefined => undefined;
const long: Record<string, (payload: unknown) => number | undefined> = {
  import: never,
  reindex: never,
  reslot: never,
  remask: never,
  plausibility: () => DOUBTS_AGAIN_SECONDS,
  soundness: againAtNight,
};
export type InThread = (job: ClaimedJob, stopping: AbortSignal) => Promise<void>;
const MOST_LONG = 2;

const IDLE_MS = 1000;
const HEARTBEAT_MS = 10_000;
const RETRY_SECONDS = 60;
const SAY_AGAIN_MS = 60_000;

/** Claims and does jobs, one at a time and slow ones beside, until it is stopped. */
export class Worker {
  private readonly store: Store;
  private readonly log: Log;
  private stopping = false;
  private wake: (() => void) | undefined;
  private loop: Promise<void> | undefined;
  private readonly inThread: InThread;
  private readonly running = new Set<Promise<void>>();
  private saidAt = 0;

  constructor(store: Store, log: Log, inThread: InThread) {
    this.store = store;
    this.log = log;
    this.inThread = inThread;
  }

  async start(): Promise<void> {
    await run(this.store, { name: 'service', via: 'service' }, 'start', async (tx) => {
      tx.job({ name: 'housekeeping', payload: {}, delaySeconds: 5, single: 'housekeeping' });
      tx.job({ name: 'plausibility', payload: {}, delaySeconds: 60, single: 'plausibility' });
      tx.job({ name: 'soundness', payload: {}, delaySeconds: untilNight(), single: 'soundness' });
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
      const job = await claim(this.store).catch((error: unknown) => this.notClaimed(error));
      if (job && job.name in long) {
        const work = this.work(job);
        this.running.add(work);
        void work.finally(() => this.running.delete(work));
        if (this.running.size >= MOST_LONG) await Promise.race(this.running);
      } else if (job) await this.work(job);
      else await new Promise<void>((resolve) => void ((this.wake = resolve), setTimeout(resolve, IDLE_MS)));
    }
  }

  /** That the database is away is said by those who wait for an answer; all else is a fault of ours. */
  private notClaimed(error: unknown): undefined {
    if (error instanceof Refusal && error.code === 'database-away') return undefined;
    if (Date.now() - this.saidAt < SAY_AGAIN_MS) return undefined;
    this.saidAt = Date.now();
    this.log.warn({ err: error }, 'no job could be claimed');
    return undefined;
  }

  private async work(job: ClaimedJob): Promise<void> {
    const lost = new AbortController();
    const hold = async (): Promise<void> => {
      // Whether it is still ours is not known while the database is away: what it keeps asks once more.
      const held = await heartbeat(this.store, job).catch(() => true);
      if (!held) lost.abort();
    };
    const beat = setInterval(() => void hold(), HEARTBEAT_MS);
    try {
      const again = long[job.name];
      const work: JobWork | undefined = again
        ? (_store, payload) => this.inThread(job, lost.signal).then(() => again(payload))
        : works[job.name];
      if (!work) throw new Error(`nothing does jobs of the name ${job.name}`);
      await finish(this.store, job, await work(this.store, job.payload));
    } catch (error) {
      // What was cut off is claimed again by whoever starts next.
      if (this.stopping) return;
      if (lost.signal.aborted || error instanceof JobLost)
        return this.log.warn({ job: job.name }, 'a job was given to another meanwhile; its work here was ended');
      this.log.warn({ job: job.name, tries: job.tries, err: error }, 'a job failed');
      const failure = String(error instanceof Error ? error.message : error).slice(0, 500);
      await finish(this.store, job, RETRY_SECONDS * Math.min(job.tries, 30), failure).catch(() => undefined);
    } finally {
      clearInterval(beat);
    }
  }
}
