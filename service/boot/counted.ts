/** What happens too often to be written down packet by packet: the first of a sender is, the others are counted, and cost no more. */
import { dialled, type DialRow } from '@zpine/core/addressing/dial';
import { Tally } from '@zpine/core/queue/tally';
import { saveBootRecord, type BootNote } from '../app/boot/records.ts';
import type { Actor, Store } from '../store/store.ts';
import { transact } from '../store/transact.ts';
import type { Faults } from '../store/faults.ts';

const actor: Actor = { name: 'boot', via: 'service' };
const TELL_MS = 10_000;
/** Senders and reasons that are kept apart at a time. */
const MOST = 200;

export class CountedNotes {
  private readonly tally = new Tally(MOST);
  private readonly store: Store;
  private readonly faults: Faults;
  private readonly dialMap: readonly DialRow[];
  private readonly protocol: BootNote['protocol'];
  private readonly timer: NodeJS.Timeout;
  private telling: Promise<void> = Promise.resolve();

  constructor(protocol: BootNote['protocol'], store: Store, dialMap: readonly DialRow[], faults: Faults) {
    this.protocol = protocol;
    this.store = store;
    this.faults = faults;
    this.dialMap = dialMap;
    this.timer = setInterval(() => this.tell(this.tally.collect()), TELL_MS);
  }

  note(from: string, what: string): void {
    if (this.tally.note(from, what)) this.tell([{ from, what, times: 1 }]);
  }

  async stop(): Promise<void> {
    clearInterval(this.timer);
    this.tell(this.tally.collect());
    await this.telling;
  }

  /** One after the other: they are nobody's hurry. */
  private tell(counted: { from: string; what: string; times: number }[]): void {
    const { protocol } = this;
    for (const { from, what, times } of counted) {
      const address = from === '' ? undefined : dialled(this.dialMap, 'default', from);
      const note = { protocol, what: 'packet', outcome: 'dropped' as const, address, detail: what };
      this.telling = this.telling
        .then(() => transact(this.store, actor, protocol, (tx) => saveBootRecord(tx, note, times)))
        .catch((error: unknown) => this.faults.say(error, 'what was counted could not be noted'));
    }
  }
}
