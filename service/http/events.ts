import { type Context } from 'hono';
import { streamSSE } from 'hono/streaming';
import { type EventFeed, type Hint } from '../store/events.ts';

const HEARTBEAT_MS = 15_000;

/** Server-sent events: `change` with a list of hints, `resync` when some were lost, a comment as a sign of life. */
export function streamEvents(c: Context, feed: EventFeed, closing: AbortSignal): Response {
  return streamSSE(c, async (stream) => {
    const done = new Promise<void>((resolve) => {
      const end = () => {
        // The service outlives its streams: none may leave anything behind.
        closing.removeEventListener('abort', end);
        resolve();
      };
      stream.onAbort(end);
      closing.addEventListener('abort', end);
    });
    const send = (hints: Hint[] | 'resync') =>
      void stream.writeSSE(
        hints === 'resync' ? { event: 'resync', data: '{}' } : { event: 'change', data: JSON.stringify(hints) },
      );
    const stop = feed.listen(send);
    const beat = setInterval(() => void stream.write(': here\n\n'), HEARTBEAT_MS);
    await stream.writeSSE({ event: 'hello', data: '{}' });
    await done;
    clearInterval(beat);
    stop();
  });
}
