/** Takes what comes while it works as the next batch: the more there is to do, the more is done at once. */
export class Batches<T> {
  private readonly work: (batch: T[]) => Promise<void>;
  private readonly most: number;
  private readonly gatherMs: number;
  private waiting: T[] = [];
  private running: Promise<void> | undefined;

  /** `work` must not fail. `gatherMs`: for so long each batch is gathered; 0: no longer than what is under way takes. */
  constructor(most: number, gatherMs: number, work: (batch: T[]) => Promise<void>) {
    this.most = most;
    this.gatherMs = gatherMs;
    this.work = work;
  }

  add(item: T): void {
    this.waiting.push(item);
    this.running ??= this.run();
  }

  /** Resolves when nothing waits any more. */
  async idle(): Promise<void> {
    while (this.running) await this.running;
  }

  private async run(): Promise<void> {
    while (this.waiting.length > 0) {
      // What comes in the same turn of the loop goes along in any case.
      await new Promise((resolve) => (this.gatherMs > 0 ? setTimeout(resolve, this.gatherMs) : setImmediate(resolve)));
      await this.work(this.waiting.splice(0, this.most));
    }
    this.running = undefined;
  }
}
