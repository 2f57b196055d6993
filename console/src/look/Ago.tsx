import { useEffect, useState } from 'react';
import { ago, exact } from './time.ts';

/** A relative time that moves on by itself; the exact one on hover. */
export function Ago({ at, suffix = '' }: { at: string; suffix?: string }) {
  const [, tick] = useState(0);
  useEffect(() => {
    const timer = setInterval(() => tick((n) => n + 1), 10_000);
    return () => clearInterval(timer);
  }, []);
  const text = ago(at);
  return (
    <time dateTime={at} title={exact(at)} className="nowrap">
      {text === 'just now' ? text : text + suffix}
    </time>
  );
}
