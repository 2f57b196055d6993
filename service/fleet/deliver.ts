/** Sends a message to another system; gives what went wrong. */
import { createHash, createHmac } from 'node:crypto';
import { headerIn, signature } from '@zpine/core/fleet/hooks';
import { hookUrl, mayGoTo } from '../app/fleet/destinations.ts';
import type { Delivery } from '../app/fleet/deliveries.ts';

const PATIENCE_MS = 10_000;
const MOST_REDIRECTS = 3;
const KEY_ID = 'zealous-pine';

/** A header goes to the host that it is for: a redirect to another takes none along. Each place on the way has to be on the list. */
export async function deliver(
  { id, url, body, key, headers }: Omit<Delivery, 'lease' | 'tries'>,
  hosts: readonly string[],
): Promise<string | undefined> {
  let to = hookUrl(url);
  for (let hops = 0; hops <= MOST_REDIRECTS; hops += 1) {
    if (!to) return 'that is no URL for messages';
    if (!mayGoTo(to, hosts)) return `messages may not go to ${to.host}: it is not in ZPINE_HOOK_HOSTS`;
    try {
      const answer = await fetch(to, {
        method: 'POST',
        redirect: 'manual',
        signal: AbortSignal.timeout(PATIENCE_MS),
        headers: {
          'Content-Type': 'application/json',
          // The same message sent twice is one to whoever sorts by it.
          'Idempotency-Key': `"${id}"`,
          ...signedWith(to.href, body, key),
          ...headerFor(to, headers),
        },
        body,
      });
      await answer.body?.cancel();
      const next = answer.headers.get('location');
      if ((answer.status === 307 || answer.status === 308) && next !== null) {
        to = hookUrl(new URL(next, to).href);
        continue;
      }
      return answer.ok ? undefined : `it answered with ${answer.status}`;
    } catch (error) {
      const cause = error instanceof Error && error.cause instanceof Error ? error.cause : error;
      return cause instanceof Error ? cause.message : String(cause);
    }
  }
  return `it led on more than ${MOST_REDIRECTS} times`;
}

function signedWith(url: string, body: string, key: string | undefined): Record<string, string> {
  const digest = createHash('sha256').update(body).digest('base64');
  if (key === undefined) return { 'Content-Digest': `sha-256=:${digest}:` };
  const { base, headers } = signature({ url, created: Math.floor(Date.now() / 1000), keyId: KEY_ID, digest });
  return headers(createHmac('sha256', key).update(base).digest('base64'));
}

function headerFor(url: URL, headers: Readonly<Record<string, string>>): Record<string, string> {
  const line = headers[url.host] ?? headers[url.hostname];
  const read = line === undefined ? undefined : headerIn(line);
  return read ? { [read[0]]: read[1] } : {};
}
