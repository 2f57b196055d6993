import type { Remark } from '@zpine/contract/remarks';
import type { Sequelize } from 'sequelize';
import type { KindName } from '@zpine/contract/kinds';
import type { Row, Value } from '@zpine/contract/fields';
import { DEFAULT_VRF, defaultVrf } from '@zpine/contract/kinds/addressing';
import type { Limits } from '@zpine/core/arrival/arrival';
import { Refusal } from '@zpine/contract/errors';
import { refusalOfConstraint } from './constraints.ts';
import { connectionsOf } from './belowSequelize.ts';
import { isAway, isDeadlock, isLockTimeout, isTooSlow } from './database.ts';
import type { Dialects } from './dialects.ts';
import type { HeldFew, KnownFew } from './fewKinds.ts';
import { Instant } from './instant.ts';
import type { Models } from './models.ts';
import type { Sealer } from './sealing.ts';
import { Unit } from './unit.ts';
import { withoutSecrets } from './withoutSecrets.ts';

/** What is recorded beside the record kinds: values of settings in layers, editions, pinned host keys, looks at captures, mending of the store. */
export const ownKinds = ['value', 'edition', 'host-key', 'capture', 'store', 'user'] as const;
export type OwnKind = (typeof ownKinds)[number];

/** Who writes, through what, and why. */
export interface Actor {
  name: string;
  via: 'api' | 'console' | 'cli' | 'service';
  reason?: string | undefined;
}

export interface Change {
  kind: KindName | OwnKind;
  id: number;
  key: string;
  versionFrom: number | null;
  versionTo: number | null;
  before: Record<string, Value> | null;
  after: Record<string, Value> | null;
}

export interface NewJob {
  name: string;
  payload: unknown;
  /** From now; 0 for at once. */
  delaySeconds: number;
  /** Of jobs with the same word only one waits at a time. */
  single?: string;
}

type Values = readonly unknown[];

