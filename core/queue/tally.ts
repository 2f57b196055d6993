/**
 * Counts what happens too often to be written down one by one: the first of its kind is told at once, what follows is
 * counted, and told as a number now and then. No I/O, no clock.
 */
export interface Counted {
  /** Who, and what; both are bounded by whoever counts. */
  from: string;
  what: string;
  times: number;
}

export class Tally {
  private readonly most: number;
  private counts = new Map<string, Counted>();
  /** What came from more places than are kept apart. */
  private others = 0;

  /** `most` places and reasons are kept apart at a time. */
  constructor(most: number) {
    this.most = most;
  }

  /** True for the first of its kind since the last `collect`: that one is told at once, and not counted. */
  note(from: string, what: string): boolean {
    const key = `${from}\n${what}`;
    const known = this.counts.get(key);
    if (known) {
      known.times += 1;
      return false;
    }
    if (this.counts.size >= this.most) {
      this.others += 1;
      return false;
    }
    this.counts.set(key, { from, what, times: 0 });
    return true;
  }

  /** What was counted since the last time, and not told yet. */
  collect(): Counted[] {
    const out = [...this.counts.values()].filter(({ times }) => times > 0);
    if (this.others > 0) out.push({ from: '', what: 'from many other places', times: this.others });
    this.counts = new Map();
    this.others = 0;
    return out;
  }
}
