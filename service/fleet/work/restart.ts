/** A device that is told to go away, and waited for until one can sign in on it again. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import type { Session } from '../session.ts';

/** Opens another session; throws as long as there is none. */
export type Reopen = () => Promise<Session>;

/** So long a device may take from its answer until the session is gone. */
const GOING_MS = 20_000;
const LOOK_MS = 500;
const AGAIN_MS = 2000;

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** Tells it; gives why it did not go, or nothing once the session is over. */
export async function sendAway(
  session: Session,
  { command, answers }: { command: string; answers: readonly { ask: string; say: string }[] },
): Promise<string | undefined> {
  const { refused } = await session.ask(command, answers);
  if (refused !== undefined) return refused;
  const until = Date.now() + GOING_MS;
  while (!session.isOver() && Date.now() < until) await pause(LOOK_MS / 5);
  return session.isOver() ? undefined : `it took "${command}", and went on as before`;
}

export interface Back {
  session: Session;
  /** From its going until one could sign in again. */
  seconds: number;
}

/** Waits for it; gives why it did not come back in time. */
async function waitFor(dialect: Dialect, reopen: Reopen): Promise<Back | string> {
  const limit = dialect.sheet.restart?.backSeconds ?? 300;
  const begin = Date.now();
  let why = '';
  do {
    await pause(why === '' ? LOOK_MS : AGAIN_MS);
    try {
      return { session: await reopen(), seconds: Math.round((Date.now() - begin) / 1000) };
    } catch (error) {
      why = error instanceof Error ? error.message : String(error);
    }
  } while (Date.now() - begin < limit * 1000);
  return `it did not come back within ${limit} s: ${why}`;
}

/** Restarted, with another session once it is back. */
export async function restarted(dialect: Dialect, session: Session, reopen: Reopen): Promise<Back | string> {
  const { restart } = dialect.sheet;
  if (!restart) return `the sheet of ${dialect.sheet.title} does not say how a device is restarted`;
  const stays = await sendAway(session, restart);
  return stays ?? waitFor(dialect, reopen);
}
