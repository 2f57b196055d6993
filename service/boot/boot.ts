/** What booting devices are served by: a memory of the records, and three listeners that answer from it. */
import { randomInt } from 'node:crypto';
import { BootMemory } from '@zpine/core/dhcp/memory';
import { MOST_LISTED } from '../app/arrivals/strangers.ts';
import { Faults } from '../store/faults.ts';
import type { Store } from '../store/store.ts';
import type { BootState } from '@zpine/contract/processes';
import type { Hint } from '../store/hint.ts';
import { Account } from './account.ts';
import { BootClock } from './clock.ts';
import { DhcpListener, type BootOptions, type BootParts } from './dhcp.ts';
import { BootHttp, type HttpOptions } from './http.ts';
import { KeptFiles } from './keptFiles.ts';
import { Ledger } from './ledger.ts';
import { Refresher } from './refresher.ts';
import type { Log } from './sockets.ts';
import { SignListener } from './signs.ts';
import { TftpListener } from './tftp.ts';

/** Of an unsigned column of four bytes. */
const WRITERS = 2 ** 32;

export class Boot {
  private readonly parts: BootParts;
  private readonly refresher: Refresher;
  private readonly listeners: { start: () => Promise<void>; stop: () => Promise<void> }[];

  constructor(store: Store, options: BootOptions & HttpOptions, log: Log) {
    const faults = new Faults(log);
    const memory = new BootMemory(options, MOST_LISTED);
    const clock = new BootClock();
    // Two services on one database, and two of one after the other, are told apart by it.
    const writer = randomInt(1, WRITERS);
    const ledger = new Ledger(store, memory, clock, writer, faults);
    const kept = new KeptFiles(store, memory, clock, faults);
    this.parts = { store, memory, clock, ledger, account: new Account(store, faults), kept, faults };
    this.refresher = new Refresher(store, memory, clock, writer, faults, log);
    this.listeners = [
      new DhcpListener(this.parts, options, log),
      new TftpListener(this.parts, options, log),
      new BootHttp(this.parts, options, log),
      new SignListener(this.parts, options, log),
    ];
  }

  /** The ports are bound when what stands behind them can answer. */
  start(): Promise<void> {
    return this.refresher.start(async () => {
      for (const listener of this.listeners) await listener.start();
      this.parts.kept.start();
    });
  }

  /** What was committed is known here when this resolves. */
  refresh(hints: readonly Hint[]): Promise<void> {
    return this.refresher.refresh(hints);
  }

  get state(): BootState {
    return { ...this.refresher.state };
  }

  async stop(): Promise<void> {
    await Promise.all(this.listeners.map((listener) => listener.stop()));
    await this.parts.kept.stop();
    await this.parts.account.stop();
    await this.refresher.stop();
  }
}
