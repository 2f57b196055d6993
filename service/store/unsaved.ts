/** What a unit of work has to say at its end: changes for the history, events for who listens, jobs for later. */
import type { Row, Value } from '@zpine/contract/fields';
import type { KindName } from '@zpine/contract/kinds';
import type { Hint } from './hint.ts';
import type { Instant } from './instant.ts';
import type { Actor } from './store.ts';

/** What is recorded beside the record kinds: values of settings in layers, editions, pinned host keys, looks at captures, mending of the store, leases that were ended by hand. */
export const ownKinds = ['value', 'edition', 'host-key', 'capture', 'store', 'user', 'lease'] as const;
export type OwnKind = (typeof ownKinds)[number];

export type Change = {
  kind: KindName | OwnKind;
  id: number;
  key: string;
  versionFrom: number | null;
  versionTo: number | null;
  before: Record<string, Value> | null;
  after: Record<string, Value> | null;
};

export type NewJob = {
  name: string;
  payload: unknown;
  /** From now; 0 for at once. */
  delaySeconds: number;
  /** Of jobs with the same word only one waits at a time. */
  single?: string;
};

/** What of a unit of work it is written by. */
export type Writer = {
  actor: Actor;
  action: string;
  undoes: number | null;
  now: () => Promise<Instant>;
  execute: (sql: string, values?: readonly unknown[]) => Promise<number>;
  insertRows: (table: string, rows: Row[], returning: string, same?: Record<string, string>) => Promise<number[]>;
};

export class Unsaved {
  private changes: Change[] = [];
  private hints: Hint[] = [];
  private jobs: NewJob[] = [];
  private seq = 0;
  private opened = false;

  /** Gives how many wait to be written. */
  change(change: Change): number {
    return this.changes.push(change);
  }

  hint(hint: Hint): void {
    this.hints.push(hint);
  }

  job(job: NewJob): void {
    this.jobs.push(job);
  }

  /** Writes what was gathered. */
  async write(tx: Writer): Promise<void> {
    if (this.changes.length + this.jobs.length + this.hints.length === 0) return;
    const at = await tx.now();
    if (this.changes.length > 0) {
      const changes = this.changes.map((c) => ({
        seq: (this.seq += 1),
        kind: c.kind,
        record_id: c.id,
        record_key: c.key,
        version_from: c.versionFrom,
        version_to: c.versionTo,
        before: c.before && JSON.stringify(c.before),
        after: c.after && JSON.stringify(c.after),
      }));
      const events = this.changes.map((c) => ({ at, kind: c.kind, record_id: c.id, version: c.versionTo }));
      this.changes = [];
      // Sent one behind the other, without waiting in between: the connection keeps their order.
      // One row needs no statement of its own to keep the id: many are sent in slices, with events in between.
      const alone = changes.length === 1 && !this.opened;
      const set = alone ? '(@change_set := LAST_INSERT_ID())' : '@change_set';
      await Promise.all([
        ...this.openSet(tx, at, !alone),
        tx.insertRows('change', changes, '', { change_set_id: set }),
        tx.insertRows('event', events, ''),
      ]);
    }
    if (this.hints.length > 0) {
      const events = this.hints.map((h) => ({ at, kind: h.kind, record_id: h.id, version: h.version }));
      this.hints = [];
      await tx.insertRows('event', events, '');
    }
    for (const job of this.jobs) {
      await tx.execute(
        'INSERT IGNORE INTO job (name, payload, due_at, single) VALUES (?, ?, ? + INTERVAL ? SECOND, ?)',
        [job.name, JSON.stringify(job.payload), at, job.delaySeconds, job.single ?? null],
      );
    }
    this.jobs = [];
  }

  /** The change set comes into being with the first change; its id stays with the connection as a variable. */
  private openSet(tx: Writer, at: Instant, keep: boolean): Promise<unknown>[] {
    if (this.opened) return [];
    this.opened = true;
    const { name, via, reason } = tx.actor;
    const row = { at, actor: name, via, action: tx.action, reason: reason ?? null, undoes: tx.undoes };
    const set = tx.insertRows('change_set', [row], '');
    return keep ? [set, tx.execute('SET @change_set = LAST_INSERT_ID()')] : [set];
  }
}
