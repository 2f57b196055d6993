import { useEffect, useRef } from 'react';

/** Asks for the next page when its place comes into view. */
export function ToTheEnd({ onSeen, busy, left }: { onSeen: () => void; busy: boolean; left: number }) {
  const place = useRef<HTMLDivElement>(null);
  const seen = useRef(onSeen);
  seen.current = onSeen;
  useEffect(() => {
    const watch = new IntersectionObserver(
      (entries) => entries.some((e) => e.isIntersecting) && !busy && seen.current(),
      { rootMargin: '600px' },
    );
    if (place.current) watch.observe(place.current);
    return () => watch.disconnect();
  }, [busy]);
  return (
    <div className="more" ref={place}>
      {left > 0 ? `${left.toLocaleString('en')} more` : ''}
    </div>
  );
}
