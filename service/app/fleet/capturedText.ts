/** A configuration as it is kept: without secrets for people, and what of it stays the same from one reading to the next. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import { Masker } from '@zpine/core/secrets/masking';
import type { Captured } from './captures.ts';

/** `secrets`: what is known to be secret about the device, beside what its sheet finds. */
export function capturedText(dialect: Dialect, secrets: readonly string[], file: string, text: string): Captured {
  const content = Buffer.from(text, 'utf8');
  const steady = dialect.steady(text);
  const found = dialect.secretsIn(text);
  return {
    file,
    content,
    binary: false,
    // What differs each time would only be in the way of whoever compares.
    shown: new Masker([...secrets, ...found]).mask(dialect.masked(steady)),
    secrets: found,
    // A secret that changes is a change, so the digest is of the text itself; it is never shown.
    steady: Buffer.from(steady.trimEnd(), 'utf8'),
  };
}
