/** Asks a device that is being swapped what it says of its ports, its neighbours, and its version. */
import { answersOf } from './work/effects.ts';
import type { SwapLook } from '../app/swaps/turns.ts';
import type { Said } from '../app/swaps/rows.ts';
import { connect, type ConnectOptions } from './connect.ts';
import { openSession } from './session.ts';

export async function lookAtSwapped(
  { target }: SwapLook,
  way: ConnectOptions,
): Promise<Omit<Said, 'at'> | { fault: string }> {
  const { dialect, access } = target;
  if (!dialect) return { fault: 'nothing is known of its dialect' };
  try {
    const { client } = await connect(target, way);
    const session = await openSession(client, dialect, { answerMs: access.answerSeconds * 1000 }, access.second);
    try {
      const command = dialect.askedBy('version');
      const rows = command === undefined ? [] : dialect.rowsOf('version', (await session.run(command)).text);
      return { version: rows[0]?.version ?? null, answers: await answersOf(dialect, session) };
    } finally {
      session.close();
    }
  } catch (error) {
    return { fault: error instanceof Error ? error.message : String(error) };
  }
}
