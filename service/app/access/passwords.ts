import { hash, verify } from '@node-rs/argon2';
import { Refusal } from '@zpine/contract/errors';
import { weaknessOf } from './weakness.ts';

const LEAST_LENGTH = 10;

/** Argon2id (RFC 9106) with 19 MiB, two passes: OWASP's floor, and still tens of milliseconds. */
const options = { memoryCost: 19456, timeCost: 2, parallelism: 1 };

export async function hashPassword(password: string, name = ''): Promise<string> {
  if (password.length < LEAST_LENGTH) throw Refusal.at(['password'], 'password-weak', { min: LEAST_LENGTH });
  const why = weaknessOf(password, name);
  if (why !== undefined) throw Refusal.at(['password'], 'password-common', { why });
  return inTurn(() => hash(password, options));
}

/** Each takes 19 MiB and a thread: more at a time would only be slower, and larger. */
const AT_ONCE = 4;
let running = 0;
const waiting: (() => void)[] = [];

async function inTurn<T>(work: () => Promise<T>): Promise<T> {
  if (running >= AT_ONCE) await new Promise<void>((turn) => waiting.push(turn));
  running += 1;
  try {
    return await work();
  } finally {
    running -= 1;
    waiting.shift()?.();
  }
}

export const passwordFits = (stored: string, password: string): Promise<boolean> =>
  inTurn(() => verify(stored, password));

let decoy: Promise<string> | undefined;
/** As long a wait for a name that does not exist, so that names cannot be found out by timing. */
export async function pretendToVerify(password: string): Promise<false> {
  decoy ??= hash('nobody has this password', options);
  const stored = await decoy;
  await inTurn(() => verify(stored, password));
  return false;
}
