/** The widely used password digest "$6$" (SHA-512, 5000 rounds), over a SHA-512 that the caller lends. */
import { utf8Bytes } from './utf8.ts';

export type Sha512 = (bytes: Uint8Array) => Uint8Array;

const SIGNS = './0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz';
const ROUNDS = 5000;

const join = (...parts: Uint8Array[]): Uint8Array => {
  const out = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
};

/** As many bytes as `length`, of a digest that is repeated. */
const stretched = (digest: Uint8Array, length: number): Uint8Array =>
  Uint8Array.from({ length }, (_, i) => digest[i % digest.length] ?? 0);

/** `salt` has up to 16 signs of `./0-9A-Za-z`. */
export function sha512crypt(password: string, salt: string, sha512: Sha512): string {
  const key = utf8Bytes(password) ?? new Uint8Array();
  const seed = utf8Bytes(salt.slice(0, 16)) ?? new Uint8Array();
  const inner = sha512(join(key, seed, key));
  const parts: Uint8Array[] = [key, seed, stretched(inner, key.length)];
  for (let bits = key.length; bits > 0; bits >>= 1) parts.push(bits & 1 ? inner : key);
  let digest = sha512(join(...parts));

  const repeat = (bytes: Uint8Array, times: number) => sha512(join(...Array.from({ length: times }, () => bytes)));
  const p = stretched(repeat(key, key.length), key.length);
  const s = stretched(repeat(seed, 16 + (digest[0] ?? 0)), seed.length);
  for (let round = 0; round < ROUNDS; round += 1) {
    const odd = round % 2 === 1;
    digest = sha512(
      join(
        odd ? p : digest,
        round % 3 === 0 ? new Uint8Array() : s,
        round % 7 === 0 ? new Uint8Array() : p,
        odd ? digest : p,
      ),
    );
  }
  return `$6$${salt.slice(0, 16)}$${encoded(digest)}`;
}

/** Groups of three bytes, taken in the order that the format lays down, six bits a sign. */
function encoded(digest: Uint8Array): string {
  let out = '';
  const sign = (value: number, count: number) => {
    for (let i = 0; i < count; i += 1) out += SIGNS[(value >> (6 * i)) & 63] ?? '';
  };
  let [a, b, c] = [0, 21, 42];
  for (let i = 0; i < 21; i += 1) {
    sign(((digest[a] ?? 0) << 16) | ((digest[b] ?? 0) << 8) | (digest[c] ?? 0), 4);
    [a, b, c] = [b + 1, c + 1, a + 1];
  }
  sign(digest[63] ?? 0, 2);
  return out;
}

/** Whether a password has this digest. */
export function fitsSha512crypt(password: string, digest: string, sha512: Sha512): boolean {
  const salt = /^\$6\$([./0-9A-Za-z]{0,16})\$/.exec(digest)?.[1];
  return salt !== undefined && sha512crypt(password, salt, sha512) === digest;
}
