/**
 * Masks by value: what is known to be secret is masked wherever it shows up, whatever the text around it says, and also
 * where it is written in another way: between quotes, with escapes, in base64 or hex, as part of a URL.
 */
import { utf8Bytes } from '../text/utf8.ts';

/** What stands in the place of a secret. */
export const MASK = '••••••';

/**
 * Shorter ones are words of any text: they are masked where a sheet expects a secret, and nowhere else.
 * Secrets are counted in UTF-16 units, as texts are.
 */
export const SHORTEST = 6;
/** What is longer is no secret but a text with secrets in it. */
const LONGEST = 4096;

const ALPHABET = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/';

/** RFC 4648, section 4, without padding. */
function base64(bytes: Uint8Array): string {
  let out = '';
  for (let i = 0; i < bytes.length; i += 3) {
    const left = bytes.length - i;
    const word = ((bytes[i] ?? 0) << 16) | ((bytes[i + 1] ?? 0) << 8) | (bytes[i + 2] ?? 0);
    for (let n = 0; n < Math.min(4, left + 1); n += 1) out += ALPHABET[(word >> (18 - 6 * n)) & 63];
  }
  return out;
}

/**
 * A text in base64 looks different by where in three bytes it begins. What is sure to stand there, whatever is around it,
 * is the part whose bits are all of the text.
 */
function* base64Forms(bytes: Uint8Array): Generator<string> {
  for (const shift of [0, 1, 2]) {
    const padded = new Uint8Array(shift + bytes.length);
    padded.set(bytes, shift);
    const whole = base64(padded);
    const from = Math.ceil((shift * 8) / 6);
    const to = Math.floor(((shift + bytes.length) * 8) / 6);
    const part = whole.slice(from, to);
    if (part.length < SHORTEST) continue;
    yield part;
    yield part.replaceAll('+', '-').replaceAll('/', '_');
  }
}

const hex = (bytes: Uint8Array): string => Array.from(bytes, (byte) => byte.toString(16).padStart(2, '0')).join('');

/** All ways in which a secret may be written. */
function formsOf(secret: string): string[] {
  const forms = new Set<string>();
  const add = (form: string): void => {
    if (form.length >= SHORTEST) forms.add(form);
  };
  const one = (text: string): void => {
    if (text.length < SHORTEST || text.length > LONGEST) return;
    add(text);
    const json = JSON.stringify(text).slice(1, -1);
    add(json);
    add(json.replaceAll("'", "\\'"));
    add(text.replaceAll("'", "''"));
    // Of a shell, and of devices that set a sign off by a backslash.
    add(text.replace(/[^A-Za-z0-9_./-]/g, (sign) => `\\${sign}`));
    const bytes = utf8Bytes(text);
    // Half a pair is no letter, and has no bytes.
    if (!bytes) return;
    add(encodeURIComponent(text));
    for (const form of base64Forms(bytes)) add(form);
    add(hex(bytes));
    add(hex(bytes).toUpperCase());
  };
  one(secret);
  // Of several lines each may be shown without the others.
  const lines = secret.split(/\r?\n/);
  if (lines.length > 1) {
    one(lines.join('\n'));
    one(lines.join('\r\n'));
    for (const line of lines) one(line.trim());
  }
  return [...forms];
}

export class Masker {
  private readonly forms: string[];

  constructor(secrets: Iterable<string>) {
    const forms = new Set<string>();
    for (const secret of secrets) for (const form of formsOf(secret)) forms.add(form);
    // The longer first: of one that begins another nothing is left.
    this.forms = [...forms].sort((a, b) => b.length - a.length);
  }

  get empty(): boolean {
    return this.forms.length === 0;
  }

  mask(text: string): string {
    let out = text;
    for (const form of this.forms) if (out.includes(form)) out = out.replaceAll(form, MASK);
    return out;
  }

  /** Of a value of any shape: its texts, and the names in it. */
  maskAll<T>(value: T): T {
    if (this.empty) return value;
    return this.within(value) as T;
  }

  private within(value: unknown): unknown {
    if (typeof value === 'string') return this.mask(value);
    if (Array.isArray(value)) return value.map((item) => this.within(item));
    if (typeof value !== 'object' || value === null || Object.getPrototypeOf(value) !== Object.prototype) return value;
    return Object.fromEntries(Object.entries(value).map(([name, held]) => [this.mask(name), this.within(held)]));
  }
}

/** The texts in a value of a secret setting: itself, the items of a list, what the names of a map stand for. */
export function textsOf(value: unknown): string[] {
  if (typeof value === 'string') return [value];
  if (typeof value === 'number') return [String(value)];
  if (Array.isArray(value)) return value.flatMap(textsOf);
  if (typeof value === 'object' && value !== null) return Object.values(value).flatMap(textsOf);
  return [];
}
