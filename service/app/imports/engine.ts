/**
 * Takes in rows, stretch by stretch, and notes all faults and what would come of the rest. It goes from one unit of work
 * to the next where rows are only looked at.
 */
import { schemaOf } from '@zpine/contract/fieldSchemas';
import { Refusal, type FieldFault } from '@zpine/contract/errors';
import type { ImportedRow, ImportKind } from '@zpine/contract/importRoutes';
import { canonicalKey, fieldsOf, type KindDescription } from '@zpine/contract/kind';
import { isKind, kindOf, type KindName } from '@zpine/contract/kinds';
import { type AnyStored, byKeys, present } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { add } from '../records/add.ts';
import { differences } from '../records/editMany.ts';
import { edit, setFields } from '../records/edit.ts';
import { unknownRef } from '../records/refs.ts';
import { clearable, plan, waves, type Planned } from './plan.ts';
import type { ImportRow, RowFault } from './rows.ts';

/** How many records and faults are kept to be shown. */
export const SHOWN = 500;
/** Behind so many faults nobody wants to know the rest. */
const MOST_FAULTS = 2000;

/** So many keys of a kind are held between stretches. */
const MOST_KEYS = 50_000;
/** So many keys of a file are known by their rows; behind that a second row of one key is found by what was just written. */
const MOST_SEEN = 2_000_000;
/** Keys of one question. */
const MOST_ASKED = 5000;

/** What had to wait for a kind that comes later. */
export interface Waiting {
  planned: Planned;
  kind: KindName;
  field: string;
  value: unknown;
  /** The record came with this import. */
  fresh: boolean;
}

/** What is worked out of rows, as it stood at some time. */
interface Standing {
  counts: Import['counts'];
  items: ImportedRow[];
  faults: number;
  waiting: Waiting[];
  broken: Keys;
  absent: Keys;
}

/** Keys of rows by kind. */
type Keys = ReadonlyMap<ImportKind, ReadonlySet<string>>;
const copyOf = (keys: Keys): Map<ImportKind, Set<string>> =>
  new Map([...keys].map(([kind, some]) => [kind, new Set(some)]));

export class Import {
  counts = { add: 0, edit: 0, same: 0 };
  items: ImportedRow[] = [];
  readonly faults: RowFault[] = [];
  /** The unit of work that it is in. */
  tx: Tx;
  private readonly among: ReadonlySet<string>;
  /** The rows of the keys of this import, by kind. */
  private readonly rowOf = new Map<ImportKind, Map<string, ImportRow>>();
  private seen = 0;
  /** Keys of rows that have faults: what refers to them is not blamed for it. */
  private broken = new Map<ImportKind, Set<string>>();
  /** Those of them that have no record; of others, only what had to wait is wrong. */
  private absent = new Map<ImportKind, Set<string>>();
  private waiting: Waiting[] = [];
  /** Set while rows are taken along that were looked at before: nothing of them is noted again. */
  private quiet = false;

  /** `among`: the kinds that rows of this import may have. */
  constructor(tx: Tx, among: Iterable<string>) {
    this.tx = tx;
    this.among = new Set(among);
  }

  get full(): boolean {
    return this.faults.length >= MOST_FAULTS;
  }

  /** Before a unit of work that may have to be begun anew. */
  standing(): Standing {
    const items = this.items.map((item) => ({ ...item, changes: [...item.changes] }));
    const [broken, absent] = [copyOf(this.broken), copyOf(this.absent)];
    return {
      counts: { ...this.counts },
      items,
      faults: this.faults.length,
      waiting: [...this.waiting],
      broken,
      absent,
    };
  }

  backTo({ counts, items, faults, waiting, broken, absent }: Standing): void {
    this.counts = { ...counts };
    this.items = items.map((item) => ({ ...item, changes: [...item.changes] }));
    this.faults.length = faults;
    this.waiting = [...waiting];
    this.broken = copyOf(broken);
    this.absent = copyOf(absent);
  }

  /** Sorts the fields of rows; of several rows with one key the first counts, and the others are faults. */
  plan(kind: KindName, rows: readonly ImportRow[]): Planned[] {
    const k = kindOf(kind);
    return rows.map((row) => plan(k, row, this.among)).filter((p) => this.first(kind, p.key, p.row, this.keyField(p)));
  }

