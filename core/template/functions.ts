/** The functions of the language: one row each, with how many arguments it takes, what it gives, and what it does. */
import { formatIp, parseIp, type Ip } from '../addressing/ip.ts';
import { parseMac } from '../addressing/mac.ts';
import {
  contains,
  formatPrefix,
  inFamily,
  lastOf,
  networkOf,
  parseAddressWithLength,
  parsePrefix,
} from '../addressing/prefix.ts';
import { hasWord } from '../fleet/expectations.ts';
import { utf8Bytes } from '../text/utf8.ts';
import { MOST_ITEMS, MOST_SIGNS } from './bounds.ts';
import {
  add,
  compareNum,
  formatNum,
  isNum,
  isWhole,
  MOST_DIGITS,
  parseNum,
  truncate,
  wholeBig,
  type Num,
} from './decimal.ts';
import { compilePattern, type Pattern } from '../text/pattern.ts';
import {
  equal,
  holdsSecret,
  isMap,
  joined,
  Marked,
  order,
  scalarText,
  secretText,
  SIGNS_A_STEP,
  textOf,
  typeName,
  type Val,
  type ValMap,
} from './values.ts';

/** Says what is wrong with an argument; the caller knows where. */
export class ArgumentFault extends Error {}

/** What the host lends: digests are not made in the core. */
export interface Host {
  sha256: (text: string) => string;
  /** With a salt that stays the same for a device and a version of the secret. */
  sha512crypt: (text: string) => string;
  /** Counts what large work costs; throws when there is too much of it. */
  spend: (steps: number) => void;
}

/** What an argument must be, as far as a check can know. */
export type Takes = 'text' | 'number' | 'list' | 'map' | 'scalar' | 'any';

export interface FunctionRow {
  /** In order; those from `least` on may be left out, the last may come again where `more` is set. */
  takes: Takes[];
  least: number;
  most: number;
  /** What it gives, for the check; `secret?` is secret when an argument is. */
  gives: 'text' | 'number' | 'bool' | 'list' | 'map' | 'any';
  /** What it makes of a secret: a secret, or nothing at all. */
  secrets: 'kept' | 'refused';
  run: (args: Val[], host: Host) => Val;
}

const bad = (value: Val | undefined, expected: string): never => {
  const shown =
    typeof value === 'string' ? ` "${value.slice(0, 60)}"` : isNum(value) ? ` ${formatNum(value).slice(0, 60)}` : '';
  throw new ArgumentFault(`${expected} is expected, not ${value === undefined ? 'nothing' : typeName(value)}${shown}`);
};
const text = (value: Val | undefined): string =>
  typeof value === 'string' ? value : value instanceof Marked ? value.text : bad(value, 'a text');
const num = (value: Val | undefined): Num => (isNum(value) ? value : bad(value ?? null, 'a number'));
const whole = (value: Val | undefined): bigint => {
  const n = num(value);
  return isWhole(n) ? wholeBig(n) : bad(n, 'a whole number');
};
const small = (value: Val | undefined): number => Number(whole(value));
const list = (value: Val | undefined): Val[] => (Array.isArray(value) ? value : bad(value, 'a list'));
const map = (value: Val | undefined): ValMap => (isMap(value) ? value : bad(value, 'a map'));
const big = (value: bigint): Num => parseNum(value.toString()) ?? 0;

/** An address with or without a length. */
function addressOf(value: Val | undefined): { ip: Ip; length?: number } {
  const written = text(value);
  if (!written.includes('/')) {
    const read = parseIp(written);
    return read.ok ? { ip: read.value } : bad(written, 'an address');
  }
  const read = parseAddressWithLength(written);
  return read.ok ? read.value : bad(written, 'an address or a prefix');
}

function lengthOf(value: Val | undefined): { ip: Ip; length: number } {
  const { ip, length } = addressOf(value);
  return length === undefined ? bad(value, 'an address with its length') : { ip, length };
}

