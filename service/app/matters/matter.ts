/** What one thing that is looked for gives: rows that a person reads, each with its remedy. */
import type { Tx } from '../../store/tx.ts';

export interface Finding {
  kind: string;
  key: string;
  /** A sentence without its full stop, and without a capital. */
  detail: string;
  /** A command that mends it, or leads there. */
  remedy: string;
  /** Null where nobody knows since when, or it is not asked. */
  since: Date | null;
  /** The service could assign a management address at once. */
  assignable?: boolean;
}

interface Scope {
  /** So many rows at most. */
  limit: number;
  /** Of these records alone. */
  ids?: readonly number[] | undefined;
}

export interface Looked {
  rows: Finding[];
  /** How many there are in all; asked where somebody wants to know. */
  count: () => Promise<number>;
}

export type Look = (tx: Tx, scope: Scope) => Promise<Looked>;

/** Rows that are all there are. */
export const whole = (rows: Finding[]): Looked => ({ rows, count: () => Promise.resolve(rows.length) });

/** The first ones are kept, all are counted. */
export class Found {
  readonly rows: Finding[] = [];
  private found = 0;
  private readonly limit: number;

  constructor(limit: number) {
    this.limit = limit;
  }

  add(row: () => Omit<Finding, 'since'>): void {
    this.found += 1;
    if (this.rows.length < this.limit) this.rows.push({ since: null, ...row() });
  }

  get looked(): Looked {
    return { rows: this.rows, count: () => Promise.resolve(this.found) };
  }
}
