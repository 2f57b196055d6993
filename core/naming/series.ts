/** Names in a row: `ske-acc-{2..9}` stands for eight of them, `u{01..12}` keeps its zeros. */
import { fail, ok, type Parsed } from '../fault.ts';

const MOST_IN_SERIES = 1000;

export type SeriesFault = 'series-syntax' | 'series-many';

/** Commas separate members where braces do not hold them; several braces multiply, the last one runs first. */
export function expandSeries(text: string): Parsed<string[], SeriesFault> {
  const out: string[] = [];
  for (const part of text.split(',')) {
    const word = part.trim();
    if (word === '') continue;
    const read = expandOne(word);
    if (!read.ok) return read;
    out.push(...read.value);
    if (out.length > MOST_IN_SERIES) return fail('series-many', { value: text, max: MOST_IN_SERIES });
  }
  return ok(out);
}

function expandOne(word: string): Parsed<string[], SeriesFault> {
  const open = word.indexOf('{');
  if (open < 0) return word.includes('}') ? fail('series-syntax', { value: word }) : ok([word]);
  const match = /^\{(\d{1,9})\.\.(\d{1,9})\}/.exec(word.slice(open));
  if (!match) return fail('series-syntax', { value: word });
  const [whole, from = '', to = ''] = match;
  const [first, last] = [Number(from), Number(to)];
  if (Math.abs(last - first) >= MOST_IN_SERIES) return fail('series-many', { value: word, max: MOST_IN_SERIES });
  const rest = expandOne(word.slice(open + whole.length));
  if (!rest.ok) return rest;
  const wide = from.startsWith('0') && from.length > 1 ? from.length : 0;
  const step = first <= last ? 1 : -1;
  const out: string[] = [];
  for (let n = first; ; n += step) {
    for (const tail of rest.value) out.push(`${word.slice(0, open)}${String(n).padStart(wide, '0')}${tail}`);
    if (out.length > MOST_IN_SERIES) return fail('series-many', { value: word, max: MOST_IN_SERIES });
    if (n === last) return ok(out);
  }
}

/** The way back, for reading: names whose last numbers follow one another become one word, `1/{3..22}`. */
export function shortSeries(names: readonly string[]): string[] {
  const runs: { before: string; first: number; last: number; after: string; name: string }[] = [];
  for (const name of names) {
    const [, before = '', digits, after = ''] = /^(.*?)(\d{1,9})(\D*)$/.exec(name) ?? [];
    const run = runs.at(-1);
    const n = Number(digits);
    const plain = digits !== undefined && String(n) === digits;
    if (plain && run && run.before === before && run.after === after && run.last === n - 1) run.last = n;
    else runs.push({ before: plain ? before : name, first: plain ? n : NaN, last: plain ? n : NaN, after, name });
  }
  return runs.flatMap(({ before, first, last, after, name }) => {
    if (!(last > first)) return [name];
    const two = last === first + 1;
    return two ? [`${before}${first}${after}`, `${before}${last}${after}`] : [`${before}{${first}..${last}}${after}`];
  });
}