function maskOf(value: Val | undefined, inverted: boolean): string {
  const { ip, length } = lengthOf(value);
  if (ip.family === 6) throw new ArgumentFault('masks are written for IPv4 only');
  const wild = (1n << BigInt(32 - length)) - 1n;
  return formatIp({ family: 4, value: inverted ? wild : 0xffffffffn ^ wild });
}

function nth(value: Val | undefined, count: Val | undefined): string {
  const { ip, length } = lengthOf(value);
  const p = networkOf(ip, length);
  const n = whole(count);
  const at = n < 0n ? lastOf(p) + 1n + n : p.first + n;
  return at >= p.first && at <= lastOf(p)
    ? formatIp({ family: ip.family, value: at })
    : bad(big(n), `a position inside ${formatPrefix(p)}`);
}

function after(value: Val | undefined, count: Val | undefined): string {
  const { ip, length } = addressOf(value);
  const at = ip.value + whole(count);
  if (!inFamily(ip.family, at)) throw new ArgumentFault(`there is no address that far away from ${formatIp(ip)}`);
  return `${formatIp({ family: ip.family, value: at })}${length === undefined ? '' : `/${length}`}`;
}

function pointer(value: Val | undefined): string {
  const { ip } = addressOf(value);
  if (ip.family === 4) return `${formatIp(ip).split('.').reverse().join('.')}.in-addr.arpa`;
  return `${[...ip.value.toString(16).padStart(32, '0')].reverse().join('.')}.ip6.arpa`;
}

function macIn(value: Val | undefined, form: Val | undefined): string {
  const mac = parseMac(text(value));
  if (!mac.ok) return bad(value, 'a MAC address');
  const shape = text(form);
  if ((shape.match(/x/gi) ?? []).length !== 12) return bad(shape, 'a form with twelve x');
  const digits = [...mac.value.replaceAll(':', '')];
  return shape.replace(/x/gi, (x) => (x === 'X' ? (digits.shift() ?? '').toUpperCase() : (digits.shift() ?? '')));
}

/** A stable order, with the fault named when two items have none. */
export function sorted<T>(items: T[], keysOf: (item: T) => Val[], down: boolean[] = []): T[] {
  const keyed = items.map((item) => ({ item, keys: keysOf(item) }));
  return keyed
    .sort((a, b) => {
      for (const [i, key] of a.keys.entries()) {
        const other = b.keys[i] ?? null;
        const difference = order(key, other);
        if (difference === undefined) throw new ArgumentFault(`${typeName(key)} and ${typeName(other)} have no order`);
        // What is empty comes last, either way.
        if (difference !== 0) return down[i] && key !== null && other !== null ? -difference : difference;
      }
      return 0;
    })
    .map(({ item }) => item);
}

function unique(items: Val[], spend: Host['spend']): Val[] {
  mustBePlain(items);
  const out: Val[] = [];
  const texts = new Set<Val>();
  for (const item of items) {
    if (typeof item === 'string') {
      spend(1 + item.length / SIGNS_A_STEP);
      if (!texts.has(item)) out.push(item);
      texts.add(item);
    } else if (!out.some((other) => typeof other !== 'string' && equal(item, other, spend))) out.push(item);
  }
  return out;
}

/** What compares or orders must not see a secret, however deep it lies. */
function mustBePlain(value: Val): void {
  if (holdsSecret(value)) throw new ArgumentFault('what holds a secret is not compared');
}

function merge(maps: ValMap[], spend: Host['spend']): ValMap {
  const out = new Map<string, Val>();
  for (const one of maps) {
    const entries = Object.entries(one);
    spend(entries.length);
    for (const [name, value] of entries) {
      const before = out.get(name);
      out.set(name, isMap(before) && isMap(value) ? merge([before, value], spend) : value);
    }
  }
  return Object.fromEntries(out);
}

