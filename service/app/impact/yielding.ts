/** Long work beside requests that want to be answered: a few milliseconds of it at a time. */
const MOST_MS = 8;

export type YieldNow = () => Promise<void> | undefined;

export function yielding(): YieldNow {
  let since = performance.now();
  return () => {
    if (performance.now() - since < MOST_MS) return undefined;
    return new Promise((resolve) =>
      setImmediate(() => {
        since = performance.now();
        resolve();
      }),
    );
  };
}
