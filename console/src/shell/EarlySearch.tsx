import { useEffect, useRef, type RefObject } from 'react';

/** What was typed before the search was there. */
export interface Early {
  text: string;
  focused: boolean;
}

/** Stands in for the search until that is loaded: whoever types at once loses nothing. */
export function EarlySearch({ early }: { early: RefObject<Early> }) {
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => {
    const focus = () => input.current?.focus();
    window.addEventListener('zpine-search', focus);
    return () => window.removeEventListener('zpine-search', focus);
  }, []);
  return (
    <input
      ref={input}
      className="find"
      aria-label="Search"
      onChange={(event) => (early.current.text = event.target.value)}
      onFocus={() => (early.current.focused = true)}
      onBlur={({ currentTarget }) =>
        // It loses the focus, too, when it goes: that is nobody's wish.
        setTimeout(() => {
          if (currentTarget.isConnected) early.current.focused = false;
        })
      }
    />
  );
}
