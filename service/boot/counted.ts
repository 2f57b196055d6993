/** What happens too often to be written down packet by packet: the first of a sender is, the others are counted, and cost no more. */
import { dialledBy, type DialRow } from '@zpine/core/addressing/dial';
import { Tally } from '@zpine/core/queue/tally';
import type { BootNote } from '../app/boot/records.ts';
import type { Account } from './account.ts';
import type { BootClock } from './clock.ts';

const TELL_MS = 10_000;
/** Senders and reasons that are kept apart at a time. */
const MOST = 200;

export class CountedNotes {
  private readonly tally = new Tally(MOST);
  private readonly account: Account;
  private readonly clock: BootClock;
  private readonly dialMap: readonly DialRow[];
  private readonly protocol: BootNote['protocol'];
  private readonly timer: NodeJS.Timeout;

  constructor(protocol: BootNote['protocol'], account: Account, clock: BootClock, dialMap: readonly DialRow[]) {
    this.protocol = protocol;
    this.account = account;
    this.clock = clock;
    this.dialMap = dialMap;
    this.timer = setInterval(() => this.tellAll(), TELL_MS);
  }

  /** `mac`: of whom, as far as that can be read. */
  note(from: string, what: string, mac?: string): void {
    if (this.tally.note(from, what)) this.tell(from, what, 1, mac);
  }

  stop(): void {
    clearInterval(this.timer);
    this.tellAll();
  }

  private tellAll(): void {
    for (const { from, what, times } of this.tally.collect()) this.tell(from, what, times);
  }

  private tell(from: string, what: string, times: number, mac?: string): void {
    const { protocol } = this;
    const address = from === '' ? undefined : dialledBy(this.dialMap, from);
    this.account.note(
      { protocol, what: 'packet', outcome: 'dropped', address, mac, detail: what },
      this.clock.now(),
      times,
    );
  }
}
