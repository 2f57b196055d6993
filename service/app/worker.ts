import { LeaseLost, whileHeld } from '../store/claims.ts';
import { Faults } from '../store/faults.ts';
import { claimJob, finishJob, type ClaimedJob, type JobWork } from '../store/jobs.ts';
import { PollLoop } from '../store/turns.ts';
import type { Actor, Store } from '../store/store.ts';
import { transact } from '../store/transact.ts';
import { wakeResting } from './addressing/resting.ts';
import { housekeeping } from './housekeeping.ts';
import { countDoubts, DOUBTS_AGAIN_SECONDS } from './matters/counting.ts';
import { reslot } from './racks/reslot.ts';
import { againAtNight, soundnessWork, untilNight } from './soundness/checks.ts';
import { recompare } from './fleet/recompare.ts';
import { remask } from './secrets/remask.ts';
import { reindex } from './search/reindex.ts';

interface Log {
  info: (what: object, text: string) => void;
  warn: (what: object, text: string) => void;
}

export const works: Record<string, JobWork> = {
  housekeeping,
  reindex,
  recompare,
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

const actor: Actor = { name: 'service', via: 'service' };
const IDLE_MS = 1000;
const RETRY_SECONDS = 60;

/** Claims and does jobs, one at a time and slow ones beside, until it is stopped. */
export class Worker {
  private readonly store: Store;
  private readonly log: Log;
  private readonly inThread: InThread;
  private readonly faults: Faults;
  private readonly turns = new PollLoop(IDLE_MS, () => this.turn());

  constructor(store: Store, log: Log, inThread: InThread) {
    this.store = store;
    this.log = log;
    this.inThread = inThread;
    this.faults = new Faults(log);
  }

  async start(): Promise<void> {
    await transact(this.store, actor, 'start', async (tx) => {
      tx.job({ name: 'housekeeping', payload: {}, delaySeconds: 5, single: 'housekeeping' });
      tx.job({ name: 'plausibility', payload: {}, delaySeconds: 60, single: 'plausibility' });
      tx.job({ name: 'soundness', payload: {}, delaySeconds: untilNight(), single: 'soundness' });
      tx.job({ name: 'resting', payload: {}, delaySeconds: 1, single: 'resting' });
      return Promise.resolve();
    });
    this.turns.start();
  }

  stop(): Promise<void> {
    return this.turns.stop();
  }

  private async turn(): Promise<boolean> {
    // Short ones go on while as many long ones as there is room for are under way.
    const full = this.turns.running.size >= MOST_LONG ? Object.keys(long) : [];
    const job = await claimJob(this.store, full).catch((error: unknown) => {
      this.faults.say(error, 'no job could be claimed');
      return undefined;
    });
    if (!job) return false;
    if (job.name in long) this.turns.beside(this.work(job));
    else await this.work(job);
    return true;
  }

  private async work(job: ClaimedJob): Promise<void> {
    try {
      const again = await whileHeld(this.store, actor, job.lease, (lost) => this.done(job, lost));
      await finishJob(this.store, job, again);
    } catch (error) {
      // What was cut off is claimed again by whoever starts next.
      if (this.turns.stopping) return;
      if (error instanceof LeaseLost)
        return this.log.warn({ job: job.name }, 'a job was given to another meanwhile; its work here was ended');
      this.log.warn({ job: job.name, tries: job.tries, err: error }, 'a job failed');
      const failure = String(error instanceof Error ? error.message : error).slice(0, 500);
      await finishJob(this.store, job, RETRY_SECONDS * Math.min(job.tries, 30), failure).catch(() => undefined);
    }
  }

  /** What is cut off because another has the job says nothing but that. */
  private async done(job: ClaimedJob, lost: AbortSignal): Promise<number | undefined> {
    try {
      const again = long[job.name];
      if (again) return await this.inThread(job, lost).then(() => again(job.payload));
      const work = works[job.name];
      if (!work) throw new Error(`nothing does jobs of the name ${job.name}`);
      return await work(this.store, job.payload, lost);
    } catch (error) {
      throw lost.aborted ? lost.reason : error;
    }
  }
}
