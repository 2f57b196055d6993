/**
 * Numbers of the template language: exact. Whole numbers that a host number holds exactly are host numbers; everything
 * else is a coefficient and a count of decimal places.
 */
export class Decimal {
  readonly coefficient: bigint;
  readonly places: number;
  constructor(coefficient: bigint, places: number) {
    this.coefficient = coefficient;
    this.places = places;
  }
}

export type Num = number | Decimal;

/** A number has no more digits than that, before and behind the point together. */
export const MOST_DIGITS = 1000;
const TOO_LARGE = 10n ** BigInt(MOST_DIGITS);

/** Whether a number has more digits than numbers may have. */
export const tooManyDigits = (value: Num): boolean =>
  value instanceof Decimal &&
  (value.places > MOST_DIGITS || value.coefficient >= TOO_LARGE || value.coefficient <= -TOO_LARGE);

/** Digits of an endless quotient. */
const QUOTIENT_DIGITS = 20;

export const isNum = (value: unknown): value is Num => typeof value === 'number' || value instanceof Decimal;

/** The smallest form: no trailing zeros, a host number where one holds it. */
function tidy(coefficient: bigint, places: number): Num {
  let [c, p] = [coefficient, places];
  while (p > 0 && c % 10n === 0n) {
    c /= 10n;
    p -= 1;
  }
  const small = Number(c);
  return p === 0 && Number.isSafeInteger(small) ? small : new Decimal(c, p);
}

export function parseNum(text: string): Num | undefined {
  const match = /^(-?)([0-9]+)(?:\.([0-9]+))?$/.exec(text);
  if (!match) return undefined;
  const [, sign = '', whole = '', part = ''] = match;
  return tidy(BigInt(`${whole}${part}`) * (sign ? -1n : 1n), part.length);
}

/** Numbers of the data may come with a fraction, or with an exponent when they are very large. */
function wide(value: Num): Decimal {
  if (typeof value !== 'number') return value;
  if (Number.isInteger(value)) return new Decimal(BigInt(value), 0);
  const parsed = parseNum(value.toFixed(20).replace(/0+$/, '')) ?? 0;
  const short = parseNum(String(value)) ?? parsed;
  return typeof short === 'number' ? new Decimal(BigInt(short), 0) : short;
}

export function formatNum(value: Num): string {
  if (typeof value === 'number' && Number.isSafeInteger(value)) return String(value);
  const { coefficient, places } = wide(value);
  const sign = coefficient < 0n ? '-' : '';
  const digits = (coefficient < 0n ? -coefficient : coefficient).toString().padStart(places + 1, '0');
  return places === 0 ? sign + digits : `${sign}${digits.slice(0, -places)}.${digits.slice(-places)}`;
}

function aligned(a: Num, b: Num): [bigint, bigint, number] {
  const [x, y] = [wide(a), wide(b)];
  const places = Math.max(x.places, y.places);
  return [x.coefficient * 10n ** BigInt(places - x.places), y.coefficient * 10n ** BigInt(places - y.places), places];
}

export function compareNum(a: Num, b: Num): number {
  if (typeof a === 'number' && typeof b === 'number') return a - b;
  const [x, y] = aligned(a, b);
  return x < y ? -1 : x > y ? 1 : 0;
}

export function add(a: Num, b: Num): Num {
  const [x, y, places] = aligned(a, b);
  return tidy(x + y, places);
}

export const negate = (a: Num): Num => {
  const { coefficient, places } = wide(a);
  return tidy(-coefficient, places);
};

export const subtract = (a: Num, b: Num): Num => add(a, negate(b));

export function multiply(a: Num, b: Num): Num {
  const [x, y] = [wide(a), wide(b)];
  return tidy(x.coefficient * y.coefficient, x.places + y.places);
}

/** Undefined for a division by zero. */
export function divide(a: Num, b: Num): Num | undefined {
  const [x, y] = aligned(a, b);
  if (y === 0n) return undefined;
  if (x % y === 0n) return tidy(x / y, 0);
  const exact = finitePlaces(x, y);
  if (exact !== undefined) return tidy((x * 10n ** BigInt(exact)) / y, exact);
  // Endless: as many places as give twenty digits that count.
  const whole = (x / y).toString().replace('-', '');
  let places = QUOTIENT_DIGITS - (whole === '0' ? 0 : whole.length);
  if (whole === '0') {
    const [small, large] = [x < 0n ? -x : x, y < 0n ? -y : y];
    places += Math.max(0, large.toString().length - small.toString().length - 1);
  }
  return tidy((x * 10n ** BigInt(Math.max(0, places))) / y, Math.max(0, places));
}

/** How many places a quotient has that ends: its denominator has no other factors than those of ten. */
function finitePlaces(x: bigint, y: bigint): number | undefined {
  let rest = y < 0n ? -y : y;
  let [a, b] = [x < 0n ? -x : x, rest];
  while (b !== 0n) [a, b] = [b, a % b];
  if (a !== 0n) rest /= a;
  let [twos, fives] = [0, 0];
  for (; rest % 2n === 0n; rest /= 2n) twos += 1;
  for (; rest % 5n === 0n; rest /= 5n) fives += 1;
  return rest === 1n ? Math.max(twos, fives) : undefined;
}

/** The rest has the sign of the right side. Undefined for a division by zero. */
export function modulo(a: Num, b: Num): Num | undefined {
  const [x, y, places] = aligned(a, b);
  if (y === 0n) return undefined;
  const rest = x % y;
  return tidy(rest !== 0n && rest < 0n !== y < 0n ? rest + y : rest, places);
}

/** Cuts what stands behind the point. */
export const truncate = (a: Num): Num => {
  const { coefficient, places } = wide(a);
  return tidy(coefficient / 10n ** BigInt(places), 0);
};

export const isWhole = (a: Num): boolean => (typeof a === 'number' ? Number.isInteger(a) : a.places === 0);
export const wholeBig = (a: Num): bigint => wide(truncate(a)).coefficient;
