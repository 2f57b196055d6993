/** Waiting for what comes by itself, and not for a time in which it should have come. */
interface Patience {
  limitMs?: number;
  everyMs?: number;
}

/** What `look` gives, once it gives something; fails with `what`, and with how it looked last. */
export async function eventually<T>(
  what: string | (() => string),
  look: () => T | Promise<T>,
  { limitMs = 15_000, everyMs = 50 }: Patience = {},
): Promise<Exclude<T, undefined | null | false | ''>> {
  for (const end = Date.now() + limitMs; ; await new Promise((done) => setTimeout(done, everyMs))) {
    let why = '';
    try {
      const found = await look();
      if (found !== undefined && found !== null && found !== false && found !== '')
        return found as Exclude<T, undefined | null | false | ''>;
    } catch (error) {
      why = `: ${error instanceof Error ? error.message : String(error)}`;
    }
    if (Date.now() > end)
      throw new Error(`not within ${limitMs} ms: ${typeof what === 'string' ? what : what()}${why}`);
  }
}
