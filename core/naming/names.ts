import { fail, ok, type Parsed } from '../fault.ts';

/** Reads one part of a natural key: lower case, `a-z 0-9 . _ -`, typed in any case. */
export function parseKeyPart(text: string): Parsed<string, 'name-syntax' | 'name-empty'> {
  const value = text.trim().toLowerCase();
  if (value === '') return fail('name-empty');
  if (/^[a-z0-9._-]+$/.test(value)) return ok(value);
  const meant = value
    .normalize('NFD')
    .replace(/[^a-z0-9._-]+/g, '-')
    .replace(/^-+|-+$/g, '');
  return fail('name-syntax', meant ? { value: text, meant } : { value: text });
}

/** Reads the name of an interface: as the device writes it, without blanks; capitals are kept. */
export function parsePortName(text: string): Parsed<string, 'port-name-syntax' | 'name-empty'> {
  const value = text.trim();
  if (value === '') return fail('name-empty');
  if (/^[A-Za-z0-9][A-Za-z0-9._/:-]*$/.test(value)) return ok(value);
  return fail('port-name-syntax', { value: text });
}

/**
 * A text whose order is the order people expect: numbers inside it count by value (`1/2` before `1/10`).
 * Every run of digits is written behind its own length, so that plain byte order is enough.
 */
export const sortKey = (text: string): string =>
  text.toLowerCase().replace(/[0-9]+/g, (digits) => {
    const plain = digits.replace(/^0+(?=\d)/, '');
    return `${plain.length.toString().padStart(2, '0')}${plain}`;
  });

/** No name that anybody could mean is longer. */
const LONGEST = 80;

/** The candidate nearest to what was typed, if one is near enough to be meant. */
export function nearest(typed: string, candidates: Iterable<string>): string | undefined {
  if (typed.length > LONGEST) return undefined;
  const wanted = typed.toLowerCase();
  let best: string | undefined;
  let bestDistance = Math.max(1, Math.floor(wanted.length / 3)) + 1;
  for (const candidate of candidates) {
    const distance = editDistance(wanted, candidate.toLowerCase(), bestDistance);
    if (distance < bestDistance) {
      best = candidate;
      bestDistance = distance;
    }
  }
  return best;
}

/** Insertions, removals, changes and swaps of neighbours that lead from a to b; stops counting at `limit`. */
function editDistance(a: string, b: string, limit: number): number {
  if (Math.abs(a.length - b.length) >= limit) return limit;
  let before: number[] = [];
  let above = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i += 1) {
    const row = [i];
    for (let j = 1; j <= b.length; j += 1) {
      const same = a[i - 1] === b[j - 1];
      let cost = Math.min((above[j] ?? 0) + 1, (row[j - 1] ?? 0) + 1, (above[j - 1] ?? 0) + (same ? 0 : 1));
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1])
        cost = Math.min(cost, (before[j - 2] ?? 0) + 1);
      row.push(cost);
    }
    if (Math.min(...row) >= limit) return limit;
    before = above;
    above = row;
  }
  return above[b.length] ?? limit;
}
