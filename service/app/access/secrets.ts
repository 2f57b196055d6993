import { randomBytes } from 'node:crypto';
import { sha256 } from '../../store/digests.ts';

/** A random word that only its holder has; the database keeps its digest. */
export const newSecret = (prefix: string): string => `${prefix}${randomBytes(32).toString('base64url')}`;
export const digestOf = (secret: string): Buffer => sha256(secret);
export const TOKEN_PREFIX = 'zpt_';
