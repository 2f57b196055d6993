/** Times, as the median and the 95th percentile of many. */
export interface Times {
  median: number;
  p95: number;
  count: number;
}

export function timesOf(milliseconds: number[]): Times {
  const sorted = [...milliseconds].sort((a, b) => a - b);
  const at = (part: number) => sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * part))] ?? 0;
  return { median: at(0.5), p95: at(0.95), count: sorted.length };
}

/** Runs `work` again and again; the first runs warm up and are not counted. */
export async function measure(
  count: number,
  work: (i: number) => Promise<unknown>,
  warm = Math.ceil(count / 10),
): Promise<Times> {
  const taken: number[] = [];
  for (let i = 0; i < warm + count; i += 1) {
    const start = performance.now();
    await work(i);
    if (i >= warm) taken.push(performance.now() - start);
  }
  return timesOf(taken);
}

/**
 * Several things, turn by turn, so that whatever slows the machine for a while slows all of them: one of each, again and
 * again, each time in another order.
 */
export async function measureInTurns(
  count: number,
  works: readonly (() => Promise<unknown>)[],
  warm = Math.ceil(count / 10),
): Promise<Times[]> {
  const taken = works.map((): number[] => []);
  for (let i = 0; i < warm + count; i += 1)
    for (let at = 0; at < works.length; at += 1) {
      const turn = (at + i) % works.length;
      const start = performance.now();
      await works[turn]?.();
      if (i >= warm) taken[turn]?.push(performance.now() - start);
    }
  return taken.map(timesOf);
}

/** Two rates, turn by turn; the medians of their rounds. */
export async function ratesInTurns(
  rounds: number,
  one: () => Promise<number>,
  other: () => Promise<number>,
): Promise<[number, number]> {
  const rates: [number[], number[]] = [[], []];
  for (let i = 0; i < rounds; i += 1) {
    rates[0].push(await one());
    rates[1].push(await other());
  }
  return [timesOf(rates[0]).median, timesOf(rates[1]).median];
}

/** How many calls a second `clients` workers get done together. */
export async function rate(
  clients: number,
  each: number,
  work: (client: number, i: number) => Promise<unknown>,
): Promise<number> {
  const start = performance.now();
  await Promise.all(
    Array.from({ length: clients }, async (_, client) => {
      for (let i = 0; i < each; i += 1) await work(client, i);
    }),
  );
  return (clients * each) / ((performance.now() - start) / 1000);
}

/** One line of the table: a figure beside its reference from the same run. `ratio` above 1 is better than the reference. */
export interface Row {
  what: string;
  figure: string;
  reference: string;
  ratio: number;
  /** The least ratio that is aimed for. */
  aim: number;
  /** Where the ratio alone does not tell whether the aim is met. */
  met?: boolean;
}

export const isMet = (row: Row): boolean => row.met ?? row.ratio >= row.aim;
