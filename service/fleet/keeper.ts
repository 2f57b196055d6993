/** Looks after arrivals: limits that pass, and devices that are to be proved. What is due stands in the database. */
import type { DialRow } from '@zpine/core/addressing/dial';
import { claimProbe, saveProof, passLimits, releaseProbe, type Probe } from '../app/arrivals/proof.ts';
import { turnBatches } from '../app/batches/window.ts';
import { claimSwapLook, saveSwapLook, turnSwaps, type SwapLook } from '../app/swaps/turns.ts';
import { lookAtSwapped } from './swapLook.ts';
import { whileHeld } from '../store/claims.ts';
import type { Actor, Store } from '../store/store.ts';
import { transact } from '../store/transact.ts';
import type { Jump } from './connect.ts';
import { prove } from './prove.ts';
import { PollLoop } from '../store/turns.ts';
import { Faults } from '../store/faults.ts';

interface Log {
  info: (what: object, text: string) => void;
  warn: (what: object, text: string) => void;
}

const actor: Actor = { name: 'arrivals', via: 'service' };
const IDLE_MS = 500;
const AT_ONCE = 8;
const BATCHES_MS = 2000;

export class Keeper {
  private readonly store: Store;
  private readonly dialMap: readonly DialRow[];
  private readonly jump: Jump;
  private readonly faults: Faults;
  private batchesAt = 0;
  private readonly turns = new PollLoop(IDLE_MS, () => this.safely());

  constructor(store: Store, dialMap: readonly DialRow[], jump: Jump, log: Log) {
    this.store = store;
    this.dialMap = dialMap;
    this.jump = jump;
    this.faults = new Faults(log);
  }

  start(): void {
    this.turns.start();
  }

  stop(): Promise<void> {
    return this.turns.stop();
  }

  private safely(): Promise<boolean> {
    return this.turn().catch((error: unknown) => {
      this.faults.say(error, 'arrivals could not be looked after');
      return false;
    });
  }

  /** Whether there is more to do at once. */
  private async turn(): Promise<boolean> {
    await this.batches();
    const passed = await transact(this.store, actor, 'arrival.limits', (tx) => passLimits(tx));
    if (this.turns.running.size >= AT_ONCE) return false;
    const probe = await transact(this.store, actor, 'arrival.claim', (tx) => claimProbe(tx));
    if (probe === undefined) return passed > 0;
    if (probe !== 'impossible') {
      this.turns.beside(this.look(probe));
    }
    return true;
  }

  /** What is to open or to end, every few seconds. */
  private async batches(): Promise<void> {
    if (Date.now() < this.batchesAt) return;
    this.batchesAt = Date.now() + BATCHES_MS;
    await transact(this.store, actor, 'batch.turn', (tx) => turnBatches(tx));
    const open = await transact(this.store, actor, 'swap.turn', (tx) => turnSwaps(tx));
    if (open === 0 || this.turns.running.size >= AT_ONCE) return;
    const look = await transact(this.store, actor, 'swap.claim', (tx) => claimSwapLook(tx));
    if (look !== undefined && look !== 'impossible') this.turns.beside(this.lookAtSwap(look));
  }

  private async lookAtSwap(look: SwapLook): Promise<void> {
    try {
      const way = { dialMap: this.dialMap, jump: this.jump, firstContact: false };
      const said = await whileHeld(this.store, actor, look.lease, () => lookAtSwapped(look, way));
      await transact(this.store, actor, 'swap.look', (tx) => saveSwapLook(tx, look, said));
    } catch (error) {
      this.faults.say(error, 'a device that is swapped could not be looked at', { swap: look.id });
    }
  }

  private async look(probe: Probe): Promise<void> {
    try {
      const way = { dialMap: this.dialMap, jump: this.jump, firstContact: true };
      const result = await whileHeld(this.store, actor, probe.lease, () => prove(probe, way));
      await transact(this.store, actor, 'arrival.proof', (tx) => saveProof(tx, probe, result));
    } catch (error) {
      this.faults.say(error, 'a device could not be looked at', { device: probe.deviceKey });
      await transact(this.store, actor, 'arrival.release', (tx) =>
        releaseProbe(tx, probe, this.store.limits.probe * 2),
      ).catch(() => undefined);
    }
  }
}
