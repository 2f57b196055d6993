/** When checks are judged by themselves, and when what they found is no answer any more. */
import type { Stored } from '@zpine/contract/kinds';
import type { Tx } from '../../store/tx.ts';

/** By the clock of the service. */
export interface Clock {
  day: string;
  hour: number;
}

export function clockNow(now = new Date()): Clock {
  const two = (n: number) => String(n).padStart(2, '0');
  return { day: `${now.getFullYear()}-${two(now.getMonth() + 1)}-${two(now.getDate())}`, hour: now.getHours() };
}

export const dayOf = async (tx: Tx): Promise<string> => (await tx.now()).iso.slice(0, 10);

/** An hour that is over when somebody names it comes tomorrow. */
export async function skipToday(tx: Tx, checks: readonly Stored<'check'>[], { day, hour }: Clock): Promise<void> {
  for (const check of checks)
    if (check.hour !== null)
      await tx.execute(
        'INSERT INTO check_turn (check_id, day) VALUES (?, ?) ON DUPLICATE KEY UPDATE day = VALUES(day)',
        [check.id, check.hour <= hour ? day : ''],
      );
}

/** What was found goes where it was found of other devices, or by another text. */
export const forgetResults = (tx: Tx, checks: readonly number[]): Promise<number> =>
  tx.execute('DELETE FROM check_result WHERE check_id IN (?)', [checks]);
