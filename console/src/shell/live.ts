/** One event stream a browser: the tab that holds the lock opens it and tells the others. */
import { useEffect, useState } from 'react';
import { keys, own, queries } from '../api.ts';
import { AtMostEvery, concerns, isSlow, type Hint, type Hints } from './news.ts';

type News = { hints: Hints } | { live: boolean };

const CHANNEL = 'zealous-pine-news';

const SLOW_MS = 5000;
let settling: ReturnType<typeof setTimeout> | undefined;
const askSlow = () => void queries.invalidateQueries({ predicate: ({ queryKey }) => isSlow(queryKey) });
const slowly = new AtMostEvery(SLOW_MS, () => {
  askSlow();
  // Of a large estate the service counts once in five seconds: what it says then is as it is now.
  clearTimeout(settling);
  settling = setTimeout(askSlow, SLOW_MS + 1000);
});

/** Asks again for what may be another now. */
function refresh(told: Hints): void {
  const hints = own.without(told);
  if (concerns(told, keys.worked('today'))) slowly.ask();
  if (hints.length === 0) return;
  void queries.invalidateQueries({ predicate: ({ queryKey }) => !isSlow(queryKey) && concerns(hints, queryKey) });
}

/** Follows the changes that others make; true while the stream is open. */
export function useLive(): boolean {
  const [live, setLive] = useState(false);
  useEffect(() => {
    const channel = new BroadcastChannel(CHANNEL);
    const hear = (news: News) => ('hints' in news ? refresh(news.hints) : setLive(news.live));
    channel.onmessage = ({ data }: MessageEvent<News>) => hear(data);
    const tell = (news: News) => {
      hear(news);
      channel.postMessage(news);
    };
    const gone = new AbortController();
    void navigator.locks
      .request(CHANNEL, { signal: gone.signal }, () => follow(tell, gone.signal))
      .catch(() => undefined);
    return () => {
      gone.abort();
      channel.close();
    };
  }, []);
  return live;
}

const GATHER_MS = 120;

function follow(tell: (news: News) => void, gone: AbortSignal): Promise<void> {
  return new Promise((done) => {
    const stream = new EventSource('/api/v1/events');
    let changed: Hint[] = [];
    let timer: ReturnType<typeof setTimeout> | undefined;
    const flush = () => {
      timer = undefined;
      tell({ hints: changed });
      changed = [];
    };
    let wasLost = false;
    stream.addEventListener('hello', () => {
      tell({ live: true });
      if (wasLost) tell({ hints: 'all' });
    });
    stream.addEventListener('change', ({ data }: MessageEvent<string>) => {
      changed.push(...(JSON.parse(data) as Hint[]));
      timer ??= setTimeout(flush, GATHER_MS);
    });
    stream.addEventListener('resync', () => tell({ hints: 'all' }));
    stream.onerror = () => {
      wasLost = true;
      tell({ live: false });
    };
    gone.addEventListener('abort', () => {
      stream.close();
      clearTimeout(timer);
      done();
    });
  });
}
