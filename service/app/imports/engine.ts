/** Takes in rows, batch by batch and kind by kind, in one unit of work: notes all faults, and what would come of the rest. */
import { Refusal, type FieldFault } from '@zpine/contract/errors';
import { type ImportedRow, type ImportKind } from '@zpine/contract/importRoutes';
import { canonicalKey, fieldsOf, type KindDescription } from '@zpine/contract/kind';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { type AnyStored, byKeys, present } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { add } from '../records/add.ts';
import { differences } from '../records/editMany.ts';
import { edit, setFields } from '../records/edit.ts';
import { clearable, plan, waves, type Planned } from './plan.ts';
import { type ImportRow, type RowFault } from './rows.ts';

/** How many records and faults are kept to be shown. */
export const SHOWN = 500;
/** Behind so many faults nobody wants to know the rest. */
export const MOST_FAULTS = 2000;

/** So many keys of a kind are held between batches. */
const MOST_KEYS = 50_000;

interface Waiting {
  row: ImportRow;
  kind: KindName;
  key: string;
  field: string;
  value: unknown;
  /** The record came with this import. */
  fresh: boolean;
}

export class Import {
  readonly counts = { add: 0, edit: 0, same: 0 };
  readonly items: ImportedRow[] = [];
  readonly faults: RowFault[] = [];
  private readonly tx: Tx;
  private readonly among: ReadonlySet<string>;
  /** Keys of rows that have faults: what refers to them is not blamed for it. */
  private readonly broken = new Map<ImportKind, Set<string>>();
  /** Of the batch at hand, and of those before as far as they changed something. */
  private waiting: Waiting[] = [];

  /** `among`: the kinds that rows of this import may have. */
  constructor(tx: Tx, among: Iterable<string>) {
    this.tx = tx;
    this.among = new Set(among);
  }

  get full(): boolean {
    return this.faults.length >= MOST_FAULTS;
  }

  took = (kind: KindName): boolean => this.among.has(kind);

  async take(kind: KindName, rows: ImportRow[]): Promise<void> {
    if (rows.length === 0 || this.full) return;
    const k = kindOf(kind);
    const planned = this.once(rows.map((row) => plan(k, row, this.among)));
    const keys = planned.map((p) => p.key);
    const standing = (await byKeys(this.tx, kind, keys)) as unknown as Map<string, AnyStored>;
    await this.refuseAgain(planned, standing);
    const fresh = planned.filter((p) => !standing.has(p.key));
    for (const p of planned)
      for (const { field, value } of p.waiting)
        this.waiting.push({ row: p.row, kind, key: p.key, field, value, fresh: !standing.has(p.key) });
    const ordered = waves(k, fresh);
    for (const wave of ordered.waves) await this.addAll(k, kind, wave);
    for (const p of ordered.circle) this.fault(p.row, null, 'import-circle', { key: p.key });
    const known = planned.filter((p) => standing.has(p.key) && !this.broken.get(kind)?.has(p.key));
    await this.editAll(k, kind, known, standing);
    // However long the file is, memory holds one batch and what it refers to.
    for (const name of this.tx.keys.keys()) this.tx.forgetKeys(name, MOST_KEYS);
  }

  /** Of rows with one key in a batch the first counts, and the others are faults. */
  private once(planned: Planned[]): Planned[] {
    const seen = new Map<string, number>();
    return planned.filter((p) => {
      const before = seen.get(p.key);
      if (before === undefined || p.key === '') {
        seen.set(p.key, p.row.row);
        return true;
      }
      this.fault(p.row, this.keyField(p), 'import-twice', { key: p.key, row: before });
      return false;
    });
  }

  /** The same across batches: what this very import has written a moment ago. */
  private async refuseAgain(planned: Planned[], standing: Map<string, AnyStored>): Promise<void> {
    const now = `${(await this.tx.now()).replace(' ', 'T')}Z`;
    for (const p of planned) {
      const there = standing.get(p.key);
      // What came along with another record was not in the import itself.
      if (!there || there.version === 0 || there.updatedAt !== now) continue;
      this.fault(p.row, this.keyField(p), 'import-twice', { key: p.key, row: 'before' });
      this.breaks(p);
    }
  }