/** Rows of one INSERT. */
const SLICE = 500;
/** For how long the distance to the database's clock is taken for granted. */
const CLOCK_MS = 10_000;
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
  private readonly store: Store;
  private readonly unit: Unit | null;
  private changes: Change[] = [];
  private hints: { kind: string; id: number; version: number | null }[] = [];
  private jobs: NewJob[] = [];
  private seq = 0;
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
  /** What was unsealed here: no refusal and no fault tells of it. */
  readonly unsealed: string[] = [];
  private opened = false;
  private time: Instant | undefined;
  private readonly signal: AbortSignal | undefined;

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
    const ids: number[] = [];
    const columns = Object.keys(rows[0] ?? {});
    const names = [...Object.keys(same), ...columns].map((c) => `\`${c}\``).join(', ');
    const marks = `(${[...Object.values(same), ...columns.map(() => '?')].join(', ')})`;
    // Sent one behind the other, without waiting in between: the connection keeps their order.
    const sent: Promise<{ id: number }[]>[] = [];
    for (let at = 0; at < rows.length; at += SLICE) {
      const slice = rows.slice(at, at + SLICE);
      const sql = `INSERT INTO \`${table}\` (${names}) VALUES ${slice.map(() => marks).join(', ')}`;
      const values = slice.flatMap((row) => columns.map((c) => row[c]));
      if (!returning) sent.push(this.execute(sql, values).then(() => []));
      else sent.push(this.select<{ id: number }>(`${sql} RETURNING ${returning} AS id`, values));
    }
    for (const made of await Promise.all(sent)) for (const { id } of made) ids.push(Number(id));
    return ids;
  }

  /** Writes columns of rows that stand already, by their ids, several hundred a statement. The rows are whole. */
  async replaceRows(table: string, rows: Row[], changing: readonly string[]): Promise<void> {
    this.mustWrite();
    const columns = Object.keys(rows[0] ?? {});
    const names = columns.map((c) => `\`${c}\``).join(', ');
    const sets = changing.map((c) => `\`${c}\` = VALUES(\`${c}\`)`).join(', ');
    const marks = `(${columns.map(() => '?').join(', ')})`;
    for (let at = 0; at < rows.length; at += SLICE) {
      const slice = rows.slice(at, at + SLICE);
      await this.execute(
        `INSERT INTO \`${table}\` (${names}) VALUES ${slice.map(() => marks).join(', ')} ON DUPLICATE KEY UPDATE ${sets}`,
        slice.flatMap((row) => columns.map((c) => row[c])),
      );
    }
  }

  /** The database's clock, the same for the whole unit of work. */
  async now(): Promise<Instant> {
    if (this.time === undefined) {
      const clock = this.store.clock;
      const fresh = clock !== undefined && Math.abs(Date.now() - clock.sampledAt) < CLOCK_MS;
      const offset = fresh ? clock.offsetMs : await this.sampleClock();
      this.time = new Instant(Date.now() + offset);
    }
    return this.time;
  }

  /** The same without asking: the database's clock as it was last seen. For tests of times in a WHERE. */
  aboutNow(): Instant {
    return this.time ?? new Instant(Date.now() + (this.store.clock?.offsetMs ?? 0));
  }

  /** How far the database's clock is ahead of ours; asked for now and then, not for every write. */
  private async sampleClock(): Promise<number> {
    const row = await this.one<{ ms: string }>('SELECT CAST(UNIX_TIMESTAMP(SYSDATE(3)) * 1000 AS unsigned) AS ms');
    const sampledAt = Date.now();
    const offsetMs = Number(row?.ms ?? sampledAt) - sampledAt;
    this.store.clock = { offsetMs, sampledAt };
    return offsetMs;
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
    this.changes.push(change);
    this.changeCount += 1;
    this.observer?.change(change);
    if (this.seen.length < SEEN) this.seen.push(change);
    if (this.changes.length >= FLUSH_AT) await this.flush();
  }

  /** Tells who listens that something changed which leaves no history: an arrival, a stranger. */
  hint(kind: string, id: number, version: number | null): void {
    this.hints.push({ kind, id, version });
    this.observer?.hint(kind, id);
  }

  /** What whoever made the change should know, and nothing refuses. Said once with the answer. */
  remark(remark: Remark): void {
    if (this.remarks.length < REMARKS) this.remarks.push(remark);
  }

  /**
   * Work that is only tried: in a unit of work of its own, which is taken back. What it locked is free again when it is
   * over; what was to be said of it is said here.
   */
  async probe<T>(work: (tx: Tx) => Promise<T>): Promise<T> {
    const remarks: Remark[] = [];
    const tried = async (tx: Tx): Promise<T> => {
      tx.discarded = true;
      const result = await work(tx);
      remarks.splice(0, remarks.length, ...tx.remarks);
      return result;
    };
    const result = await transact(this.store, this.actor, this.action, tried, this.signal);
    for (const remark of remarks) this.remark(remark);
    return result;
  }

  /** Asked before anything is locked: it takes seconds. */
  async letsIn(device: number): Promise<boolean> {
    return (await this.store.letsIn?.(device)) ?? false;
  }

  job(job: NewJob): void {
    this.jobs.push(job);
  }

  /** Writes what was gathered. Called by `run` before the commit, and in between when much has gathered. */
  async flush(): Promise<void> {
    if (this.changes.length + this.jobs.length + this.hints.length === 0) return;
    const at = await this.now();
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
        ...this.openSet(at, !alone),
        this.insertRows('change', changes, '', { change_set_id: set }),
        this.insertRows('event', events, ''),
      ]);
    }
    if (this.hints.length > 0) {
      const events = this.hints.map((h) => ({ at, kind: h.kind, record_id: h.id, version: h.version }));
      this.hints = [];
      await this.insertRows('event', events, '');
    }
    for (const job of this.jobs) {
      await this.execute(
        'INSERT IGNORE INTO job (name, payload, due_at, single) VALUES (?, ?, ? + INTERVAL ? SECOND, ?)',
        [job.name, JSON.stringify(job.payload), at, job.delaySeconds, job.single ?? null],
      );
    }
    this.jobs = [];
  }

  /** The change set comes into being with the first change; its id stays with the connection as a variable. */
  private openSet(at: Instant, keep: boolean): Promise<unknown>[] {
    if (this.opened) return [];
    this.opened = true;
    const { name, via, reason } = this.actor;
    const row = { at, actor: name, via, action: this.action, reason: reason ?? null, undoes: this.undoes };
    const set = this.insertRows('change_set', [row], '');
    return keep ? [set, this.execute('SET @change_set = LAST_INSERT_ID()')] : [set];
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

/** Where booting devices find this service, in their own words. */
export interface BootPlace {
  address: string;
  httpPort: number;
}

export interface Store {
  place: BootPlace;
  /** How long arrivals wait for what. */
  limits: Limits;
  sequelize: Sequelize;
  models: Models;
  sealer: Sealer;
  dialects: Dialects;
  /** A lock that was waited for in vain is not waited for again: who asks does so again soon. */
  impatient: boolean;
  /** Whether a device lets the service in now, by its id; left out where nobody can ask it. */
  letsIn?: (device: number) => Promise<boolean>;
  /** The records of kinds with few of them, as they were when they were last looked at. */
  few?: HeldFew;
  /** What was worked out lately, by name. */
  held?: Map<string, { at: number; value: unknown }>;
  /** Hears every statement that units of work send. */
  heard?: (sql: string) => void;
  /** How far the database's clock was ahead of this machine's when it was last asked. */
  clock?: { offsetMs: number; sampledAt: number };
}

const TRIES = 16;

/**
 * The one way to write: `work` runs in a transaction, is tried again when it met a deadlock or waited too long for a
 * lock, and leaves nothing behind when it fails. It must have no other side effect, since it may run several times.
 */
export async function transact<T>(
  store: Store,
  actor: Actor,
  action: string,
  work: (tx: Tx) => Promise<T>,
  signal?: AbortSignal,
): Promise<T> {
  for (let attempt = 1; ; attempt += 1) {
    try {
      return await once(store, actor, action, work, signal);
    } catch (error) {
      if (!isDeadlock(error)) throw asRefusal(error);
      if (attempt >= TRIES || (store.impatient && isLockTimeout(error))) throw new Refusal('busy');
      await new Promise((resolve) => setTimeout(resolve, Math.random() * 15 * attempt));
    }
  }
}

async function once<T>(
  store: Store,
  actor: Actor,
  action: string,
  work: (tx: Tx) => Promise<T>,
  signal: AbortSignal | undefined,
): Promise<T> {
  const unit = await Unit.begin(connectionsOf(store.sequelize));
  const tx = new Tx(store, unit, actor, action, signal);
  let ended = false;
  try {
    const result = await work(tx);
    if (!tx.discarded) await tx.flush();
    ended = true;
    await (tx.discarded ? unit.rollback() : unit.commit());
    return result;
  } catch (error) {
    if (!ended) await unit.rollback();
    throw withoutSecrets(error, tx.unsealed);
  }
}

/** A unit of work that only reads, each statement for itself. */
export async function read<T>(
  store: Store,
  actor: Actor,
  work: (tx: Tx) => Promise<T>,
  signal?: AbortSignal,
): Promise<T> {
  const tx = new Tx(store, null, actor, 'read', signal);
  try {
    return await work(tx);
  } catch (error) {
    throw asRefusal(withoutSecrets(error, tx.unsealed));
  }
}

function asRefusal(error: unknown): unknown {
  if (error instanceof Refusal) return error;
  if (isTooSlow(error)) return new Refusal('too-slow');
  if (isAway(error)) return new Refusal('database-away');
  return refusalOfConstraint(error) ?? error;
}
