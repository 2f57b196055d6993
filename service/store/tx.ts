import type { Remark } from '@zpine/contract/remarks';
import type { KindName } from '@zpine/contract/kinds';
import type { Row } from '@zpine/contract/fields';
import { DEFAULT_VRF, defaultVrf } from '@zpine/contract/kinds/addressing';
import type { Limits } from '@zpine/core/arrival/arrival';
import { Refusal } from '@zpine/contract/errors';
import { connectionsOf } from './belowSequelize.ts';
import { Clock } from './clock.ts';
import type { Dialects } from './dialects.ts';
import type { HeldFew, KnownFew } from './fewKinds.ts';
import { insertsOf } from './inserts.ts';
import { Instant } from './instant.ts';
import type { Models } from './models.ts';
import type { Sealer } from './sealing.ts';
import type { Actor, BootPlace, Store } from './store.ts';
import { Touched } from './touched.ts';
import type { Unit } from './unit.ts';
import { Unsaved, type Change, type NewJob } from './unsaved.ts';

type Values = readonly unknown[];

/** How many changes are kept to be shown. */
const SEEN = 1000;
/** How many buffered changes are held in memory before they are written inside the transaction. */
const FLUSH_AT = 2000;
const REMARKS = 12;

/**
 * One unit of work on the database. Everything that reads or writes goes through it, so that no query can leave the
 * transaction by accident. Changes, events and jobs are gathered here and written last.
 */
export class Tx {
  readonly actor: Actor;
  readonly action: string;
  readonly models: Models;
  readonly sealer: Sealer;
  readonly place: BootPlace;
  readonly limits: Limits;
  readonly dialects: Dialects;
  /** Natural keys by kind and id, as far as this unit of work has seen them. */
  readonly keys = new Map<KindName, Map<number, string>>([['vrf', new Map([[DEFAULT_VRF, defaultVrf]])]]);
  /** What is known here of kinds with few records; `changed` from when this unit of work changes any of them. */
  few: KnownFew | 'changed' | undefined;
  readonly store: Store;
  private readonly unit: Unit | null;
  private readonly unsaved = new Unsaved();
  private readonly clock: Clock;
  /** Set when everything is to be taken back: the work was done only to see what it would do. */
  discarded = false;
  /** Set while changes are taken back: what came along with records of then comes back by itself, not anew. */
  takingBack = false;
  /** The change set that this one takes back. */
  undoes: number | null = null;
  /** The first changes, whatever became of the buffer, and how many there were: for whoever only wants to see. */
  readonly seen: Change[] = [];
  changeCount = 0;
  /** Hears of each change and hint, for whoever wants to see them all. */
  observer: { change: (change: Change) => unknown; hint: (kind: string, id: number) => unknown } | undefined;
  readonly remarks: Remark[] = [];
  /** What this unit of work has touched, for who has it in memory. */
  readonly touched = new Touched();
  /** What was unsealed here: no refusal and no fault tells of it. */
  readonly unsealed: string[] = [];
  /** Of whoever asked: nothing is begun any more when they have gone. */
  readonly signal: AbortSignal | undefined;

  constructor(store: Store, unit: Unit | null, actor: Actor, action: string, signal?: AbortSignal) {
    this.signal = signal;
    this.store = store;
    this.models = store.models;
    this.sealer = store.sealer.watched((text) => this.unsealed.push(text));
    this.place = store.place;
    this.limits = store.limits;
    this.dialects = store.dialects;
    this.unit = unit;
    this.actor = actor;
    this.action = action;
    this.clock = new Clock(store, async () => {
      const row = await this.one<{ ms: string }>('SELECT CAST(UNIX_TIMESTAMP(SYSDATE(3)) * 1000 AS unsigned) AS ms');
      return row && Number(row.ms);
    });
  }

  /** Rows of a statement, which goes straight to the connection of this unit of work. */
  async select<T extends object>(sql: string, values: Values = []): Promise<T[]> {
    return (await this.send(sql, values)) as T[];
  }

  async one<T extends object>(sql: string, values: Values = []): Promise<T | undefined> {
    return (await this.select<T>(sql, values))[0];
  }

  /** Runs a statement; gives the number of rows it touched. */
  async execute(sql: string, values: Values = []): Promise<number> {
    this.mustWrite();
    const { affectedRows } = (await this.send(sql, values)) as { affectedRows: number };
    return affectedRows;
  }

