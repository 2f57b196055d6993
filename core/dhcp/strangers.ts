/** Booting clients that are nobody's, as far as it has to be known who is on the list already. */

type Listed = { prefix: number; settled: boolean };

export class Strangers {
  private readonly most: number;
  private readonly listed = new Map<string, Listed>();
  private readonly waiting = new Map<number, number>();

  /** `most` of a prefix wait on the list at a time. */
  constructor(most: number) {
    this.most = most;
  }

  has(word: string): boolean {
    return this.listed.has(word);
  }

  /** Whether it waits on a list for somebody to say who it is. */
  waits(word: string): boolean {
    return this.listed.get(word)?.settled === false;
  }

  put(word: string, row: Listed): void {
    this.drop(word);
    this.listed.set(word, row);
    if (!row.settled) this.count(row.prefix, 1);
  }

  drop(word: string): void {
    const row = this.listed.get(word);
    if (!row) return;
    this.listed.delete(word);
    if (!row.settled) this.count(row.prefix, -1);
  }

  private count(prefix: number, more: number): void {
    this.waiting.set(prefix, (this.waiting.get(prefix) ?? 0) + more);
  }

  /** Whether a client is on the list, or there is room for it on that of its prefix. */
  mayBeListed(prefix: number, word: string): boolean {
    return this.listed.has(word) || (this.waiting.get(prefix) ?? 0) < this.most;
  }
}