const BASE64 = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/';
function base64(value: string): string {
  const bytes = utf8Bytes(value) ?? bad(value, 'a text');
  let out = '';
  for (let i = 0; i < bytes.length; i += 3) {
    const group = ((bytes[i] ?? 0) << 16) | ((bytes[i + 1] ?? 0) << 8) | (bytes[i + 2] ?? 0);
    const signs = [18, 12, 6, 0].map((shift) => BASE64[(group >> shift) & 63] ?? '');
    out += signs
      .slice(0, Math.min(4, bytes.length - i + 1))
      .join('')
      .padEnd(4, '=');
  }
  return out;
}

function pad(value: string, width: number, host: Host): string {
  if (Math.abs(width) > 10_000) throw new ArgumentFault('that is too wide');
  host.spend(Math.abs(width) / 10);
  return width < 0 ? value.padStart(-width) : value.padEnd(width);
}

function range(first: bigint, last: bigint, host: Host): Val[] {
  const count = last - first + 1n;
  if (count <= 0n) return [];
  host.spend(count > 10_000_000n ? 10_000_000 : Number(count));
  return Array.from({ length: Number(count) }, (_, i) => big(first + BigInt(i)));
}

function extreme(args: Val[], wins: (difference: number) => boolean): Num {
  const numbers = args.length === 1 && Array.isArray(args[0]) ? args[0] : args;
  if (numbers.length === 0) throw new ArgumentFault('there is no number to choose from');
  return numbers.map((n) => num(n)).reduce((best, n) => (wins(compareNum(n, best)) ? n : best));
}

/** Replaces plain text everywhere; how long it will be is known before it is made. */
function replaced(text: string, from: string, to: string): string {
  if (from === '') return bad('', 'a text that is not empty');
  let count = 0;
  for (let at = text.indexOf(from); at >= 0; at = text.indexOf(from, at + from.length)) count += 1;
  mustFit(text.length + count * (to.length - from.length));
  return text.replaceAll(from, () => to);
}

const mustFit = (length: number): void => {
  if (length > MOST_SIGNS) throw new ArgumentFault('the text would be longer than 1 MiB');
};

/** The pieces of a text, as many as a list may have. */
function pieces(text: string, by: string): string[] {
  const found = text.split(by, MOST_ITEMS + 1);
  if (found.length > MOST_ITEMS) throw new ArgumentFault(`the list would have more than ${MOST_ITEMS} items`);
  return found;
}

function flat(items: Val[], host: Host): Val[] {
  const length = items.reduce<number>((sum, item) => sum + (Array.isArray(item) ? item.length : 1), 0);
  host.spend(length);
  if (length > MOST_ITEMS) throw new ArgumentFault(`the list would have more than ${MOST_ITEMS} items`);
  return items.flat();
}

/** What putting in order costs besides the number of items: their texts are read, several times each. */
function sortedValues(items: Val[], host: Host): Val[] {
  mustBePlain(items);
  let signs = 0;
  for (const item of items) if (typeof item === 'string') signs += item.length;
  host.spend(items.length * 4 + (signs * 4) / SIGNS_A_STEP);
  return sorted(items, (item) => [item]);
}

/** A hash takes thousands of rounds on purpose: what one costs beside a step of other work. */
const CRYPT_STEPS = 15_000;
/** Some systems take no more; and it bounds what one hash costs. */
const MOST_CRYPT_SIGNS = 512;

function crypt(password: string, host: Host): string {
  host.spend(CRYPT_STEPS);
  if (password.length > MOST_CRYPT_SIGNS)
    throw new ArgumentFault(`a password has at most ${MOST_CRYPT_SIGNS} signs here`);
  return host.sha512crypt(password);
}

function patternOf(source: string): Pattern {
  try {
    return compilePattern(source);
  } catch (error) {
    throw new ArgumentFault(`this is not a pattern: ${error instanceof Error ? error.message : String(error)}`);
  }
}