  /** Whether the key is in the import for the first time. */
  first(kind: ImportKind, key: string, row: ImportRow, field: string | null): boolean {
    if (key === '') return true;
    const rows = this.rowOf.get(kind) ?? new Map<string, ImportRow>();
    this.rowOf.set(kind, rows);
    const before = rows.get(key);
    if (before) this.fault(row, field, 'import-twice', { key, row: before.row });
    else if (this.seen < MOST_SEEN) {
      rows.set(key, row);
      this.seen += 1;
    }
    return !before;
  }

  /** The row of a key, where this import has one that nothing was said against. */
  soundRow(kind: KindName, key: string): ImportRow | undefined {
    return this.broken.get(kind)?.has(key) ? undefined : this.rowOf.get(kind)?.get(key);
  }

  /**
   * The order in which rows of a kind are taken that refer to their own kind: each behind what it refers to. What stands
   * already comes last.
   */
  async inOrder(kind: KindName, planned: readonly Planned[]): Promise<Planned[][]> {
    const standing = new Set<string>();
    for (let at = 0; at < planned.length; at += MOST_ASKED)
      for (const key of (await this.byKeys(kind, planned.slice(at, at + MOST_ASKED))).keys()) standing.add(key);
    const ordered = waves(
      kindOf(kind),
      planned.filter((p) => !standing.has(p.key)),
    );
    for (const p of ordered.circle) {
      this.fault(p.row, null, 'import-circle', { key: p.key });
      this.breaks(p);
    }
    return [...ordered.waves, planned.filter((p) => standing.has(p.key))];
  }

  private byKeys = async (kind: KindName, planned: readonly Planned[]): Promise<Map<string, AnyStored>> =>
    await byKeys(
      this.tx,
      kind,
      planned.map((p) => p.key),
    );

  /** Adds what is new, and edits what stands. */
  async importPlanned(kind: KindName, planned: readonly Planned[]): Promise<void> {
    if (planned.length === 0 || this.full) return;
    const k = kindOf(kind);
    const standing = await this.byKeys(kind, planned);
    if (this.seen >= MOST_SEEN) await this.refuseAgain(planned, standing);
    for (const p of planned)
      for (const { field, value } of p.waiting)
        this.waiting.push({ planned: p, kind, field, value, fresh: !standing.has(p.key) });
    await this.addAll(
      k,
      kind,
      planned.filter((p) => !standing.has(p.key)),
    );
    const known = planned.filter((p) => standing.has(p.key) && !this.broken.get(kind)?.has(p.key));
    await this.editAll(k, kind, known, standing);
    // However long the file is, memory holds one stretch and what it refers to.
    for (const name of this.tx.keys.keys()) this.tx.forgetKeys(name, MOST_KEYS);
  }

  /** Rows that were taken before, in a unit of work that is over: they are there again, and nothing is noted anew. */
  async importParts(planned: readonly Planned[]): Promise<void> {
    const [first] = planned;
    if (!first || first.row.kind === 'value') return;
    const before = this.waiting;
    this.waiting = [];
    this.quiet = true;
    try {
      await this.importPlanned(first.row.kind, planned);
    } finally {
      this.waiting = before;
      this.quiet = false;
    }
  }

  /** A key that was in the file so far above that nobody knows its row: this very import has written it a moment ago. */
  private async refuseAgain(planned: readonly Planned[], standing: Map<string, AnyStored>): Promise<void> {
    const now = (await this.tx.now()).iso;
    for (const p of planned) {
      const there = standing.get(p.key);
      // What came along with another record was not in the import itself.
      if (!there || there.version === 0 || there.updatedAt !== now) continue;
      this.fault(p.row, this.keyField(p), 'import-twice', { key: p.key, row: 'before' });
      this.breaks(p);
    }
  }

  private keyField({ row }: Pick<Planned, 'row'>): string | null {
    if (row.kind === 'value') return null;
    const k = kindOf(row.kind);
    return k.key.parts.findLast((part) => k.fields[part]?.type !== 'ref') ?? null;
  }

  /** `inside`: where in the value of the field, if that is a list or a map: `steps.0.size`. */
  fault(
    row: ImportRow,
    field: string | null,
    code: RowFault['code'],
    params: RowFault['params'] = {},
    inside: (string | number)[] = [],
  ): void {
    if (this.quiet) return;
    const value = field === null ? undefined : valueAt(row.fields[field], inside);
    this.faults.push({
      file: row.file,
      row: row.row,
      kind: row.kind,
      column: field === null ? null : [row.heads[field] ?? field, ...inside].join('.'),
      // What was meant as the value of a secret is one, whatever is wrong with it.
      value:
        value === undefined || value === null || (row.kind === 'value' && field === 'value')
          ? null
          : typeof value === 'string'
            ? value
            : JSON.stringify(value),
      code,
      params,
    });
  }

