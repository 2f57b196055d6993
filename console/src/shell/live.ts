/** One event stream a browser: the tab that holds the lock opens it and tells the others. */
import { useEffect, useState } from 'react';
import { queries } from '../api.ts';

type News = { kinds: string[] | 'all' } | { live: boolean };

const CHANNEL = 'zealous-pine-news';

/** Asks again for what the changed kinds show; what is worked out from many kinds is always asked again. */
function refresh(kinds: string[] | 'all'): void {
  void queries.invalidateQueries({
    predicate: ({ queryKey: [scope, kind] }) =>
      scope === 'worked' || (scope === 'records' && (kinds === 'all' || kinds.includes(String(kind)))),
  });
}

/** Follows the changes that others make; true while the stream is open. */
export function useLive(): boolean {
  const [live, setLive] = useState(false);
  useEffect(() => {
    const channel = new BroadcastChannel(CHANNEL);
    const hear = (news: News) => ('kinds' in news ? refresh(news.kinds) : setLive(news.live));
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
    let changed = new Set<string>();
    let timer: ReturnType<typeof setTimeout> | undefined;
    const flush = () => {
      timer = undefined;
      tell({ kinds: [...changed] });
      changed = new Set();
    };
    let wasLost = false;
    stream.addEventListener('hello', () => {
      tell({ live: true });
      if (wasLost) tell({ kinds: 'all' });
    });
    stream.addEventListener('change', ({ data }: MessageEvent<string>) => {
      for (const { kind } of JSON.parse(data) as { kind: string }[]) changed.add(kind);
      timer ??= setTimeout(flush, GATHER_MS);
    });
    stream.addEventListener('resync', () => tell({ kinds: 'all' }));
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
