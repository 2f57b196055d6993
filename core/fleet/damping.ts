/** What was seen of a thing that is watched, and when it is worth a notice: what flaps is told once, not at every turn. */
export interface Watched {
  /** What is taken to be so. */
  state: string;
  since: string;
  /** What was seen since, and how often in a row, until it is believed. */
  seen: string | null;
  times: number;
  /** When it changed lately. */
  turns: string[];
  flapping: boolean;
}

export interface Damping {
  /** A change is believed when it was seen so often in a row. */
  sure: number;
  /** So many changes within so many seconds are flapping, until it has been quiet for as long. */
  turns: number;
  withinSeconds: number;
}

export const usualDamping: Damping = { sure: 2, turns: 4, withinSeconds: 3600 };

export type Told =
  | { kind: 'changed'; from: string; to: string; since: string }
  | { kind: 'flaps'; turns: number }
  | { kind: 'quiet'; state: string };

const ageSeconds = (from: string, to: string): number => (Date.parse(to) - Date.parse(from)) / 1000;

/** One more look. The first one is only remembered. */
export function looked(
  before: Watched | undefined,
  state: string,
  at: string,
  damping: Damping = usualDamping,
): { watched: Watched; told: Told | undefined } {
  if (!before)
    return { watched: { state, since: at, seen: null, times: 0, turns: [], flapping: false }, told: undefined };
  const turns = before.turns.filter((turn) => ageSeconds(turn, at) < damping.withinSeconds);
  if (state === before.state) {
    const quiet = before.flapping && turns.length === 0;
    const watched = { ...before, seen: null, times: 0, turns, flapping: before.flapping && !quiet };
    return { watched, told: quiet ? { kind: 'quiet', state } : undefined };
  }
  const times = state === before.seen ? before.times + 1 : 1;
  if (times < damping.sure) return { watched: { ...before, seen: state, times, turns }, told: undefined };
  const now = [...turns, at];
  const flapping = now.length >= damping.turns;
  const watched: Watched = {
    state,
    since: at,
    seen: null,
    times: 0,
    turns: now,
    flapping: flapping || before.flapping,
  };
  if (before.flapping) return { watched, told: undefined };
  if (flapping) return { watched, told: { kind: 'flaps', turns: now.length } };
  return { watched, told: { kind: 'changed', from: before.state, to: state, since: at } };
}
