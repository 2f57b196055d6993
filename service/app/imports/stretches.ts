/**
 * The stretches in which rows of an import are taken, one behind the other. Saved, they are all in one unit of work.
 * To be looked at, each has one of its own, with the rows before it that it cannot be judged without, and is taken back at
 * once: however long the file is, nobody waits for more than a stretch.
 */
import { Refusal } from '@zpine/contract/errors';
import { kindNames, kindOf, type KindName } from '@zpine/contract/kinds';
import { probe } from '../../store/transact.ts';
import type { Tx } from '../../store/tx.ts';
import { importedTree } from '../addressing/importedTree.ts';
import type { Import, Waiting } from './engine.ts';
import type { Planned } from './plan.ts';
import type { ImportRow } from './rows.ts';
import { Companions } from './ties.ts';
import { nameOfValue, importValues } from './values.ts';

/** Rows of a stretch: a second's work for the slowest kinds. */
const STRETCH = 500;

/** Beside an impact all rows are held at once, and anew for each batch of devices that is looked at: some seconds of it. */
const MOST_WITH_IMPACT = 2000;

export interface StretchOptions {
  apply: boolean;
  size?: number;
  /** Called behind each stretch; what it throws ends the import. */
  behind?: () => Promise<void>;
}

export class Stretches {
  private readonly work: Import;
  private readonly looking: boolean;
  private readonly size: number;
  private readonly companions = new Companions();
  private readonly outer: Tx;
  private taken = 0;
  /** What became of the tree of prefixes. */
  tree: Awaited<ReturnType<typeof importedTree>> = null;

  private readonly behind: () => Promise<void>;

  constructor(work: Import, { apply, size = STRETCH, behind = () => Promise.resolve() }: StretchOptions) {
    this.behind = behind;
    this.work = work;
    this.outer = work.tx;
    this.looking = !apply;
    this.size = size;
  }

  /** Rows of any kinds: earlier kinds first, and settings' values when everything else is there. */
  async importAll(rows: readonly ImportRow[]): Promise<void> {
    for (const kind of kindNames)
      await this.importOf(
        kind,
        rows.filter((row) => row.kind === kind),
      );
    await this.importWaiting();
    await this.importValues(rows.filter((row) => row.kind === 'value'));
  }

  async importOf(kind: KindName, rows: readonly ImportRow[]): Promise<void> {
    if (rows.length === 0) return;
    const planned = this.work.plan(kind, rows);
    const ordered = refersToOwn(kind) ? await this.work.inOrder(kind, planned) : [planned];
    for (const some of ordered) {
      // A tree of prefixes is worked out in memory, in one pass.
      const size = kind === 'prefix' ? some.length : this.size;
      for (const stretch of inSlices(some, size)) {
        if (this.work.full) return;
        await this.one(stretch, false, async (tx) => {
          await this.work.importPlanned(kind, stretch);
          // Several waves of them there are not: it is the whole tree.
          if (kind === 'prefix' && this.work.faults.length === 0) this.tree = (await importedTree(tx)) ?? this.tree;
        });
        if (this.looking) this.companions.keep(stretch.filter((p) => this.work.soundRow(kind, p.key) === p.row));
      }
    }
  }

  /** What had to wait for what came behind it. */
  async importWaiting(): Promise<void> {
    for (const stretch of inSlices<Waiting>(this.work.handOverWaiting(), this.size))
      await this.one(
        stretch.map(({ planned }) => planned),
        true,
        () => this.work.importWaiting(stretch),
      );
  }

  async importValues(rows: readonly ImportRow[]): Promise<void> {
    const { work } = this;
    for (const some of inSlices(rows, this.size)) {
      if (work.full) return;
      const stretch = some.filter((row) => work.first('value', nameOfValue(row), row, 'setting'));
      const planned = stretch.map((row): Planned => ({ row, key: '', fields: row.fields, byVerb: {}, waiting: [] }));
      await this.one(planned, false, (tx) => importValues(tx, work, stretch));
    }
  }

  private async one(
    planned: readonly Planned[],
    themselves: boolean,
    take: (tx: Tx) => Promise<unknown>,
  ): Promise<void> {
    const { work, outer } = this;
    if (!this.looking) {
      this.taken += planned.length;
      if (outer.observer && this.taken > MOST_WITH_IMPACT)
        throw new Refusal('import-impact', { max: MOST_WITH_IMPACT });
      await take(outer);
      return this.behind();
    }
    const before = work.standing();
    const along = this.companions.of(planned, themselves);
    try {
      await probe(outer, async (tx) => {
        work.backTo(before);
        work.tx = tx;
        for (const stretch of along) await work.importParts(stretch);
        tx.remarks.length = 0;
        await take(tx);
      });
    } finally {
      work.tx = outer;
    }
    await this.behind();
  }
}

/** Records that refer to their own kind may do so across the whole file. */
export const refersToOwn = (kind: KindName): boolean =>
  kind === 'prefix' || Object.values(kindOf(kind).fields).some((field) => field.to === kind && !field.derived);

function* inSlices<T>(items: readonly T[], size: number): Generator<T[]> {
  for (let at = 0; at < items.length; at += size) yield items.slice(at, at + size);
}
