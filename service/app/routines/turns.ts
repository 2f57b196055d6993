/** When routines are begun by themselves. */
import type { Stored } from '@zpine/contract/kinds';
import type { Tx } from '../../store/tx.ts';
import type { Clock } from '../checks/turns.ts';

/** An hour that is over when somebody names it comes tomorrow. */
export async function skipRoutines(
  tx: Tx,
  routines: readonly Stored<'routine'>[],
  { day, hour }: Clock,
): Promise<void> {
  for (const { id, hour: own } of routines)
    if (own !== null)
      await tx.execute(
        'INSERT INTO routine_turn (routine_id, day) VALUES (?, ?) ON DUPLICATE KEY UPDATE day = VALUES(day)',
        [id, own <= hour ? day : ''],
      );
}
