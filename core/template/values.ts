/** What expressions compute with. Data comes as JSON; text made from a secret stays marked wherever it goes. */
import { compareNum, formatNum, isNum, type Num } from './decimal.ts';

/** Text of which parts are secret. */
export class Marked {
  readonly pieces: readonly Piece[];
  /**
   * Whether it counts as there. What a function makes of a secret is there when the secret is, whatever has become of
   * its letters: an answer that depended on them would tell of them.
   */
  readonly set: boolean;
  constructor(pieces: readonly Piece[], set = pieces.some((piece) => piece.text !== '')) {
    this.pieces = pieces;
    this.set = set;
  }
  /** With the secrets in it: for the wire, and for functions that work on them. */
  get text(): string {
    return this.pieces.map((piece) => piece.text).join('');
  }
}

export interface Piece {
  text: string;
  secret: boolean;
}

export type Val = null | boolean | string | Num | Marked | Val[] | ValMap;
export interface ValMap {
  [name: string]: Val;
}

export const secretText = (text: string, set = text !== ''): Marked => new Marked([{ text, secret: true }], set);

/** Whether a value is, or holds, something that was made from a secret. */
export const holdsSecret = (value: Val): boolean => {
  if (value instanceof Marked) return true;
  if (Array.isArray(value)) return value.some(holdsSecret);
  return isMap(value) && Object.values(value).some(holdsSecret);
};

export const isMap = (value: Val | undefined): value is ValMap =>
  typeof value === 'object' && value !== null && !Array.isArray(value) && !(value instanceof Marked) && !isNum(value);

export type TypeName = 'nothing' | 'true or false' | 'a text' | 'a number' | 'a list' | 'a map' | 'a secret';

export function typeName(value: Val): TypeName {
  if (value === null) return 'nothing';
  if (typeof value === 'boolean') return 'true or false';
  if (typeof value === 'string') return 'a text';
  if (value instanceof Marked) return 'a secret';
  if (isNum(value)) return 'a number';
  return Array.isArray(value) ? 'a list' : 'a map';
}

/** Whether there is something: false, null, and what is empty are false; 0 is true. */
export function truthy(value: Val): boolean {
  if (value === null || value === false || value === '') return false;
  if (typeof value !== 'object') return true;
  if (value instanceof Marked) return value.set;
  if (Array.isArray(value)) return value.length > 0;
  if (!isMap(value)) return true;
  for (const name in value) if (Object.hasOwn(value, name)) return true;
  return false;
}

export const textOf = (value: string | Marked): string => (value instanceof Marked ? value.text : value);

export const piecesOf = (value: string | Marked): readonly Piece[] =>
  value instanceof Marked ? value.pieces : [{ text: value, secret: false }];

export function joined(parts: (string | Marked)[]): string | Marked {
  if (parts.every((part) => typeof part === 'string')) return parts.join('');
  const set = parts.some((part) => (part instanceof Marked ? part.set : part !== ''));
  // A secret piece stays even when it is empty: it is masked like any other, so that nobody sees that it is.
  return new Marked(
    parts.flatMap((part) => [...piecesOf(part)]).filter((piece) => piece.secret || piece.text !== ''),
    set,
  );
}

/** A scalar as it stands in a text; undefined for a list, a map or nothing. */
export function scalarText(value: Val): string | Marked | undefined {
  if (typeof value === 'string' || value instanceof Marked) return value;
  if (typeof value === 'boolean') return value ? 'true' : 'false';
  return isNum(value) ? formatNum(value) : undefined;
}

/** Equality by content; unlike types are unequal. `spend` hears how much was looked at. */
export function equal(a: Val, b: Val, spend: (steps: number) => void): boolean {
  spend(1);
  if (isNum(a) && isNum(b)) return compareNum(a, b) === 0;
  if (Array.isArray(a) && Array.isArray(b))
    return a.length === b.length && a.every((item, i) => equal(item, b[i] ?? null, spend));
  if (isMap(a) && isMap(b)) {
    const names = Object.keys(a);
    spend(names.length);
    return (
      names.length === Object.keys(b).length &&
      names.every((n) => Object.hasOwn(b, n) && equal(a[n] ?? null, b[n] ?? null, spend))
    );
  }
  if (typeof a === 'string' && typeof b === 'string' && a.length === b.length) spend(a.length / SIGNS_A_STEP);
  return a === b;
}

/** How many signs of a text are read or made for one step. */
export const SIGNS_A_STEP = 32;

/** Numbers by value, numbers inside texts by value, null last; undefined when the two have no order. */
export function order(a: Val, b: Val): number | undefined {
  if (a === null || b === null) return a === b ? 0 : a === null ? 1 : -1;
  if (isNum(a) && isNum(b)) return compareNum(a, b);
  if (typeof a === 'string' && typeof b === 'string') return orderTexts(a, b);
  if (typeof a === 'boolean' && typeof b === 'boolean') return Number(a) - Number(b);
  return undefined;
}

const isDigit = (code: number): boolean => code >= 48 && code <= 57;

/** Where the digits that begin at `from` end. */
function digitsEnd(text: string, from: number): number {
  let end = from;
  while (end < text.length && isDigit(text.charCodeAt(end))) end += 1;
  return end;
}

/** Sign by sign, runs of digits by their value; called often, so it makes no copies that it can avoid. */
export function orderTexts(a: string, b: string): number {
  let [i, j] = [0, 0];
  const [m, n] = [a.length, b.length];
  while (i < m && j < n) {
    const [x, y] = [a.charCodeAt(i), b.charCodeAt(j)];
    if (isDigit(x) && isDigit(y)) {
      let [p, q] = [i, j];
      while (p < m && a.charCodeAt(p) === 48) p += 1;
      while (q < n && b.charCodeAt(q) === 48) q += 1;
      const [pe, qe] = [digitsEnd(a, p), digitsEnd(b, q)];
      if (pe - p !== qe - q) return pe - p - (qe - q);
      for (let k = 0; k < pe - p; k += 1) {
        const d = a.charCodeAt(p + k) - b.charCodeAt(q + k);
        if (d !== 0) return d;
      }
      if (p - i !== q - j) return q - j - (p - i);
      [i, j] = [pe, qe];
    } else if (x !== y) return x < y ? -1 : 1;
    else {
      i += 1;
      j += 1;
    }
  }
  return m - i - (n - j);
}
