/**
 * Regular expressions in linear time (a set of states walks over the text once), so that no pattern can hang a rendering.
 * Known: literals, `.`, classes, `\d \w \s` and their capitals, groups, `|`, `* + ? {m,n}`. A match is of the whole text.
 */
type Test = (sign: string) => boolean;

interface State {
  test?: Test;
  /** Where it goes: behind the sign it tests, or at once. */
  to: number[];
}

export class PatternFault extends Error {}

const MOST_STATES = 5000;

/** Of groups inside each other. */
const MOST_NESTED = 200;

export interface CompiledPattern {
  matches: (text: string) => boolean;
  /** What a sign of the text costs at most. */
  states: number;
}

/** Compiles a pattern; throws PatternFault with words when it is not one. */
export function compilePattern(source: string): CompiledPattern {
  let depth = 0;
  const states: State[] = [];
  const add = (state: State): number => {
    if (states.length >= MOST_STATES) throw new PatternFault('the pattern is too large');
    return states.push(state) - 1;
  };
  /** A piece of the machine: where it begins, and the states whose ends are still open. */
  interface Fragment {
    start: number;
    open: number[];
  }
  const signs = [...source];
  let at = 0;
  const join = (a: Fragment, b: Fragment): Fragment => {
    for (const state of a.open) states[state]?.to.push(b.start);
    return { start: a.start, open: b.open };
  };
  const empty = (): Fragment => {
    const state = add({ to: [] });
    return { start: state, open: [state] };
  };

  const alternatives = (): Fragment => {
    let left = sequence();
    while (signs[at] === '|') {
      at += 1;
      const right = sequence();
      const fork = add({ to: [left.start, right.start] });
      left = { start: fork, open: [...left.open, ...right.open] };
    }
    return left;
  };

  const sequence = (): Fragment => {
    let whole = empty();
    while (at < signs.length && signs[at] !== '|' && signs[at] !== ')') whole = join(whole, repeated());
    return whole;
  };

  const repeated = (): Fragment => {
    const begin = at;
    let piece = atom();
    for (;;) {
      const sign = signs[at];
      if (sign === '*' || sign === '+' || sign === '?') {
        at += 1;
        piece = times(piece, sign);
      } else if (sign === '{') {
        const [least, most] = counts();
        const end = at;
        piece = counted(begin, least, most);
        at = end;
      } else return piece;
    }
  };

  const times = (piece: Fragment, sign: '*' | '+' | '?'): Fragment => {
    const fork = add({ to: [piece.start] });
    if (sign === '?') return { start: fork, open: [...piece.open, fork] };
    for (const state of piece.open) states[state]?.to.push(fork);
    return { start: sign === '*' ? fork : piece.start, open: [fork] };
  };

  /** The atom that begins at `begin`, so often; it is read again for each time. */
  const counted = (begin: number, least: number, most: number | undefined): Fragment => {
    const again = (): Fragment => {
      at = begin;
      return atom();
    };
    let whole = empty();
    for (let i = 0; i < least; i += 1) whole = join(whole, again());
    if (most === undefined) return join(whole, times(again(), '*'));
    for (let i = least; i < most; i += 1) whole = join(whole, times(again(), '?'));
    return whole;
  };

  const counts = (): [number, number | undefined] => {
    const match = /^\{(\d{1,3})(,(\d{0,3}))?\}/.exec(signs.slice(at, at + 10).join(''));
    if (!match) throw new PatternFault('"{" begins a count such as {2,4}; as a sign it is written \\{');
    at += [...match[0]].length;
    const least = Number(match[1]);
    const most = match[2] === undefined ? least : match[3] ? Number(match[3]) : undefined;
    if (most !== undefined && most < least) throw new PatternFault(`{${least},${most}} counts backwards`);
    return [least, most];
  };

  const atom = (): Fragment => {
    const sign = signs[at];
    if (sign === undefined) throw new PatternFault('something is missing at the end');
    if (sign === '*' || sign === '+' || sign === '?') throw new PatternFault(`nothing stands before "${sign}"`);
    at += 1;
    if (sign === '(') {
      if (signs[at] === '?' && signs[at + 1] === ':') at += 2;
      depth += 1;
      if (depth > MOST_NESTED) throw new PatternFault(`groups nest at most ${MOST_NESTED} levels`);
      const inner = alternatives();
      depth -= 1;
      if (signs[at] !== ')') throw new PatternFault('a "(" is never closed');
      at += 1;
      return inner;
    }
    if (sign === ')') throw new PatternFault('a ")" closes nothing');
    const test =
      sign === '.'
        ? (s: string) => s !== '\n'
        : sign === '['
          ? charClass()
          : sign === '\\'
            ? escaped()
            : (s: string) => s === sign;
    const state = add({ test, to: [] });
    return { start: state, open: [state] };
  };

  const sets: Record<string, Test> = {
    d: (s) => s >= '0' && s <= '9',
    w: (s) => /^[A-Za-z0-9_]$/.test(s),
    s: (s) => /^\s$/.test(s),
  };
  const escaped = (): Test => {
    const sign = signs[at];
    if (sign === undefined) throw new PatternFault('a backslash at the end escapes nothing');
    at += 1;
    const set = sets[sign.toLowerCase()];
    if (set) return sign === sign.toLowerCase() ? set : (s) => !set(s);
    if (/[A-Za-z0-9]/.test(sign)) {
      const control: Record<string, string> = { n: '\n', t: '\t' };
      const meant = control[sign];
      if (meant === undefined) throw new PatternFault(`"\\${sign}" means nothing`);
      return (s) => s === meant;
    }
    return (s) => s === sign;
  };

  const charClass = (): Test => {
    const not = signs[at] === '^';
    if (not) at += 1;
    const tests: Test[] = [];
    for (let first = true; signs[at] !== ']' || first; first = false) {
      const sign = signs[at];
      if (sign === undefined) throw new PatternFault('a "[" is never closed');
      at += 1;
      if (sign === '\\') tests.push(escaped());
      else if (signs[at] === '-' && signs[at + 1] !== undefined && signs[at + 1] !== ']') {
        const last = signs[at + 1] ?? '';
        at += 2;
        if (last < sign) throw new PatternFault(`${sign}-${last} runs backwards`);
        tests.push((s) => s >= sign && s <= last);
      } else tests.push((s) => s === sign);
    }
    at += 1;
    return (s) => tests.some((test) => test(s)) !== not;
  };

  const whole = alternatives();
  if (at < signs.length) throw new PatternFault('a ")" closes nothing');
  const final = add({ to: [] });
  for (const state of whole.open) states[state]?.to.push(final);

  /** All states that are reached without reading a sign. */
  const spread = (from: Iterable<number>): Set<number> => {
    const reached = new Set<number>();
    const waiting = [...from];
    for (let state = waiting.pop(); state !== undefined; state = waiting.pop()) {
      if (reached.has(state)) continue;
      reached.add(state);
      const { test, to } = states[state] as State;
      if (!test) waiting.push(...to);
    }
    return reached;
  };
  const matches = (text: string): boolean => {
    let here = spread([whole.start]);
    for (const sign of text) {
      const next: number[] = [];
      for (const state of here) {
        const { test, to } = states[state] as State;
        if (test?.(sign)) next.push(...to);
      }
      here = spread(next);
      if (here.size === 0) return false;
    }
    return here.has(final);
  };
  return { matches, states: states.length };
}
