/** Signs of life on their way to the database: the same one counted, a bounded number of each sender and in all. */
import type { Sign } from '../app/signs/sign.ts';
import { saveSigns } from '../app/signs/signs.ts';
import type { Faults } from '../store/faults.ts';
import type { Actor, Store } from '../store/store.ts';
import { transact } from '../store/transact.ts';
import { isDatabaseAway } from './ledger.ts';

const actor: Actor = { name: 'boot', via: 'service' };
const EVERY_MS = 500;
/** So much waits at a time; of one sender fewer, so that nobody takes the room of others. */
const ROOM = 2000;
const OF_SENDER = 40;
/** Of one unit of work. */
const MOST = 200;
/** Senders that nobody knows, in one second: whoever makes up addresses gets no further. */
const STRANGERS_A_TURN = 10;

export class SignGatherer {
  private readonly store: Store;
  private readonly faults: Faults;
  private readonly waiting = new Map<string, Sign>();
  private readonly senders = new Map<string, number>();
  private timer: NodeJS.Timeout | undefined;
  private busy: Promise<void> = Promise.resolve();
  /** What was not taken for want of room. */
  leftOut = 0;

  constructor(store: Store, faults: Faults) {
    this.store = store;
    this.faults = faults;
  }

  start(): void {
    this.timer = setInterval(() => void this.turn(), EVERY_MS);
  }

  async stop(): Promise<void> {
    clearInterval(this.timer);
    await this.busy;
    await this.turn();
  }

  add(sign: Omit<Sign, 'lastAt' | 'times'>): void {
    const { address, kind, text } = sign;
    const name = `${address} ${kind} ${text}`;
    const before = this.waiting.get(name);
    if (before) {
      before.times += 1;
      before.lastAt = sign.at;
      return;
    }
    const theirs = this.senders.get(address) ?? 0;
    if (this.waiting.size >= ROOM || theirs >= OF_SENDER) {
      this.leftOut += 1;
      return;
    }
    this.senders.set(address, theirs + 1);
    this.waiting.set(name, { ...sign, lastAt: sign.at, times: 1 });
  }

  private turn(): Promise<void> {
    this.busy = this.busy.then(() => this.write());
    return this.busy;
  }

  private async write(): Promise<void> {
    const strangers = new Set<string>();
    const taken: [string, Sign][] = [];
    for (const entry of this.waiting) {
      const [, { device, address }] = entry;
      if (taken.length >= MOST) break;
      if (device === undefined && !strangers.has(address) && strangers.size >= STRANGERS_A_TURN) continue;
      if (device === undefined) strangers.add(address);
      taken.push(entry);
    }
    if (taken.length === 0) return;
    try {
      const all = taken.map(([, sign]) => sign);
      await transact(this.store, actor, 'sign', (tx) => saveSigns(tx, all));
    } catch (error) {
      // Evidence that is a little late is evidence: it waits until the database is back.
      if (isDatabaseAway(error)) return;
      this.faults.say(error, 'signs of life could not be written down');
    }
    for (const [name, { address }] of taken) {
      this.waiting.delete(name);
      const left = (this.senders.get(address) ?? 1) - 1;
      if (left > 0) this.senders.set(address, left);
      else this.senders.delete(address);
    }
  }
}