  note(item: ImportedRow): void {
    if (!this.quiet && this.items.length < SHOWN) this.items.push(item);
  }

  count(what: keyof Import['counts'], by = 1): void {
    if (!this.quiet) this.counts[what] += by;
  }

  private breaks({ row, key }: Pick<Planned, 'row' | 'key'>, there = false): void {
    if (this.quiet) return;
    for (const sets of there ? [this.broken] : [this.broken, this.absent])
      sets.set(row.kind, (sets.get(row.kind) ?? new Set()).add(key));
  }

  /** Notes what a batch was refused for; gives the rows that nothing was said against. */
  private async sound<P extends Pick<Planned, 'row' | 'key'>>(batch: P[], error: unknown, there = false): Promise<P[]> {
    if (!(error instanceof Refusal)) throw error;
    const blamed = new Set<P>();
    for (const fault of error.faults) {
      const p = batch[Number(fault.path[0])];
      if (!p) continue;
      blamed.add(p);
      this.breaks(p, there);
      if (!this.excused(p, fault))
        this.fault(
          p.row,
          fault.path[1] === undefined ? null : String(fault.path[1]),
          fault.code,
          await this.withMeant(fault),
          fault.path.slice(2),
        );
    }
    if (blamed.size === 0) {
      // It was not said of which row: all of them share it.
      const [first] = batch;
      if (first) this.fault(first.row, null, error.code, error.params);
      return [];
    }
    return batch.filter((p) => !blamed.has(p));
  }

  /** A reference to a row of the same import that has faults of its own. */
  private excused(p: Pick<Planned, 'row'>, fault: FieldFault): boolean {
    if (fault.code !== 'ref-unknown' || p.row.kind === 'value') return false;
    const to = kindOf(p.row.kind).fields[String(fault.path[1])]?.to as KindName | undefined;
    return to !== undefined && this.isBroken(to, String(fault.params.ref));
  }

  isBroken(kind: KindName, ref: string): boolean {
    return this.broken.get(kind)?.has(canonicalKey(kindOf(kind), ref)) ?? false;
  }

  /** A stretch that is looked at alone has not all of the rows before it in the database. */
  async withMeant(fault: Pick<FieldFault, 'code' | 'params'>): Promise<FieldFault['params']> {
    const { kind, ref } = fault.params;
    if (fault.code !== 'ref-unknown' || this.quiet || !isKind(String(kind))) return fault.params;
    return unknownRef(this.tx, kind as KindName, String(ref), this.keysOf(kind as KindName));
  }

  private async addAll(k: KindDescription, kind: KindName, rows: Planned[]): Promise<void> {
    for (let batch = rows; batch.length > 0;) {
      try {
        const inputs = batch.map((p) =>
          Object.fromEntries(Object.entries(p.fields).filter(([, value]) => value !== null && value !== undefined)),
        );
        const records = await add(this.tx, kind, inputs);
        for (const [i, record] of records.entries()) {
          const p = batch[i];
          if (p && Object.keys(p.byVerb).length > 0) await this.setByVerb(kind, record, p);
        }
        this.count('add', records.length);
        await this.noteAdded(k, kind, batch, records);
        return;
      } catch (error) {
        batch = await this.sound(batch, error);
      }
    }
  }

  private async noteAdded(k: KindDescription, kind: KindName, batch: Planned[], records: AnyStored[]): Promise<void> {
    const seen = this.quiet ? [] : records.slice(0, Math.max(0, SHOWN - this.items.length));
    const shown = await present(this.tx, kind, seen);
    for (const [i, record] of seen.entries()) {
      const p = batch[i];
      if (!p) continue;
      const after = { ...shown[i], ...p.byVerb };
      const changes = fieldsOf(k).flatMap(([field, spec]) =>
        spec.derived || (after[field] ?? null) === null ? [] : [{ field, before: null, after: after[field] ?? null }],
      );
      this.note({ file: p.row.file, row: p.row.row, kind, key: record.key, action: 'add', changes });
    }
  }

