import type { Value } from '@zpine/contract/fields';
import { gather, Refusal, type ErrorCode, type FieldFault, type Faults } from '@zpine/contract/errors';
import type { KindName, Stored } from '@zpine/contract/kinds';
import type { Tx } from '../../store/tx.ts';
import type { AnyStored } from '../../store/records.ts';

/** A record on its way in: as it was, as it would be, and what is wrong with it. References are ids. */
export class Draft {
  readonly before: AnyStored | null;
  readonly after: Record<string, Value>;
  /** The fields that the client named. */
  readonly given: Set<string>;
  readonly faults: FieldFault[] = [];
  private readonly at: (string | number)[];

  constructor(before: AnyStored | null, after: Record<string, Value>, given: Set<string>, at: (string | number)[]) {
    this.before = before;
    this.after = after;
    this.given = given;
    this.at = at;
  }

  /** What is wrong with a field, or with something inside it. */
  fault(field: string | (string | number)[], code: ErrorCode, params: Record<string, string | number> = {}): void {
    this.faults.push({ path: this.place(field), code, params });
  }

  /** The way to a field, from the beginning of what was sent. */
  place(field: string | (string | number)[]): (string | number)[] {
    return this.at.concat(field);
  }

  /** Whether a field is new or not what it was. */
  changes(field: string): boolean {
    return this.before === null
      ? (this.after[field] ?? null) !== null
      : JSON.stringify(this.before[field] ?? null) !== JSON.stringify(this.after[field] ?? null);
  }

  text(field: string): string | null {
    const value = this.after[field] ?? null;
    return value === null ? null : String(value);
  }

  id(field: string): number | null {
    const value = this.after[field];
    return typeof value === 'number' ? value : null;
  }
}

/** What a kind needs beyond its description. All of it takes arrays, and may refuse. */
export interface KindRules {
  /** Before references of this field are looked for: may write short ones in full. */
  spell?: (tx: Tx, drafts: Draft[], field: string) => Promise<void>;
  /** Locks what must not move, works out derived fields, and notes what does not fit. */
  prepare?: (tx: Tx, drafts: Draft[]) => Promise<void>;
  /** What an old image of the history means in today's words. */
  recall?: (image: Record<string, Value>) => Record<string, Value>;
  /** Before records of sound drafts are inserted: makes what they stand on, and sets their fields to it. */
  adding?: (tx: Tx, records: Record<string, Value>[]) => Promise<void>;
  added?: (tx: Tx, records: AnyStored[]) => Promise<void>;
  edited?: (tx: Tx, pairs: { before: AnyStored; after: AnyStored }[]) => Promise<void>;
  /** Asked of what is removed by name, not of what goes along with something else. */
  mayGo?: (tx: Tx, records: AnyStored[]) => Promise<void>;
  /** Before removal; may put things in order that would stand in its way. */
  removing?: (tx: Tx, records: AnyStored[]) => Promise<void>;
  removed?: (tx: Tx, records: AnyStored[]) => Promise<void>;
}

/** The ids that drafts have in one field. */
export const idsOf = (drafts: Draft[], field: string): number[] =>
  drafts.map((d) => d.id(field)).filter((id) => id !== null);

export const throwFaults = (drafts: Draft[]): void => {
  const faults: Faults = [];
  for (const draft of drafts) gather(faults, draft.faults);
  if (faults.length > 0) throw Refusal.of(faults);
};

/** Reads generic records as those of one kind; the kind's rules know which it is. */
export const asStored = <K extends KindName>(_kind: K, record: AnyStored): Stored<K> => record as Stored<K>;
