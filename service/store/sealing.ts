/** Secrets at rest: AES-256-GCM with a key that lies outside the database. */
import { createCipheriv, createDecipheriv, createHmac, randomBytes } from 'node:crypto';
import { existsSync, linkSync, readFileSync, unlinkSync, writeFileSync } from 'node:fs';

const CIPHER = 'aes-256-gcm';
const NONCE = 12;
const TAG = 16;

export class Sealer {
  private readonly key: Buffer;
  private readonly opened: ((text: string) => void) | undefined;

  /** `opened` hears of each text that is unsealed. */
  constructor(key: Buffer, opened?: (text: string) => void) {
    if (key.length !== 32) throw new Error('the key for secrets must have 32 bytes');
    this.key = key;
    this.opened = opened;
  }

  /** The same key, with somebody who hears what is unsealed by it. */
  watched(opened: (text: string) => void): Sealer {
    return new Sealer(this.key, opened);
  }

  /** nonce | tag | cipher text, base64. */
  seal(text: string): string {
    const nonce = randomBytes(NONCE);
    const cipher = createCipheriv(CIPHER, this.key, nonce);
    const body = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
    return Buffer.concat([nonce, cipher.getAuthTag(), body]).toString('base64');
  }

  open(sealed: string): string {
    const bytes = Buffer.from(sealed, 'base64');
    const decipher = createDecipheriv(CIPHER, this.key, bytes.subarray(0, NONCE), { authTagLength: TAG });
    decipher.setAuthTag(bytes.subarray(NONCE, NONCE + TAG));
    const text = Buffer.concat([decipher.update(bytes.subarray(NONCE + TAG)), decipher.final()]).toString('utf8');
    this.opened?.(text);
    return text;
  }

  /**
   * What is shown of a text that holds secrets, to tell equal from unequal: a plain digest of it would let anybody try
   * words for the secret until it fits. 32 hexadecimal digits.
   */
  fingerprint(text: string | Buffer): string {
    return createHmac('sha256', this.key).update('fingerprint ').update(text).digest('hex').slice(0, 32);
  }

  /** A digest that only the holder of the key can make: for salts that must stay the same. */
  digest(text: string): Buffer {
    return createHmac('sha256', this.key).update(text).digest();
  }
}

/** Whole from the first moment, and one: of several processes that make it at once the others take that of the first. */
function makeKey(path: string): void {
  const own = `${path}.${process.pid}`;
  writeFileSync(own, `${randomBytes(32).toString('base64')}\n`, { mode: 0o600 });
  try {
    linkSync(own, path);
  } catch (error) {
    if ((error as { code?: string }).code !== 'EEXIST') throw error;
  } finally {
    unlinkSync(own);
  }
}

/** Reads the key from its file; makes one, readable by its owner only, where there is none. */
export function sealerFrom(path: string): Sealer {
  if (!existsSync(path)) makeKey(path);
  return new Sealer(Buffer.from(readFileSync(path, 'utf8').trim(), 'base64'));
}
