/** Does runs: claims one, opens sessions with its devices side by side, writes down what they come to. */
import { type DialRow } from '@zpine/core/addressing/dial';
import { claimRun } from '../app/fleet/work.ts';
import { run as inTx, type Actor, type Store } from '../store/tx.ts';
import { type Jump, type Way } from './connect.ts';
import { RunWork } from './runWork.ts';

interface Log {
  info: (what: object, text: string) => void;
  warn: (what: object, text: string) => void;
}

const actor: Actor = { name: 'fleet', via: 'service' };
const IDLE_MS = 250;
/** So many runs side by side. */
const MOST_RUNS = 4;

export class Runner {
  private readonly store: Store;
  private readonly way: Way;
  private readonly log: Log;
  private readonly running = new Set<Promise<void>>();
  private stopping = false;
  private wake: (() => void) | undefined;
  private loop: Promise<void> | undefined;

  constructor(store: Store, dialMap: readonly DialRow[], jump: Jump, log: Log) {
    this.store = store;
    this.way = { dialMap, jump, firstContact: false };
    this.log = log;
  }

  start(): void {
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
      const claimed =
        this.running.size >= MOST_RUNS
          ? undefined
          : await inTx(this.store, actor, 'run.claim', claimRun).catch((error: unknown) => {
              this.log.warn({ err: error }, 'no run could be claimed');
              return undefined;
            });
      if (claimed) {
        const work = new RunWork(this.store, claimed, this.way, actor, () => this.stopping)
          .go()
          .catch((error: unknown) => this.log.warn({ err: error, run: claimed.id }, 'a run was broken off'))
          .finally(() => this.running.delete(work));
        this.running.add(work);
        continue;
      }
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, IDLE_MS);
        this.wake = () => {
          clearTimeout(timer);
          resolve();
        };
      });
    }
  }
}
