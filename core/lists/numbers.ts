/** Lists of whole numbers as people write them: `316, 328, 340-345`. */
import { fail, ok, type Parsed } from '../fault.ts';

export function parseNumbers(
  given: string | readonly number[],
  { min, max }: { min: number; max: number },
): Parsed<number[], 'numbers-syntax' | 'numbers-range'> {
  const found = new Set<number>();
  const parts = typeof given === 'string' ? given.split(/[,\s]+/).filter(Boolean) : given.map(String);
  for (const part of parts) {
    const match = /^(\d{1,6})(?:-(\d{1,6}))?$/.exec(part);
    if (!match) return fail('numbers-syntax', { value: part });
    const first = Number(match[1]);
    const last = Number(match[2] ?? match[1]);
    if (first < min || last > max || last < first) return fail('numbers-range', { value: part, min, max });
    for (let n = first; n <= last; n += 1) found.add(n);
  }
  return ok([...found].sort((a, b) => a - b));
}

/** Three and more in a row become a stretch. */
export function formatNumbers(numbers: readonly number[]): string {
  const runs: [number, number][] = [];
  for (const n of numbers) {
    const last = runs.at(-1);
    if (last && last[1] === n - 1) last[1] = n;
    else runs.push([n, n]);
  }
  return runs
    .flatMap(([a, b]) => (b - a < 2 ? Array.from({ length: b - a + 1 }, (_, i) => String(a + i)) : [`${a}-${b}`]))
    .join(', ');
}
