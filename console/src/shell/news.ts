/** What changed, and what of all that is shown may be another by it. */

/** As the stream of events tells it. */
export interface Hint {
  kind: string;
  record: number;
  version: number | null;
}

export type Hints = readonly Hint[] | 'all';

/**
 * What changes often and is no record of its own, with all that is worked out from it. A change of anything else may
 * change whatever is worked out.
 */
const passing: Record<string, readonly string[]> = {
  arrival: ['arrivals', 'device', 'boot', 'dhcp', 'today', 'counts'],
  stranger: ['strangers', 'boot', 'today', 'counts'],
  run: ['runs', 'run', 'runrow', 'groups'],
  capture: ['captures', 'capture', 'capture-diff', 'capture-search', 'versions', 'today', 'counts'],
  drift: ['drift', 'device-drift', 'drift-means', 'device', 'today', 'counts'],
  'check-result': ['check-results', 'check-counts', 'today', 'counts'],
  watched: ['watched', 'live'],
  notice: ['notices', 'watched', 'today', 'counts'],
  doubt: ['doctor', 'today', 'counts'],
  'store-check': ['store-checks'],
};

/** Lists of all there is to do are worked out from everything: nobody waits for each change of them. */
const slow = ['today', 'counts'];

/** Whether a query may have another answer now, by its key. */
export function concerns(hints: Hints, [scope, what]: readonly unknown[]): boolean {
  const name = String(what);
  if (scope === 'records') return hints === 'all' || hints.some(({ kind }) => kind === name);
  if (scope !== 'worked') return false;
  return hints === 'all' || hints.some(({ kind }) => passing[kind]?.includes(name) ?? true);
}

export const isSlow = ([scope, what]: readonly unknown[]): boolean => scope === 'worked' && slow.includes(String(what));

/** What this page has saved itself: it has asked again already, and does not by the hint of it. */
export class OwnWrites {
  private readonly written: string[] = [];
  private readonly most: number;

  constructor(most = 50) {
    this.most = most;
  }

  note({ kind, record, version }: Hint): void {
    this.written.push(`${kind} ${record} ${version ?? ''}`);
    if (this.written.length > this.most) this.written.shift();
  }

  /** The hints of what others did. */
  without(hints: Hints): Hints {
    if (hints === 'all') return hints;
    return hints.filter(({ kind, record, version }) => !this.written.includes(`${kind} ${record} ${version ?? ''}`));
  }
}

/** Does something at once when it was not done for long, and otherwise when that time is over: never more often. */
export class AtMostEvery {
  private readonly ms: number;
  private readonly work: () => void;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private last = Number.NEGATIVE_INFINITY;

  constructor(ms: number, work: () => void) {
    this.ms = ms;
    this.work = work;
  }

  ask(now = Date.now()): void {
    if (this.timer !== undefined) return;
    const wait = this.last + this.ms - now;
    const go = (): void => {
      this.timer = undefined;
      this.last = Date.now();
      this.work();
    };
    if (wait <= 0) go();
    else this.timer = setTimeout(go, wait);
  }
}
