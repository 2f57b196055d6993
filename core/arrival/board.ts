/**
 * How the devices of a batch stand: one word each, from what was seen of their arrivals, and the order in which somebody
 * looks at them, trouble first.
 */

/** In that order. */
export const standings = [
  'stuck',
  'not served',
  'slow',
  'not ready',
  'not heard',
  'under way',
  'held',
  'waits',
  'left out',
  'serves',
] as const;
export type Standing = (typeof standings)[number];

export interface Member {
  /** What somebody said of it: it takes part, waits for them, or is left out. */
  turn: 'in' | 'held' | 'left out';
  serves: boolean;
  /** Why it cannot be expected: it has no edition, say. */
  unready: string | null;
  /** Its arrival in this window; times in milliseconds. */
  arrival: { poweredAt: number | null; servedAt: number | null; stuck: boolean; open: boolean } | null;
}

export interface Moment {
  window: 'before' | 'open' | 'over';
  /** Milliseconds. */
  now: number;
  /** Seconds that devices of its model take from power to service; undefined where too few were seen. */
  usual: number | undefined;
}

/** Nobody is called slow sooner. */
const SHORTEST = 60;
const SLOW = 2;

export function standingOf({ turn, serves, unready, arrival }: Member, { window, now, usual }: Moment): Standing {
  const poweredAt = arrival?.poweredAt ?? null;
  const bootsAnew = arrival?.open === true && poweredAt !== null;
  if (serves && !bootsAnew) return 'serves';
  if (turn === 'left out') return 'left out';
  if (turn === 'held') return 'held';
  const servedAt = arrival?.servedAt ?? null;
  if ((arrival?.stuck === true || servedAt !== null) && window !== 'over') return 'stuck';
  if (window === 'over') return 'not served';
  if (unready !== null) return 'not ready';
  if (window === 'before') return 'waits';
  if (poweredAt === null) return 'not heard';
  const seconds = (now - poweredAt) / 1000;
  return usual !== undefined && seconds > Math.max(SHORTEST, SLOW * usual) ? 'slow' : 'under way';
}

/** Those that trouble most first; the others as they stand. */
export const byTrouble = (a: Standing, b: Standing): number => standings.indexOf(a) - standings.indexOf(b);

/** So many have to have been seen before anything is called usual. */
const ENOUGH = 3;

/** The middle one, and one that nine of ten keep within; undefined where too few were seen. */
export function usualOf(seconds: readonly number[]): { usual: number; most: number } | undefined {
  if (seconds.length < ENOUGH) return undefined;
  const sorted = [...seconds].sort((a, b) => a - b);
  const at = (share: number) => sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] ?? 0;
  return { usual: at(0.5), most: at(0.9) };
}