const MANY = 100;
/**
 * `text number?` is one argument and one that may be left out; `number*` one or more. `kept` is for functions that make
 * something of every text: one that refuses some, or gives less than a text, would tell of a secret by what it does.
 */
function row(
  gives: FunctionRow['gives'],
  signature: string,
  run: FunctionRow['run'],
  secrets: FunctionRow['secrets'] = 'refused',
): FunctionRow {
  const words = signature.split(' ');
  const takes = words.map((word) => word.replace(/[?*]$/, '') as Takes);
  return {
    takes,
    least: words.filter((word) => !word.endsWith('?')).length,
    most: signature.endsWith('*') ? MANY : words.length,
    gives,
    secrets,
    run,
  };
}

export const functions: Record<string, FunctionRow> = {
  bare: row('text', 'text', ([a]) => formatIp(addressOf(a).ip)),
  network: row('text', 'text', ([a]) => {
    const { ip, length } = lengthOf(a);
    return formatPrefix(networkOf(ip, length));
  }),
  mask: row('text', 'text', ([a]) => maskOf(a, false)),
  wildcard: row('text', 'text', ([a]) => maskOf(a, true)),
  bits: row('number', 'text', ([a]) => lengthOf(a).length),
  nth: row('text', 'text number', ([p, n]) => nth(p, n)),
  inside: row('bool', 'text text', ([p, a]) => {
    const prefix = parsePrefix(text(p));
    return prefix.ok ? contains(prefix.value, addressOf(a).ip) : bad(p, 'a prefix');
  }),
  after: row('text', 'text number', ([a, n]) => after(a, n)),
  pointer: row('text', 'text', ([a]) => pointer(a)),
  family: row('number', 'text', ([a]) => addressOf(a).ip.family),
  mac: row('text', 'text text', ([m, form]) => macIn(m, form)),

  upper: row('text', 'text', ([t]) => text(t).toUpperCase(), 'kept'),
  lower: row('text', 'text', ([t]) => text(t).toLowerCase(), 'kept'),
  trim: row('text', 'text', ([t]) => text(t).trim(), 'kept'),
  replace: row('text', 'text text text', ([t, from, to]) => replaced(text(t), text(from), text(to))),
  split: row('list', 'text text', ([t, by]) =>
    text(by) === '' ? bad(by, 'a text that is not empty') : pieces(text(t), text(by)),
  ),
  join: row(
    'text',
    'list text?',
    ([items, by = '']) => {
      const parts = list(items).map((item) => scalarText(item) ?? bad(item, 'a list of texts and numbers'));
      const between = by instanceof Marked ? by : text(by);
      mustFit(parts.reduce((sum, part) => sum + textOf(part).length + textOf(between).length, 0));
      return joined(parts.flatMap((part, i) => (i === 0 ? [part] : [between, part])));
    },
    'kept',
  ),
  pad: row('text', 'text number', ([t, n], host) => pad(text(t), small(n), host), 'kept'),
  lines: row('list', 'text', ([t]) => pieces(text(t).replace(/\n$/, ''), '\n')),
  quote: row(
    'text',
    'text',
    ([t]) => {
      const plain = text(t);
      return plain.includes('"') || plain.includes('\\') ? `"${plain.replace(/["\\]/g, '\\$&')}"` : `"${plain}"`;
    },
    'kept',
  ),
  says: row('bool', 'any text', ([given, word], host) => {
    const texts = Array.isArray(given) ? given : [given ?? null];
    return texts.some((one) => {
      const line = text(one);
      host.spend(1 + line.length / SIGNS_A_STEP);
      return hasWord(line, text(word));
    });
  }),
  matches: row('bool', 'text text', ([t, pattern], host) => {
    host.spend(text(pattern).length);
    const compiled = patternOf(text(pattern));
    host.spend((text(t).length * compiled.states) / 10);
    return compiled.whole(text(t));
  }),

  count: row('number', 'any', ([x = null]) => {
    mustBePlain(x);
    return Array.isArray(x) ? x.length : isMap(x) ? Object.keys(x).length : signsOf(text(x));
  }),
  first: row('any', 'list', ([x]) => list(x)[0] ?? null),
  last: row('any', 'list', ([x]) => list(x).at(-1) ?? null),
  sort: row('list', 'list', ([x], host) => sortedValues(list(x), host)),
  unique: row('list', 'list', ([x], host) => unique(list(x), host.spend)),
  flatten: row('list', 'list', ([x], host) => flat(list(x), host)),
  range: row('list', 'number number', ([a, b], host) => range(whole(a), whole(b), host)),
  pick: row('list', 'list text', ([x, name]) => {
    const field = text(name);
    return list(x).map((item) => (Object.hasOwn(map(item), field) ? (map(item)[field] ?? null) : null));
  }),
  keys: row('list', 'map', ([x]) => sorted(Object.keys(map(x)), (k) => [k])),
  values: row('list', 'map', ([x]) => sorted(Object.keys(map(x)), (k) => [k]).map((k) => map(x)[k] ?? null)),
  merge: row('map', 'map*', (maps, host) =>
    merge(
      maps.map((m) => map(m)),
      host.spend,
    ),
  ),
  sum: row('number', 'list', ([x]) => list(x).reduce<Num>((total, item) => add(total, num(item)), 0)),

  min: row('number', 'any*', (args) => extreme(args, (d) => d < 0)),
  max: row('number', 'any*', (args) => extreme(args, (d) => d > 0)),
  int: row('number', 'scalar', ([x]) => {
    if (isNum(x)) return truncate(x);
    const written = text(x).trim();
    // Reading a number costs more than its length: none is so long.
    if (written.length > 2 * MOST_DIGITS) return bad(x, 'a number');
    return truncate(parseNum(written) ?? bad(x, 'a number'));
  }),
  hex: row('text', 'number number?', ([x, width = 0]) => {
    const value = whole(x);
    if (value < 0n) return bad(big(value), 'a number that is not negative');
    return value.toString(16).padStart(Math.min(small(width), 64), '0');
  }),

  base64: row('text', 'text', ([t]) => base64(text(t)), 'kept'),
  sha256: row('text', 'text', ([t], host) => host.sha256(text(t)), 'kept'),
  sha512crypt: row('text', 'text', ([t], host) => crypt(text(t), host), 'kept'),
};

