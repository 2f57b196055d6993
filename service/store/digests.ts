import { createHash } from 'node:crypto';

/** SHA-256 (FIPS 180-4) of texts in UTF-8, or of bytes, one behind the other. */
export function sha256(...parts: (string | Uint8Array)[]): Buffer {
  const hash = createHash('sha256');
  for (const part of parts) hash.update(part);
  return hash.digest();
}

export const sha256Hex = (...parts: (string | Uint8Array)[]): string => sha256(...parts).toString('hex');
