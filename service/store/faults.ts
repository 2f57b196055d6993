/**
 * Says in the log what went wrong inside. That the database is away is no fault of ours: it is one sentence, now and then,
 * and whoever waits for an answer hears it anyway.
 */
import { Refusal } from '@zpine/contract/errors';

const AGAIN_MS = 60_000;

export interface Saying {
  warn: (what: object, text: string) => void;
}

export class Faults {
  private readonly log: Saying;
  private saidAt = -AGAIN_MS;

  constructor(log: Saying) {
    this.log = log;
  }

  say(error: unknown, text: string, more: object = {}): void {
    if (!(error instanceof Refusal) || error.code !== 'database-away')
      return this.log.warn({ ...more, err: error }, text);
    if (Date.now() - this.saidAt < AGAIN_MS) return;
    this.saidAt = Date.now();
    this.log.warn(more, `${text}: the database does not answer; tried again until it does`);
  }
}
