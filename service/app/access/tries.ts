/**
 * How often somebody may try to sign in: so often with one name from one address, and so often from one address in all.
 * Whoever guesses keeps nobody else out by it. A try is counted before the password is looked at, so that many at the same
 * moment are no more than one after the other; it is the same for names that nobody has.
 */
import { Refusal } from '@zpine/contract/errors';
import { sha256 } from '../../store/digests.ts';
import type { Actor, Store } from '../../store/store.ts';
import { transact } from '../../store/transact.ts';
import type { Tx } from '../../store/tx.ts';

interface Allowance {
  /** Tries in a row. */
  burst: number;
  /** Then one in so many seconds. */
  seconds: number;
}

const ofName: Allowance = { burst: 8, seconds: 15 };
const ofAddress: Allowance = { burst: 60, seconds: 2 };
const ANY_NAME = Buffer.alloc(32);

/** Counts a try; refuses it where there were too many. */
export const countTry = (store: Store, actor: Actor, name: string, address: string): Promise<void> =>
  transact(store, actor, 'sign-in', async (tx) => {
    await count(tx, ANY_NAME, address, ofAddress);
    await count(tx, sha256(name), address, ofName);
  });

async function count(tx: Tx, digest: Buffer, address: string, { burst, seconds }: Allowance): Promise<void> {
  // Taken whole at once: many who read it first and write it then would stand in each other's way.
  await tx.execute(
    'INSERT INTO sign_in_try (name_digest, address, failures, at) VALUES (?, ?, 0, UTC_TIMESTAMP(3)) ON DUPLICATE KEY UPDATE failures = failures',
    [digest, address],
  );
  const row = await tx.one<{ failures: number; since: number }>(
    `SELECT failures, TIMESTAMPDIFF(MICROSECOND, at, UTC_TIMESTAMP(3)) / 1000000 AS since
     FROM sign_in_try WHERE name_digest = ? AND address = ? FOR UPDATE`,
    [digest, address],
  );
  const left = Math.max(0, Number(row?.failures ?? 0) - Number(row?.since ?? 0) / seconds);
  if (left > burst - 1) throw new Refusal('sign-in-paused', { seconds: Math.ceil((left - (burst - 1)) * seconds) });
  await tx.execute('UPDATE sign_in_try SET failures = ?, at = UTC_TIMESTAMP(3) WHERE name_digest = ? AND address = ?', [
    left + 1,
    digest,
    address,
  ]);
}

/** Whoever got in has not guessed. */
export async function forgiveTries(tx: Tx, name: string, address: string): Promise<void> {
  await tx.execute(
    'UPDATE sign_in_try SET failures = GREATEST(0, failures - 1) WHERE name_digest = ? AND address = ?',
    [ANY_NAME, address],
  );
  await tx.execute('DELETE FROM sign_in_try WHERE name_digest = ? AND address = ?', [sha256(name), address]);
}