  /** A new record may come with the stage that it had elsewhere. */
  private async setByVerb(kind: KindName, record: AnyStored, p: Planned): Promise<void> {
    const wanted = Object.entries(p.byVerb).filter(([name, value]) => record[name] !== value);
    for (const [name, value] of wanted) {
      const field = kindOf(kind).fields[name];
      const choices = field?.choices;
      if (field && !schemaOf(field).safeParse(value).success)
        return this.fault(p.row, name, 'value-type', { expected: field.title });
      if (choices && !choices.includes(String(value)))
        this.fault(p.row, name, 'value-choice', { value: String(value), choices: choices.join(', ') });
    }
    if (wanted.length > 0) await setFields(this.tx, kind, record.id, Object.fromEntries(wanted));
  }

  private async editAll(
    k: KindDescription,
    kind: KindName,
    rows: Planned[],
    standing: Map<string, AnyStored>,
  ): Promise<void> {
    for (const p of rows) {
      const before = standing.get(p.key);
      for (const [name, value] of Object.entries(p.byVerb)) {
        if (before && before[name] !== value) this.fault(p.row, name, 'field-by-verb', { field: name });
      }
    }
    for (let batch = rows; batch.length > 0;) {
      try {
        const edits = batch.map((p) => ({ ref: `#${standing.get(p.key)?.id}`, changes: clearable(k, p.fields) }));
        const records = await edit(this.tx, kind, edits);
        await this.noteEdits(kind, batch, standing, records);
        return;
      } catch (error) {
        batch = await this.sound(batch, error);
      }
    }
  }

  private async noteEdits(
    kind: KindName,
    batch: Planned[],
    standing: Map<string, AnyStored>,
    records: AnyStored[],
  ): Promise<void> {
    for (const [i, record] of records.entries()) {
      const p = batch[i];
      const before = p && standing.get(p.key);
      if (!p || !before) continue;
      if (record.version === before.version) {
        this.count('same');
        continue;
      }
      this.count('edit');
      if (this.quiet || this.items.length >= SHOWN) continue;
      const [was = {}, is = {}] = await present(this.tx, kind, [before, record]);
      const changes = differences(kind, was, is);
      this.note({ file: p.row.file, row: p.row.row, kind, key: record.key, action: 'edit', changes });
    }
  }

  /** What had to wait for kinds that come later; whoever asks takes it over. */
  handOverWaiting(): Waiting[] {
    const waiting = this.waiting.filter(({ kind, planned }) => !this.broken.get(kind)?.has(planned.key));
    this.waiting = [];
    return waiting;
  }

  async importWaiting(waiting: readonly Waiting[]): Promise<void> {
    for (const one of waiting) {
      const { planned, kind, field, value, fresh } = one;
      if (this.broken.get(kind)?.has(planned.key)) continue;
      if (fresh && (value === null || value === undefined)) continue;
      const record = (await this.byKeys(kind, [planned])).get(planned.key);
      if (!record) continue;
      try {
        const edits = [{ ref: `#${record.id}`, changes: { [field]: value } }];
        const [after] = await edit(this.tx, kind, edits);
        if (after && after.version !== record.version && !fresh) await this.noteLate(one, record, after);
      } catch (error) {
        await this.sound([planned], error, true);
      }
    }
  }

  private async noteLate({ planned, kind, field }: Waiting, before: AnyStored, after: AnyStored): Promise<void> {
    if (this.quiet) return;
    const [was, is] = await present(this.tx, kind, [before, after]);
    const { row, key } = planned;
    const known = this.items.find((item) => item.kind === kind && item.key === key);
    const change = { field, before: was?.[field] ?? null, after: is?.[field] ?? null };
    if (known) return void known.changes.push(change);
    this.count('same', -1);
    this.count('edit');
    this.note({ file: row.file, row: row.row, kind, key, action: 'edit', changes: [change] });
  }

  /** Keys that would be there if all of the import's rows were: what is not found may be meant to be one of them. */
  readonly keysOf = (kind: KindName): Iterable<string> =>
    [...(this.rowOf.get(kind)?.keys() ?? [])].filter((key) => !this.absent.get(kind)?.has(key));
}

/** What stands at a place inside a value; the value itself where it is no list or map. */
function valueAt(value: unknown, inside: (string | number)[]): unknown {
  let at = value;
  for (const step of inside) {
    if (typeof at !== 'object' || at === null) return at;
    at = (at as Record<string, unknown>)[step];
  }
  return at;
}
