/** Takes what comes while it works as the next batch: the more there is to do, the more is done at once. */
export class Batches<T> {
  private readonly work: (batch: T[]) => Promise<void>;
  private readonly most: number;
  private waiting: T[] = [];
  private running: Promise<void> | undefined;

  /** `work` must not fail. */
  constructor(most: number, work: (batch: T[]) => Promise<void>) {
    this.most = most;
    this.work = work;
  }

  get length(): number {
    return this.waiting.length;
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
    // What comes in the same turn of the loop goes along.
    await new Promise((resolve) => setImmediate(resolve));
    while (this.waiting.length > 0) await this.work(this.waiting.splice(0, this.most));
    this.running = undefined;
  }
}