function signsOf(text: string): number {
  let count = 0;
  for (let at = 0; at < text.length; at += (text.codePointAt(at) ?? 0) > 0xffff ? 2 : 1) count += 1;
  return count;
}

/** What reading the arguments costs: texts by their length, lists and maps by what they hold. */
function weightOf(args: readonly Val[]): number {
  let weight = 1;
  for (const arg of args) {
    if (typeof arg === 'string') weight += arg.length / SIGNS_A_STEP;
    else if (arg instanceof Marked) weight += arg.text.length / SIGNS_A_STEP;
    else if (Array.isArray(arg)) weight += arg.length;
    else if (isMap(arg)) weight += Object.keys(arg).length;
  }
  return weight;
}

/** Calls a function: what it makes of a secret is a secret, and no fault of it tells anything of one. */
export function callFunction(found: FunctionRow, name: string, args: Val[], host: Host): Val {
  host.spend(weightOf(args));
  const secret = args.find((arg) => arg instanceof Marked);
  if (!secret) return found.run(args, host);
  if (found.secrets === 'refused') throw new ArgumentFault(`${name}(...) is not to be asked of a secret`);
  try {
    return marked(found.run(args, host), secret.set);
  } catch (error) {
    if (error instanceof ArgumentFault) throw new ArgumentFault('this does not go with a secret');
    throw error;
  }
}

const marked = (value: Val, set: boolean): Val => (typeof value === 'string' ? secretText(value, set) : value);
