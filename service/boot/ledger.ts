/**
 * Writes leases down, those of some milliseconds together. A promise that nothing else stands for is given when it is on
 * disk; what the records promise already, or what is given back, follows when it can.
 */
import type { Held } from '@zpine/core/dhcp/leases';
import type { BootMemory } from '@zpine/core/dhcp/memory';
import { dropLeases, keepLeases, type Kept } from '../app/boot/leases.ts';
import { isAway } from '../store/database.ts';
import { Refusal } from '@zpine/contract/errors';
import type { Faults } from '../store/faults.ts';
import type { Actor, Store } from '../store/store.ts';
import { transact } from '../store/transact.ts';
import { Batches } from './batches.ts';
import type { BootClock } from './clock.ts';

const actor: Actor = { name: 'boot', via: 'service' };
/** Leases of one unit of work. */
const MOST = 500;
/** Decisions of so long become one unit of work. */
const GATHER_MS = 3;
const AGAIN_MS = 500;
/** A database that answers takes a fraction of it. */
const STILL_MS = 2000;

/** `kept`: it is on disk. `lost`: another has the address by now. `failed`: nobody knows. */
export type Outcome = 'kept' | 'lost' | 'failed';

type Entry = {
  row: Kept;
  /** What stood in memory before. */
  before: Held | undefined;
  /** Leases that its device had elsewhere. */
  others: readonly Held[];
  /** Waits for it; left out, it is written whenever that can be. */
  told: ((outcome: Outcome) => void) | undefined;
};

export const isDatabaseAway = (error: unknown): boolean =>
  error instanceof Refusal ? error.code === 'database-away' : isAway(error);

export class Ledger {
  private readonly store: Store;
  private readonly memory: BootMemory;
  private readonly clock: BootClock;
  private readonly faults: Faults;
  private readonly writer: number;
  private readonly batches = new Batches<Entry>(MOST, GATHER_MS, (batch) => this.write(batch));
  /** What could not be written, by address: the newest of each. */
  private readonly owed = new Map<string, Entry>();
  private timer: NodeJS.Timeout | undefined;

  constructor(store: Store, memory: BootMemory, clock: BootClock, writer: number, faults: Faults) {
    this.store = store;
    this.memory = memory;
    this.clock = clock;
    this.writer = writer;
    this.faults = faults;
  }

  /** Holds a lease in memory from now on, and writes it down. */
  keep(row: Kept, told?: (outcome: Outcome) => void): void {
    const { leases } = this.memory;
    const before = leases.at(row.vrf, row.address);
    const others =
      row.device === null || !row.acknowledged
        ? []
        : leases.ofDevice(row.device).filter(({ vrf, address }) => vrf !== row.vrf || address !== row.address);
    for (const { vrf, address } of others) leases.drop(vrf, address);
    const same = before?.word === row.word || (row.device !== null && before?.device === row.device);
    leases.put({ ...row, kept: same ? before.kept : 0 });
    this.batches.add({ row, before, others: others.filter(({ kept }) => kept > 0), told });
  }

  /** Holds an offer in memory; nobody was promised anything. */
  offer(row: Kept): void {
    const before = this.memory.leases.at(row.vrf, row.address);
    if (before?.acknowledged && before.expires > this.clock.now()) return;
    // What its client was promised once stays on disk until it is promised to another.
    this.memory.leases.put({ ...row, kept: 0 });
  }

  async stop(): Promise<void> {
    await this.batches.idle();
    clearTimeout(this.timer);
    if (this.owed.size > 0) await this.write([...this.owed.values()]);
    clearTimeout(this.timer);
  }

  private async write(batch: Entry[]): Promise<void> {
    // Of several about one address the last one counts; who waited for another is told with it.
    const last = new Map<string, Entry>();
    for (const entry of batch) last.set(placeOf(entry.row), entry);
    const rows = [...last.values()];
    // One that stands still is as good as away: what it promised before goes on.
    const still = setTimeout(() => (this.memory.away = true), STILL_MS);
    try {
      const lost = await transact(this.store, actor, 'dhcp', async (tx) => {
        const gone = await keepLeases(
          tx,
          rows.map(({ row }) => row),
          this.writer,
        );
        await dropLeases(
          tx,
          rows.flatMap(({ others }) => others),
        );
        return new Set(gone.map(placeOf));
      });
      this.memory.away = false;
      for (const entry of batch) this.done(entry, lost.has(placeOf(entry.row)) ? 'lost' : 'kept');
    } catch (error) {
      if (isDatabaseAway(error)) this.memory.away = true;
      this.faults.say(error, 'leases could not be written down');
      for (const entry of batch) this.failed(entry);
      this.later();
    } finally {
      clearTimeout(still);
    }
  }

  private done(entry: Entry, outcome: 'kept' | 'lost'): void {
    const { row, told } = entry;
    this.owed.delete(placeOf(row));
    const now = this.memory.leases.at(row.vrf, row.address);
    const still = now?.word === row.word && now.expires === row.expires;
    if (outcome === 'lost' && still) this.memory.leases.drop(row.vrf, row.address);
    if (outcome === 'kept' && still) now.kept = row.acknowledged ? row.expires : 0;
    told?.(outcome);
  }

  private failed(entry: Entry): void {
    const { row, before, told } = entry;
    if (!told) {
      this.owed.set(placeOf(row), entry);
      return;
    }
    const { leases } = this.memory;
    const now = leases.at(row.vrf, row.address);
    if (now?.word === row.word && now.expires === row.expires) {
      if (before) leases.put(before);
      else leases.drop(row.vrf, row.address);
    }
    told('failed');
  }

  private later(): void {
    if (this.owed.size === 0) return;
    clearTimeout(this.timer);
    this.timer = setTimeout(() => {
      const owed = [...this.owed.values()];
      this.owed.clear();
      for (const entry of owed) this.batches.add(entry);
    }, AGAIN_MS);
  }
}

const placeOf = ({ vrf, address }: Pick<Held, 'vrf' | 'address'>): string => `${vrf} ${address}`;
