/** Goes through the addresses of prefixes for devices, never faster than was said. */
import { newGuard } from '@zpine/core/fleet/loginGuard';
import { meetByRule } from '../app/sweeps/meet.ts';
import { claimSweep, endSweep, keepSwept, type ClaimedSweep } from '../app/sweeps/work.ts';
import { release } from '../store/claims.ts';
import { Faults } from '../store/faults.ts';
import type { Actor, Store } from '../store/store.ts';
import { transact } from '../store/transact.ts';
import { PollLoop } from '../store/turns.ts';
import type { ConnectOptions } from './connect.ts';
import { sweepHost } from './work/sweepHost.ts';

interface Log {
  info: (what: object, text: string) => void;
  warn: (what: object, text: string) => void;
}

const actor: Actor = { name: 'fleet', via: 'service' };
const IDLE_MS = 500;
/** A batch of addresses is begun with each second. */
const SECOND_MS = 1000;

export class Sweeper {
  private readonly store: Store;
  private readonly way: ConnectOptions;
  private readonly faults: Faults;
  private readonly turns = new PollLoop(IDLE_MS, () => this.turn());

  constructor(store: Store, way: ConnectOptions, log: Log) {
    this.store = store;
    this.way = way;
    this.faults = new Faults(log);
  }

  start(): void {
    this.turns.start();
  }

  stop(): Promise<void> {
    return this.turns.stop();
  }

  /** One sweep at a time. */
  private async turn(): Promise<boolean> {
    if (this.turns.running.size > 0) return false;
    await transact(this.store, actor, 'stranger.meet', meetByRule).catch((error: unknown) =>
      this.faults.say(error, 'no stranger could be met'),
    );
    const claimed = await transact(this.store, actor, 'sweep.claim', claimSweep).catch((error: unknown) => {
      this.faults.say(error, 'no sweep could be claimed');
      return undefined;
    });
    if (!claimed) return false;
    this.turns.beside(
      this.go(claimed).catch((error: unknown) =>
        this.faults.say(error, 'a sweep was broken off', { sweep: claimed.id }),
      ),
    );
    return true;
  }

  private async go(sweep: ClaimedSweep): Promise<void> {
    const guard = newGuard();
    const left = [...sweep.addresses];
    while (left.length > 0) {
      if (this.turns.stopping)
        return void (await transact(this.store, actor, 'sweep.release', (tx) => release(tx, sweep.lease)));
      const begun = Date.now();
      const batch = left.splice(0, sweep.perSecond);
      const results = await Promise.all(
        batch.map(async (address) => ({ address, found: await sweepHost(address, sweep, this.way, guard) })),
      );
      const how = await transact(this.store, actor, 'sweep.keep', (tx) => keepSwept(tx, sweep, results));
      if (how === 'lost') return;
      if (how === 'stopped')
        return void (await transact(this.store, actor, 'sweep.end', (tx) => endSweep(tx, sweep, 'it was stopped')));
      const wait = begun + SECOND_MS - Date.now();
      if (left.length > 0 && wait > 0) await new Promise((resolve) => setTimeout(resolve, wait));
    }
    await transact(this.store, actor, 'sweep.end', (tx) => endSweep(tx, sweep, null));
  }
}
