/**
 * Patterns that people write. They are matched in a time that grows with the text and not with the pattern's cleverness
 * (RE2's language: no look-around, no back references), so none can run for ever.
 */
import { RE2JS } from 're2js';

export interface Pattern {
  source: string;
  /** The named groups of the first match, empty where there are none; undefined where nothing matches. */
  find: (text: string) => Groups | undefined;
  test: (text: string) => boolean;
  /** Where the first match is, from and to; of a named group where one is given. */
  at: (text: string, from: number, group?: string) => { from: number; to: number } | undefined;
  groups: string[];
  /** Whether it is the text from its beginning to its end. */
  whole: (text: string) => boolean;
  /** What a sign of a text costs at most, in steps of the machine that it became. */
  states: number;
}

type Groups = Record<string, string>;

const MOST_PATTERN = 1000;
/** So many are held compiled: a template asks the same one for every port. */
const MOST_HELD = 200;
const held = new Map<string, Pattern>();

/** Lines are matched one by one: `^` and `$` are the ends of the text. Throws an Error with the reason in plain words. */
export function compilePattern(source: string): Pattern {
  const known = held.get(source);
  if (known) return known;
  if (source.length > MOST_PATTERN) throw new Error(`longer than ${MOST_PATTERN} characters`);
  let compiled: RE2JS;
  try {
    compiled = RE2JS.compile(source);
  } catch (error) {
    const said = error instanceof Error ? error.message : String(error);
    throw new Error(said.replace(/^error parsing regexp: /, ''), { cause: error });
  }
  const begin = literalBeginning(source);
  const may = (text: string): boolean => begin === '' || text.startsWith(begin);
  const groups = Object.keys(compiled.namedGroups());
  const at: Pattern['at'] = (text, from, group) => {
    if (from > text.length || !may(text)) return undefined;
    const matcher = compiled.matcher(text);
    if (!matcher.find(from)) return undefined;
    const begin = group === undefined ? matcher.start() : matcher.start(group);
    return begin < 0 ? undefined : { from: begin, to: group === undefined ? matcher.end() : matcher.end(group) };
  };
  const pattern: Pattern = {
    source,
    groups,
    states: compiled.programSize(),
    whole: (text) => compiled.matches(text),
    test: (text) => may(text) && compiled.matcher(text).find(),
    find: (text) => {
      if (!may(text)) return undefined;
      const matcher = compiled.matcher(text);
      if (!matcher.find()) return undefined;
      const out: Groups = {};
      for (const name of groups) {
        const held = matcher.group(name);
        if (held !== null && held !== '') out[name] = held;
      }
      return out;
    },
    at,
  };
  const [oldest] = held.size >= MOST_HELD ? held.keys() : [];
  if (oldest !== undefined) held.delete(oldest);
  held.set(source, pattern);
  return pattern;
}

/**
 * What every text begins with that a pattern fits; empty where that is not plain to see. Most lines of a configuration fit
 * none of a sheet's patterns, and looking at their first letters costs a hundredth of matching them.
 */
function literalBeginning(source: string): string {
  const [, letters = '', next = ''] = /^\^([A-Za-z0-9 _/,:;=@#%&<>"'~-]*)(.?)/s.exec(source) ?? [];
  if (letters === '' || source.includes('\\Q') || hasAlternatives(source)) return '';
  return /[?*+{]/.test(next) ? letters.slice(0, -1) : letters;
}

/** Whether a `|` stands outside of all brackets. */
function hasAlternatives(source: string): boolean {
  let [depth, listed] = [0, false];
  for (let i = 0; i < source.length; i += 1) {
    const sign = source[i];
    if (sign === '\\') i += 1;
    else if (listed) listed = sign !== ']';
    else if (sign === '[') listed = true;
    else if (sign === '(') depth += 1;
    else if (sign === ')') depth -= 1;
    else if (sign === '|' && depth === 0) return true;
  }
  return false;
}
