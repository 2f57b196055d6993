/** Chance that can be had again: the same seed gives the same requests. */
export class Chance {
  private state: number;

  constructor(seed: number) {
    this.state = seed >>> 0;
  }

  /** From 0 to 1, the latter left out (mulberry32, public domain). */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) >>> 0;
    let t = this.state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  }

  /** From 0 to `below`, the latter left out. */
  under(below: number): number {
    return Math.floor(this.next() * below);
  }

  one<T>(of: readonly T[]): T {
    if (of.length === 0) throw new Error('there is nothing to choose from');
    return of[this.under(of.length)] as T;
  }

  is(probability: number): boolean {
    return this.next() < probability;
  }
}
