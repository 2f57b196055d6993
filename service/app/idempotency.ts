import { Refusal } from '@zpine/contract/errors';
import { sha256 } from '../store/digests.ts';
import type { Tx } from '../store/tx.ts';

export interface Answer {
  status: number;
  body: unknown;
}

/**
 * Does a piece of work once per key: a second request with the same key gets the first one's answer. The row commits
 * with the write, so there is no moment in which one is there without the other.
 */
export async function once(
  tx: Tx,
  userId: number,
  key: string,
  request: string,
  work: () => Promise<Answer>,
): Promise<Answer> {
  const digest = sha256(request);
  // The row goes in first: a second request with the same key waits for the first one's end.
  await tx.execute('INSERT IGNORE INTO idempotency VALUES (?, ?, ?, 0, ?, UTC_TIMESTAMP(3))', [
    userId,
    key,
    digest,
    '',
  ]);
  const row = await tx.one<{ request: Buffer; status: number; reply: string }>(
    'SELECT request, status, reply FROM idempotency WHERE user_id = ? AND idempotency_key = ? FOR UPDATE',
    [userId, key],
  );
  if (row && !row.request.equals(digest)) throw new Refusal('idempotency-other');
  if (row && row.status !== 0) return { status: row.status, body: JSON.parse(row.reply) as unknown };
  const answer = await work();
  await tx.execute('UPDATE idempotency SET status = ?, reply = ? WHERE user_id = ? AND idempotency_key = ?', [
    answer.status,
    JSON.stringify(answer.body ?? null),
    userId,
    key,
  ]);
  return answer;
}
