/** What expressions compute with. Data comes as JSON; text made from a secret stays marked wherever it goes. */
import { compareNum, formatNum, isNum, type Num } from './decimal.ts';

/** Text of which parts are secret. */
export class Marked {
  readonly pieces: readonly Piece[];
  constructor(pieces: readonly Piece[]) {
    this.pieces = pieces;
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

export const secretText = (text: string): Marked => new Marked([{ text, secret: true }]);

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
  if (value instanceof Marked) return value.text !== '';
  if (Array.isArray(value)) return value.length > 0;
  return isMap(value) ? Object.keys(value).length > 0 : true;
}

export const textOf = (value: string | Marked): string => (value instanceof Marked ? value.text : value);

export const piecesOf = (value: string | Marked): readonly Piece[] =>
  value instanceof Marked ? value.pieces : [{ text: value, secret: false }];

export function joined(parts: (string | Marked)[]): string | Marked {
  if (parts.every((part) => typeof part === 'string')) return parts.join('');
  return new Marked(parts.flatMap((part) => [...piecesOf(part)]).filter((piece) => piece.text !== ''));
}

/** A scalar as it stands in a text; undefined for a list, a map or nothing. */
export function scalarText(value: Val): string | Marked | undefined {
  if (typeof value === 'string' || value instanceof Marked) return value;
  if (typeof value === 'boolean') return value ? 'true' : 'false';
  return isNum(value) ? formatNum(value) : undefined;
}

/** Equality by content; unlike types are unequal. */
export function equal(a: Val, b: Val): boolean {
  if (isNum(a) && isNum(b)) return compareNum(a, b) === 0;
  if (Array.isArray(a) && Array.isArray(b))
    return a.length === b.length && a.every((item, i) => equal(item, b[i] ?? null));
  if (isMap(a) && isMap(b)) {
    const names = Object.keys(a);
    return (
      names.length === Object.keys(b).length &&
      names.every((n) => Object.hasOwn(b, n) && equal(a[n] ?? null, b[n] ?? null))
    );
  }
  return a === b;
}

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
function orderTexts(a: string, b: string): number {
  let [i, j] = [0, 0];
  while (i < a.length && j < b.length) {
    const [x, y] = [a.charCodeAt(i), b.charCodeAt(j)];
    if (isDigit(x) && isDigit(y)) {
      const [p, q] = [digitsEnd(a, i), digitsEnd(b, j)];
      const [one, other] = [a.slice(i, p), b.slice(j, q)];
      if (one !== other) {
        const [plain, also] = [one.replace(/^0+(?=.)/, ''), other.replace(/^0+(?=.)/, '')];
        if (plain.length !== also.length) return plain.length - also.length;
        if (plain !== also) return plain < also ? -1 : 1;
        return one < other ? -1 : 1;
      }
      [i, j] = [p, q];
    } else if (x !== y) return x < y ? -1 : 1;
    else {
      i += 1;
      j += 1;
    }
  }
  return a.length - i - (b.length - j);
}
