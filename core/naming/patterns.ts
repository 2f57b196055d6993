/** How devices are named: `{site}-acc-{n}`, and the next name of such a row. */
import { fail, ok, type Parsed } from '../fault.ts';

const patternParts = ['area', 'site', 'room', 'rack', 'duty', 'model', 'n'] as const;
export type PatternPart = (typeof patternParts)[number];

export type PatternFault = 'pattern-part' | 'pattern-number' | 'pattern-value' | 'pattern-name';

/** Digits of the number: `{n}` as many as it takes, `{nn}` at least two. */
const placeholder = /\{([a-z]+)\}/g;
const isNumber = (word: string): boolean => /^n+$/.test(word);
const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** The texts before and behind the number, with the values filled in. */
export function rowOf(
  pattern: string,
  values: Partial<Record<PatternPart, string | null>>,
): Parsed<{ before: string; behind: string; digits: number }, PatternFault> {
  const words = [...pattern.matchAll(placeholder)].map((match) => match[1] ?? '');
  const odd = words.find((word) => !isNumber(word) && !(patternParts as readonly string[]).includes(word));
  if (odd !== undefined) return fail('pattern-part', { part: odd, pattern, known: patternParts.join(', ') });
  const numbers = words.filter(isNumber);
  if (numbers.length !== 1) return fail('pattern-number', { pattern });
  for (const word of words)
    if (!isNumber(word) && !values[word as PatternPart]) return fail('pattern-value', { part: word, pattern });
  const [before = '', behind = ''] = pattern
    .split(new RegExp(`\\{${numbers[0] ?? 'n'}\\}`))
    .map((half) => half.replace(placeholder, (_, word: PatternPart) => (values[word] ?? '').toLowerCase()));
  if (!/^[a-z0-9._-]*$/.test(before + behind)) return fail('pattern-name', { value: `${before}1${behind}` });
  return ok({ before, behind, digits: numbers[0]?.length ?? 1 });
}

/** Whether a name is one of a row. */
export const fitsRow = (row: { before: string; behind: string; digits: number }, name: string): boolean =>
  new RegExp(`^${escaped(row.before)}\\d{${row.digits},9}${escaped(row.behind)}$`).test(name.toLowerCase());

/** One above the highest that is taken: numbers of what is gone are not given again while a later one stands. */
export function nextIn(row: { before: string; behind: string; digits: number }, taken: Iterable<string>): string {
  const shape = new RegExp(`^${escaped(row.before)}(\\d{1,9})${escaped(row.behind)}$`);
  let highest = 0;
  for (const name of taken) highest = Math.max(highest, Number(shape.exec(name)?.[1] ?? 0));
  return `${row.before}${String(highest + 1).padStart(row.digits, '0')}${row.behind}`;
}
