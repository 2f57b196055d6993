/** What a unit of work has touched: whoever holds records in memory hears of it before the work is called done. */
import type { Hint } from './hint.ts';

/** Who changes more than that waits for nobody: it is heard of by the events. */
const MOST = 300;

export class Touched {
  private hints: Hint[] = [];
  private more = false;

  note(hint: Hint): void {
    if (this.hints.length < MOST) this.hints.push(hint);
    else this.more = true;
  }

  /** Undefined for too many to be told one by one. */
  all(): readonly Hint[] | undefined {
    return this.more ? undefined : this.hints;
  }
}
