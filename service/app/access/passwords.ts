import { hash, verify } from '@node-rs/argon2';
import { Refusal } from '@zpine/contract/errors';

export const LEAST_LENGTH = 10;

/** Argon2id (RFC 9106) with 19 MiB, two passes: OWASP's floor, and still tens of milliseconds. */
const options = { memoryCost: 19456, timeCost: 2, parallelism: 1 };

export async function hashPassword(password: string): Promise<string> {
  if (password.length < LEAST_LENGTH) throw Refusal.at(['password'], 'password-weak', { min: LEAST_LENGTH });
  return hash(password, options);
}

export const passwordFits = (stored: string, password: string): Promise<boolean> => verify(stored, password);

let decoy: Promise<string> | undefined;
/** As long a wait for a name that does not exist, so that names cannot be found out by timing. */
export async function pretendToVerify(password: string): Promise<void> {
  decoy ??= hash('nobody has this password', options);
  await verify(await decoy, password);
}
