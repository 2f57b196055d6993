/** What a run has found and not yet written down: gathered, and written in batches. */
import { Refusal } from '@zpine/contract/errors';
import { saveRows, wishesFor, type ClaimedRun, type RowResult } from '../app/fleet/work.ts';
import type { Actor, Store } from '../store/store.ts';
import { transact } from '../store/transact.ts';

/** What is over after a while; anything else is wrong with what is written. */
const PASSES: readonly string[] = ['database-away', 'busy'];
const FLUSH_MS = 200;
/** With nothing to write down, the claim is renewed this often. */
const BEAT_MS = 2000;
/** How long the end of a run waits for a database that is away. */
const PATIENCE_MS = 300_000;

export class RunLedger {
  /** Somebody wants the run to end early. */
  stopping = false;
  /** Somebody wants it to wait. */
  paused = false;
  /** Another worker has the run by now: nothing of ours is written any more. */
  lost = false;
  private readonly store: Store;
  private readonly run: ClaimedRun;
  private readonly actor: Actor;
  private begun: number[] = [];
  private results: RowResult[] = [];
  private beatAt = 0;
  private flushing = Promise.resolve();
  private readonly timer: NodeJS.Timeout;

  constructor(store: Store, run: ClaimedRun, actor: Actor) {
    this.store = store;
    this.run = run;
    this.actor = actor;
    this.timer = setInterval(() => void this.flush(), FLUSH_MS);
  }

  begin(device: number): void {
    this.begun.push(device);
  }

  done(result: RowResult): void {
    this.results.push(result);
  }

  /** Writes down everything, and no more after that. */
  async close(): Promise<void> {
    clearInterval(this.timer);
    const until = Date.now() + PATIENCE_MS;
    do {
      await this.flush();
      if (this.results.length === 0 || this.lost) return;
      await new Promise((resolve) => setTimeout(resolve, FLUSH_MS));
    } while (Date.now() < until);
  }

  /** One after the other, in the order in which they were asked for. */
  private flush(): Promise<void> {
    this.flushing = this.flushing.then(() => this.write());
    return this.flushing;
  }

  private async write(): Promise<void> {
    const { begun, results } = this;
    const now = Date.now();
    if (this.lost || (begun.length + results.length === 0 && now - this.beatAt < BEAT_MS)) return;
    this.beatAt = now;
    this.begun = [];
    this.results = [];
    try {
      await this.note(begun, results);
    } catch (error) {
      if (error instanceof Refusal && PASSES.includes(error.code)) {
        // The database is away or busy: what was found is written down when it is back.
        this.begun = [...begun, ...this.begun];
        this.results = [...results, ...this.results];
        return;
      }
      for (const result of results) await this.note([], [result]).catch((why: unknown) => this.unwritable(result, why));
    }
  }

  private async note(begun: number[], results: RowResult[]): Promise<void> {
    await transact(this.store, this.actor, 'run.note', async (tx) => {
      if (!(await saveRows(tx, this.run, begun, results))) this.lost = true;
      const { stopping, paused } = await wishesFor(tx, this.run);
      if (stopping) this.stopping = true;
      this.paused = paused;
    });
  }

  /** A single result that the database does not take costs its own row and nothing else. */
  private async unwritable(result: RowResult, why: unknown): Promise<void> {
    const { device, startedAt, ms } = result;
    const words = why instanceof Error ? why.message : String(why);
    await this.note(
      [],
      [
        {
          device,
          startedAt,
          ms,
          outcome: 'stopped midway',
          detail: `what came could not be written down: ${words}`,
          result: {},
        },
      ],
    ).catch(() => undefined);
  }
}
