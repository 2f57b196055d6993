/** Does runs: claims one, opens sessions with its devices side by side, writes down what they come to. */
import type { DialRow } from '@zpine/core/addressing/dial';
import { claimRun } from '../app/fleet/work.ts';
import type { Actor, Store } from '../store/store.ts';
import { transact } from '../store/transact.ts';
import type { Jump, ConnectOptions } from './connect.ts';
import { RunWork } from './runWork.ts';
import { PollLoop } from '../store/turns.ts';
import { Faults } from '../store/faults.ts';

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
  private readonly way: ConnectOptions;
  private readonly faults: Faults;
  private readonly turns = new PollLoop(IDLE_MS, () => this.turn());

  constructor(store: Store, dialMap: readonly DialRow[], jump: Jump, log: Log) {
    this.store = store;
    this.way = { dialMap, jump, firstContact: false };
    this.faults = new Faults(log);
  }

  start(): void {
    this.turns.start();
  }

  stop(): Promise<void> {
    return this.turns.stop();
  }

  private async turn(): Promise<boolean> {
    if (this.turns.running.size >= MOST_RUNS) return false;
    const claimed = await transact(this.store, actor, 'run.claim', claimRun).catch((error: unknown) => {
      this.faults.say(error, 'no run could be claimed');
      return undefined;
    });
    if (!claimed) return false;
    const work = new RunWork(this.store, claimed, this.way, actor, () => this.turns.stopping);
    this.turns.beside(
      work.go().catch((error: unknown) => this.faults.say(error, 'a run was broken off', { run: claimed.id })),
    );
    return true;
  }
}
