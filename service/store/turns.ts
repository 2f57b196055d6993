/** Something that is done turn by turn until it is told to stop; what a turn begins may go on beside the next. */
export class PollLoop {
  stopping = false;
  /** What turns have begun and is not done with. */
  readonly running = new Set<Promise<void>>();
  private readonly idleMs: number;
  /** Gives whether there is more to do at once. */
  private readonly turn: () => Promise<boolean>;
  private wake: (() => void) | undefined;
  private loop: Promise<void> | undefined;

  constructor(idleMs: number, turn: () => Promise<boolean>) {
    this.idleMs = idleMs;
    this.turn = turn;
  }

  start(): void {
    this.loop = this.go();
  }

  async stop(): Promise<void> {
    this.stopping = true;
    this.wake?.();
    await this.loop;
    await Promise.all(this.running);
  }

  /** Goes on beside the turns; it must not fail. */
  beside(work: Promise<void>): void {
    const kept = work.finally(() => this.running.delete(kept));
    this.running.add(kept);
  }

  private async go(): Promise<void> {
    while (!this.stopping) {
      if (await this.turn()) continue;
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, this.idleMs);
        this.wake = () => {
          clearTimeout(timer);
          resolve();
        };
      });
    }
  }
}
