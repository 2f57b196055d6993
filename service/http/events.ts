import type { Context } from 'hono';
import { streamSSE } from 'hono/streaming';
import { Refusal } from '@zpine/contract/errors';
import type { EventFeed, Hint } from '../store/events.ts';

const HEARTBEAT_MS = 15_000;
/** Of one user: each browser has one, and programs a few. */
const MOST_STREAMS = 40;

/**
 * Server-sent events: `change` with a list of hints, `resync` when some were lost, a comment as a sign of life. It ends
 * with what it was opened by: `stillIn` is asked with each sign of life, and whenever something about users changed.
 */
export function streamEvents(
  c: Context,
  feed: EventFeed,
  closing: AbortSignal,
  streams: Map<number, number>,
  user: number,
  stillIn: () => Promise<boolean>,
): Response {
  const open = streams.get(user) ?? 0;
  if (open >= MOST_STREAMS) throw new Refusal('streams-many', { max: MOST_STREAMS });
  streams.set(user, open + 1);
  const left = (): void => {
    const now = (streams.get(user) ?? 1) - 1;
    if (now > 0) streams.set(user, now);
    else streams.delete(user);
  };
  return streamSSE(c, async (stream) => {
    let end = (): void => undefined;
    const done = new Promise<void>((resolve) => {
      end = () => {
        // The service outlives its streams: none may leave anything behind.
        closing.removeEventListener('abort', end);
        resolve();
      };
      stream.onAbort(end);
      closing.addEventListener('abort', end);
    });
    const look = async (): Promise<void> => {
      // While the database is away nobody can say; whoever is in stays.
      if (!(await stillIn().catch(() => true))) end();
    };
    const send = (hints: Hint[] | 'resync') => {
      if (hints === 'resync') return void stream.writeSSE({ event: 'resync', data: '{}' });
      const shown = hints.filter(({ kind }) => kind !== 'user');
      if (shown.length < hints.length) void look();
      if (shown.length > 0) void stream.writeSSE({ event: 'change', data: JSON.stringify(shown) });
    };
    const stop = feed.listen(send);
    const beat = setInterval(() => {
      void stream.write(': here\n\n');
      void look();
    }, HEARTBEAT_MS);
    try {
      await stream.writeSSE({ event: 'hello', data: '{}' });
      await done;
    } finally {
      clearInterval(beat);
      stop();
      left();
    }
  });
}
