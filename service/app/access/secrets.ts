import { createHash, randomBytes } from 'node:crypto';

/** A random word that only its holder has; the database keeps its digest. */
export const newSecret = (prefix: string): string => `${prefix}${randomBytes(32).toString('base64url')}`;
export const digestOf = (secret: string): Buffer => createHash('sha256').update(secret).digest();
export const TOKEN_PREFIX = 'zpt_';
