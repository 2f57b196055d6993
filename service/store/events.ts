import { Refusal } from '@zpine/contract/errors';
import type { Actor, Store } from './store.ts';
import { readOnly } from './transact.ts';

/** A hint that a record changed: whoever shows it should ask again. */
export interface Hint {
  id: number;
  kind: string;
  record: number;
  /** Null when the record is gone. */
  version: number | null;
}

/** Told when hints were lost on the way: ask for everything again. */
export type Listener = (hints: Hint[] | 'resync') => void;

const POLL_MS = 250;
/** Rows become visible out of order, when a transaction takes its number early and commits late. */
const OVERLAP = 500;
const MOST_AT_ONCE = 2000;
const SAY_AGAIN_MS = 60_000;

/** Reads the event table for all listeners of this instance; other instances' writes come the same way. */
export class EventFeed {
  private readonly store: Store;
  private readonly log: { warn: (what: object, text: string) => void };
  private saidAt = 0;
  private readonly actor: Actor = { name: 'service', via: 'service' };
  private readonly listeners = new Set<Listener>();
  private readonly seen = new Set<number>();
  private top = -1;
  private timer: NodeJS.Timeout | undefined;
  private stopped = false;

  constructor(store: Store, log: { warn: (what: object, text: string) => void }) {
    this.store = store;
    this.log = log;
  }

  listen(listener: Listener): () => void {
    this.listeners.add(listener);
    if (!this.timer && !this.stopped) this.schedule(0);
    return () => this.listeners.delete(listener);
  }

  stop(): void {
    this.stopped = true;
    clearTimeout(this.timer);
  }

  private schedule(delay: number): void {
    this.timer = setTimeout(() => {
      void this.poll().finally(() => {
        this.timer = undefined;
        if (this.stopped) return;
        if (this.listeners.size > 0) this.schedule(POLL_MS);
        // Nobody listens: forget the place, so that a new listener begins at the then newest event.
        else this.top = -1;
      });
    }, delay);
  }

  private async poll(): Promise<void> {
    try {
      if (this.top < 0) return await this.begin();
      const rows = await readOnly(this.store, this.actor, (tx) =>
        tx.select<{ id: number; kind: string; record_id: number; version: number | null }>(
          'SELECT id, kind, record_id, version FROM event WHERE id > ? ORDER BY id LIMIT ?',
          [Math.max(0, this.top - OVERLAP), MOST_AT_ONCE],
        ),
      );
      const fresh = rows.filter((row) => !this.seen.has(Number(row.id)));
      for (const row of fresh) this.seen.add(Number(row.id));
      this.top = Math.max(this.top, Number(rows.at(-1)?.id ?? 0));
      for (const id of this.seen) if (id <= this.top - OVERLAP) this.seen.delete(id);
      if (rows.length >= MOST_AT_ONCE) {
        await this.begin();
        this.tell('resync');
      } else if (fresh.length > 0) {
        this.tell(
          fresh.map((row) => ({
            id: Number(row.id),
            kind: row.kind,
            record: Number(row.record_id),
            version: row.version,
          })),
        );
      }
    } catch (error) {
      this.failed(error);
      // When the database is back, nobody knows what was missed.
      this.top = -1;
      this.tell('resync');
    }
  }

  /** That the database is away shows elsewhere; anything else would end live updates without a word. */
  private failed(error: unknown): void {
    if (error instanceof Refusal && error.code === 'database-away') return;
    if (Date.now() - this.saidAt < SAY_AGAIN_MS) return;
    this.saidAt = Date.now();
    this.log.warn({ err: error }, 'changes could not be read for those who listen');
  }

  private async begin(): Promise<void> {
    const rows = await readOnly(this.store, this.actor, (tx) =>
      tx.select<{ id: number }>('SELECT id FROM event ORDER BY id DESC LIMIT ?', [OVERLAP]),
    );
    this.seen.clear();
    for (const row of rows) this.seen.add(Number(row.id));
    this.top = Number(rows[0]?.id ?? 0);
  }

  private tell(what: Hint[] | 'resync'): void {
    for (const listener of this.listeners) listener(what);
  }
}