  private keyField({ row }: Planned): string | null {
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
    if (this.items.length < SHOWN) this.items.push(item);
  }

  private breaks(p: Pick<Planned, 'row' | 'key'>): void {
    const keys = this.broken.get(p.row.kind) ?? new Set();
    this.broken.set(p.row.kind, keys.add(p.key));
  }

  /** Notes what a batch was refused for; gives the rows that nothing was said against. */
  private sound<P extends Pick<Planned, 'row' | 'key'>>(batch: P[], error: unknown): P[] {
    if (!(error instanceof Refusal)) throw error;
    const blamed = new Set<P>();
    for (const fault of error.faults) {
      const p = batch[Number(fault.path[0])];
      if (!p) continue;
      blamed.add(p);
      this.breaks(p);
      if (!this.excused(p, fault))
        this.fault(
          p.row,
          fault.path[1] === undefined ? null : String(fault.path[1]),
          fault.code,
          fault.params,
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

  private async addAll(k: KindDescription, kind: KindName, rows: Planned[]): Promise<void> {
    for (let batch = rows; batch.length > 0;) {
      try {
        const inputs = batch.map((p) =>
          Object.fromEntries(Object.entries(p.fields).filter(([, value]) => value !== null && value !== undefined)),
        );
        const records = (await add(this.tx, kind, inputs)) as unknown as AnyStored[];
        for (const [i, record] of records.entries()) {
          const p = batch[i];
          if (p && Object.keys(p.byVerb).length > 0) await this.setByVerb(kind, record, p);
        }
        this.counts.add += records.length;
        await this.noteAdded(k, kind, batch, records);
        return;
      } catch (error) {
        batch = this.sound(batch, error);
      }
    }
  }

  private async noteAdded(k: KindDescription, kind: KindName, batch: Planned[], records: AnyStored[]): Promise<void> {
    const seen = records.slice(0, Math.max(0, SHOWN - this.items.length));
    const shown = await present(this.tx, kind, seen as never);
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
      const choices = kindOf(kind).fields[name]?.choices;
      if (choices && !choices.includes(String(value)))
        this.fault(p.row, name, 'value-choice', { value: String(value), choices: choices.join(', ') });
    }
    if (wanted.length > 0) await setFields(this.tx, kind, record.id, Object.fromEntries(wanted) as never);
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
        const records = (await edit(this.tx, kind, edits)) as unknown as AnyStored[];
        await this.noteEdits(kind, batch, standing, records);
        return;
      } catch (error) {
        batch = this.sound(batch, error);
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
        this.counts.same += 1;
        continue;
      }
      this.counts.edit += 1;
      if (this.items.length >= SHOWN) continue;
      const [was = {}, is = {}] = await present(this.tx, kind, [before, record] as never);
      const changes = differences(kind, was, is);
      this.note({ file: p.row.file, row: p.row.row, kind, key: record.key, action: 'edit', changes });
    }
  }

  /** What had to wait for kinds that come later. */
  async later(): Promise<void> {
    const waiting = this.waiting;
    this.waiting = [];
    for (const one of waiting) {
      const { row, kind, key, field, value, fresh } = one;
      if (this.broken.get(kind)?.has(key)) continue;
      if (fresh && (value === null || value === undefined)) continue;
      const record = (await byKeys(this.tx, kind, [key])).get(key) as unknown as AnyStored | undefined;
      if (!record) continue;
      try {
        const edits = [{ ref: `#${record.id}`, changes: { [field]: value } }];
        const [after] = (await edit(this.tx, kind, edits)) as unknown as AnyStored[];
        if (after && after.version !== record.version && !fresh) await this.noteLate(one, record, after);
      } catch (error) {
        this.sound([{ row, key }], error);
      }
    }
  }

  private async noteLate({ row, kind, key, field }: Waiting, before: AnyStored, after: AnyStored): Promise<void> {
    const [was, is] = await present(this.tx, kind, [before, after] as never);
    const known = this.items.find((item) => item.kind === kind && item.key === key);
    const change = { field, before: was?.[field] ?? null, after: is?.[field] ?? null };
    if (known) return void known.changes.push(change);
    this.counts.same -= 1;
    this.counts.edit += 1;
    this.note({ file: row.file, row: row.row, kind, key, action: 'edit', changes: [change] });
  }
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
