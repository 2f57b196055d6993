import { useEffect, useRef, useSyncExternalStore } from 'react';

/** Which rows of a list are ticked: kept outside of the table, so that one tick does not draw all rows anew. */
export class Ticks {
  private refs: readonly string[] = [];
  private held = new Set<string>();
  private readonly listeners = new Set<() => void>();

  readonly list = (): readonly string[] => this.refs;
  readonly has = (ref: string): boolean => this.held.has(ref);
  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  set(refs: readonly string[], ticked: boolean): void {
    for (const ref of refs) {
      if (ticked) this.held.add(ref);
      else this.held.delete(ref);
    }
    this.tell();
  }

  clear(): void {
    this.held = new Set();
    this.tell();
  }

  private tell(): void {
    this.refs = [...this.held];
    for (const listener of this.listeners) listener();
  }
}

export const useTicked = (ticks: Ticks): readonly string[] => useSyncExternalStore(ticks.subscribe, ticks.list);

/** The box of one row. */
export function Tick({ ticks, of, label }: { ticks: Ticks; of: string; label: string }) {
  const ticked = useSyncExternalStore(ticks.subscribe, () => ticks.has(of));
  return (
    <input
      type="checkbox"
      aria-label={`Select ${label}`}
      checked={ticked}
      onClick={(event) => event.stopPropagation()}
      onChange={(event) => ticks.set([of], event.target.checked)}
    />
  );
}

/** The box of all rows that are shown. */
export function TickAll({ ticks, refs }: { ticks: Ticks; refs: readonly string[] }) {
  const ticked = useTicked(ticks).length;
  const all = ticked > 0 && refs.every((ref) => ticks.has(ref));
  const box = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (box.current) box.current.indeterminate = ticked > 0 && !all;
  }, [ticked, all]);
  return (
    <input
      ref={box}
      type="checkbox"
      aria-label="Select all that are shown"
      checked={all}
      onChange={(event) => ticks.set(refs, event.target.checked)}
    />
  );
}
