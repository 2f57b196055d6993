import { Instant } from './instant.ts';
import type { Store } from './store.ts';

/** For how long the distance to the database's clock is taken for granted. */
const CLOCK_MS = 10_000;

/** The database's clock, as one unit of work sees it: it stands still there. */
export class Clock {
  private readonly store: Pick<Store, 'clock'>;
  private readonly ask: () => Promise<number | undefined>;
  private time: Instant | undefined;

  /** `ask`: the time of the database, ms since 1970. */
  constructor(store: Pick<Store, 'clock'>, ask: () => Promise<number | undefined>) {
    this.store = store;
    this.ask = ask;
  }

  async now(): Promise<Instant> {
    if (this.time === undefined) {
      const { clock } = this.store;
      const fresh = clock !== undefined && Math.abs(Date.now() - clock.sampledAt) < CLOCK_MS;
      const offset = fresh ? clock.offsetMs : await this.sample();
      this.time = new Instant(Date.now() + offset);
    }
    return this.time;
  }

  aboutNow(): Instant {
    return this.time ?? new Instant(Date.now() + (this.store.clock?.offsetMs ?? 0));
  }

  /** How far the database's clock is ahead of ours; asked for now and then, not for every write. */
  private async sample(): Promise<number> {
    const said = await this.ask();
    const sampledAt = Date.now();
    const offsetMs = (said ?? sampledAt) - sampledAt;
    this.store.clock = { offsetMs, sampledAt };
    return offsetMs;
  }
}