  /**
   * Inserts rows, in slices; gives their ids in the same order where the table has an `id`. `same` has columns that are
   * alike in all rows, as SQL.
   */
  async insertRows(table: string, rows: Row[], returning = 'id', same: Record<string, string> = {}): Promise<number[]> {
    this.mustWrite();
    const tail = returning ? ` RETURNING ${returning} AS id` : '';
    // Sent one behind the other, without waiting in between: the connection keeps their order.
    const sent = [...insertsOf(table, rows, { same, tail })].map(({ sql, values }) =>
      returning ? this.select<{ id: number }>(sql, values) : this.execute(sql, values).then(() => []),
    );
    return (await Promise.all(sent)).flatMap((made) => made.map(({ id }) => Number(id)));
  }

  /** Writes columns of rows that stand already, by their ids. The rows are whole. */
  async replaceRows(table: string, rows: Row[], changing: readonly string[]): Promise<void> {
    const sets = changing.map((column) => `\`${column}\` = VALUES(\`${column}\`)`).join(', ');
    const tail = ` ON DUPLICATE KEY UPDATE ${sets}`;
    for (const { sql, values } of insertsOf(table, rows, { tail })) await this.execute(sql, values);
  }

  /** The database's clock, the same for the whole unit of work. */
  now(): Promise<Instant> {
    return this.clock.now();
  }

  /** The same without asking: the database's clock as it was last seen. For tests of times in a WHERE. */
  aboutNow(): Instant {
    return this.clock.aboutNow();
  }

  /** The records of such kinds under this stamp, as all units of work share them. */
  heldFew(stamp: string, many: () => ReadonlySet<string>): HeldFew {
    if (this.store.few?.stamp !== stamp) this.store.few = { stamp, many: many(), kinds: new Map() };
    return this.store.few;
  }

  /** What was worked out for anybody within so many milliseconds, or is now. A unit of work that fails leaves nothing. */
  async heldFor<T>(name: string, ms: number, work: () => Promise<T>): Promise<T> {
    const known = this.store.held?.get(name);
    if (known && Date.now() - known.at < ms) return known.value as T;
    const at = Date.now();
    const value = await work();
    (this.store.held ??= new Map()).set(name, { at, value });
    return value;
  }

  /** Lets go of natural keys that a long unit of work has gathered; they are asked for again where they are needed. */
  forgetKeys(kind: KindName, most: number): void {
    const known = this.keys.get(kind);
    if (known && known.size > most && kind !== 'vrf') known.clear();
  }

  async change(change: Change): Promise<void> {
    const waiting = this.unsaved.change(change);
    this.changeCount += 1;
    this.touched.note({ kind: change.kind, id: change.id, version: change.versionTo });
    this.observer?.change(change);
    if (this.seen.length < SEEN) this.seen.push(change);
    if (waiting >= FLUSH_AT) await this.flush();
  }

  /** Tells who listens that something changed which leaves no history: an arrival, a stranger. */
  hint(kind: string, id: number, version: number | null): void {
    this.unsaved.hint({ kind, id, version });
    this.touched.note({ kind, id, version });
    this.observer?.hint(kind, id);
  }

  /** What whoever made the change should know, and nothing refuses. Said once with the answer. */
  remark(remark: Remark): void {
    if (this.remarks.length < REMARKS) this.remarks.push(remark);
  }

  /** Asked before anything is locked: it takes seconds. */
  async letsIn(device: number): Promise<boolean> {
    return (await this.store.letsIn?.(device)) ?? false;
  }

  job(job: NewJob): void {
    this.unsaved.job(job);
  }

  /** Writes what was gathered: before the commit, and in between when much has gathered. */
  flush(): Promise<void> {
    return this.unsaved.write(this);
  }

  private async send(sql: string, values: Values): Promise<unknown> {
    // Whoever asked has gone: nothing is begun for them any more. (A statement under way is not killed: that could hit
    // whoever has its connection next.)
    if (this.signal?.aborted) throw new Refusal('client-left');
    this.store.heard?.(sql);
    if (this.unit) return this.unit.send(sql, values.map(sqlValue));
    const connections = connectionsOf(this.store.sequelize);
    const connection = await connections.take();
    try {
      return await connection.query(sql, values.map(sqlValue));
    } finally {
      connections.giveBack(connection);
    }
  }

  private mustWrite(): void {
    if (!this.unit) throw new Error('this unit of work only reads');
  }
}

/** The connector writes Buffers as binary literals, and only those. */
const sqlValue = (value: unknown): unknown => {
  if (value instanceof Uint8Array && !Buffer.isBuffer(value)) return Buffer.from(value);
  if (value instanceof Instant) return value.sql;
  // A BigInt stays one: as a text it would be worked with as a double, which has 53 bits.
  return value === undefined ? null : value;
};
