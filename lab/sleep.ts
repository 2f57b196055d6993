/** Waits, or ends early when any of the signals is given. */
export const sleep = (ms: number, ...signals: AbortSignal[]): Promise<void> =>
  new Promise((resolve) => {
    const end = () => {
      clearTimeout(timer);
      for (const signal of signals) signal.removeEventListener('abort', end);
      resolve();
    };
    const timer = setTimeout(end, ms);
    for (const signal of signals) signal.addEventListener('abort', end);
    if (signals.some((signal) => signal.aborted)) end();
  });
