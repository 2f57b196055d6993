/**
 * The time by which leases run: the database's, carried on by a clock that nobody sets. A machine whose time is set in the
 * midst of it ends no lease early, and lets none live longer.
 */
const ASTRAY_MS = 250;

export class BootClock {
  private anchor = Date.now();
  private anchoredAt = performance.now();

  /** Milliseconds since 1970. */
  now(): number {
    return this.anchor + (performance.now() - this.anchoredAt);
  }

  /** What the database said a moment ago. */
  said(ms: number): void {
    if (Math.abs(ms - this.now()) < ASTRAY_MS) return;
    this.anchor = ms;
    this.anchoredAt = performance.now();
  }
}
