/** Takes in many records in one unit of work: earlier kinds first, all faults named, all or nothing. */
import { problemOf, Refusal, type FieldFault } from '@zpine/contract/errors';
import { type ImportFault, type ImportedRow } from '@zpine/contract/importRoutes';
import { type BodyOf, type ReplyOf } from '@zpine/contract/routes';
import { type Value } from '@zpine/contract/fields';
import { canonicalKey, fieldsOf, makeKey, splitKey, type KindDescription } from '@zpine/contract/kind';
import { kindNames, kindOf, type KindName } from '@zpine/contract/kinds';
import { type AnyStored, byKeys, present } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { add } from '../records/add.ts';
import { edit, setFields } from '../records/edit.ts';
import { readText, type ImportRow, type RowFault } from './read.ts';

const SHOWN = 500;

type Outcome = ReplyOf<'import.run'>;

export async function importText(tx: Tx, input: BodyOf<'import.run'>): Promise<Outcome> {
  const read = readText({ text: input.text, kind: input.kind, as: input.as, columns: input.columns });
  const work = new Import(tx, read.faults);
  for (const kind of kindNames)
    await work.kind(
      kind,
      read.rows.filter((row) => row.kind === kind),
    );
  await work.later();
  const { counts, items, faults } = work;
  const applied = input.apply && faults.length === 0;
  if (!applied) tx.discarded = true;
  return {
    format: read.format,
    applied,
    rows: read.rows.length,
    counts,
    items: items
      .sort((a, b) => kindNames.indexOf(a.kind as KindName) - kindNames.indexOf(b.kind as KindName) || a.row - b.row)
      .slice(0, SHOWN),
    faults: faults.map(worded).slice(0, SHOWN),
    heads: read.heads,
  };
}

/** Faults as people read them. */
function worded({ row, kind, column, value, code, params }: RowFault): ImportFault {
  const { detail, remedy } = problemOf(new Refusal(code, params));
  return { row, kind, column, value, code, detail, remedy: remedy ?? null };
}

interface Planned {
  row: ImportRow;
  key: string;
  /** What the schemas take. */
  fields: Record<string, unknown>;
  /** Set by verbs of their own: a stage. */
  byVerb: Record<string, Value>;
}

class Import {
  readonly counts = { add: 0, edit: 0, same: 0 };
  readonly items: ImportedRow[] = [];
  readonly faults: RowFault[];
  private readonly tx: Tx;
  /** Keys of rows that have faults: what refers to them is not blamed for it. */
  private readonly broken = new Map<KindName, Set<string>>();
  /** References to kinds that come later, set at the end: the management interface of a device. */
  private readonly deferred: {
    row: ImportRow;
    kind: KindName;
    key: string;
    field: string;
    value: unknown;
    fresh: boolean;
  }[] = [];

  constructor(tx: Tx, faults: RowFault[]) {
    this.tx = tx;
    this.faults = [...faults];
  }

  async kind(kind: KindName, rows: ImportRow[]): Promise<void> {
    if (rows.length === 0) return;
    const k = kindOf(kind);
    const planned = rows.map((row) => this.plan(k, row));
    const standing = await byKeys(
      this.tx,
      kind,
      planned.map((p) => p.key),
    );
    const fresh = planned.filter((p) => !standing.has(p.key));
    for (const wave of this.waves(k, kind, fresh)) await this.addAll(k, kind, wave);
    await this.editAll(
      k,
      kind,
      planned.filter((p) => standing.has(p.key)),
      standing as unknown as Map<string, AnyStored>,
    );
  }

  /** Sorts a row's fields: what a schema takes, what a verb sets, what is worked out, what comes later. */
  private plan(k: KindDescription, row: ImportRow): Planned {
    const kind = row.kind;
    const fields: Record<string, unknown> = {};
    const byVerb: Record<string, Value> = {};
    const given = { ...row.fields };
    if (typeof given.key === 'string') {
      for (const [name, text] of Object.entries(splitKey(k, given.key)))
        if (given[name] === undefined || given[name] === null)
          given[name] = k.fields[name]?.type === 'int' ? Number(text) : text;
    }
    delete given.key;
    const key = this.keyOf(k, given);
    for (const [name, value] of Object.entries(given)) {
      const field = k.fields[name];
      if (field?.derived) continue;
      if (field?.byVerb) {
        if (value !== null && value !== undefined) byVerb[name] = value as Value;
      } else if (field?.type === 'ref' && this.comesLater(kind, field.to as KindName)) {
        if (value !== undefined) this.deferred.push({ row, kind, key, field: name, value, fresh: true });
      } else fields[name] = value;
    }
    return { row, key, fields, byVerb };
  }

  private comesLater = (kind: KindName, to: KindName): boolean => kindNames.indexOf(to) > kindNames.indexOf(kind);

  /** The natural key that a row would have, as far as its texts are sound. */
  private keyOf(k: KindDescription, given: Record<string, unknown>): string {
    const parts = k.key.parts.map((part) => {
      const value = given[part] ?? k.fields[part]?.default ?? '';
      return String(value as string | number)
        .trim()
        .toLowerCase();
    });
    try {
      return canonicalKey(k, makeKey(k, parts).key);
    } catch {
      // The order of a key may want sound parts; the schema will say what is wrong with them.
      return parts.join('/');
    }
  }

  /** Rows that refer to others of the same kind come behind those; a circle is a fault. */
  private waves(k: KindDescription, kind: KindName, rows: Planned[]): Planned[][] {
    const own = fieldsOf(k).flatMap(([name, field]) => (field.to === kind && !field.derived ? [name] : []));
    if (own.length === 0) return [rows];
    const out: Planned[][] = [];
    let left = rows;
    while (left.length > 0) {
      const waiting = new Set(left.map((p) => p.key));
      const ready = left.filter((p) =>
        own.every((name) => p.fields[name] === p.key || !waiting.has(canonicalKey(k, String(p.fields[name] ?? '')))),
      );
      if (ready.length === 0) {
        for (const p of left) this.fault(p.row, own[0] ?? null, 'import-circle', { key: p.key });
        return out;
      }
      out.push(ready);
      left = left.filter((p) => !ready.includes(p));
    }
    return out;
  }

  private fault(row: ImportRow, field: string | null, code: RowFault['code'], params: RowFault['params'] = {}): void {
    const value = field === null ? undefined : row.fields[field];
    this.faults.push({
      row: row.row,
      kind: row.kind,
      column: field === null ? null : (row.heads[field] ?? field),
      value: value === undefined || value === null ? null : typeof value === 'string' ? value : JSON.stringify(value),
      code,
      params,
    });
  }

  private breaks(p: Planned): void {
    const keys = this.broken.get(p.row.kind) ?? new Set();
    this.broken.set(p.row.kind, keys.add(p.key));
  }

  /** Notes what a batch was refused for; gives the rows that nothing was said against. */
  private sound(batch: Planned[], error: unknown): Planned[] {
    if (!(error instanceof Refusal)) throw error;
    const blamed = new Set<Planned>();
    for (const fault of error.faults) {
      const p = batch[Number(fault.path[0])];
      if (!p) continue;
      blamed.add(p);
      this.breaks(p);
      if (!this.excused(p, fault))
        this.fault(p.row, fault.path[1] === undefined ? null : String(fault.path[1]), fault.code, fault.params);
    }
    if (blamed.size === 0) {
      // It was not said of which row: all of them share it.
      const [first] = batch;
      if (first) this.fault(first.row, null, error.code, error.params);
      return [];
    }
    return batch.filter((p) => !blamed.has(p));
  }

  /** A reference to a row of the same file that has faults of its own. */
  private excused(p: Planned, fault: FieldFault): boolean {
    if (fault.code !== 'ref-unknown') return false;
    const to = kindOf(p.row.kind).fields[String(fault.path[1])]?.to as KindName | undefined;
    return to !== undefined && (this.broken.get(to)?.has(canonicalKey(kindOf(to), String(fault.params.ref))) ?? false);
  }

  private async addAll(k: KindDescription, kind: KindName, rows: Planned[]): Promise<void> {
    let batch = rows;
    while (batch.length > 0) {
      try {
        const inputs = batch.map((p) =>
          Object.fromEntries(Object.entries(p.fields).filter(([, value]) => value !== null && value !== undefined)),
        );
        const records = (await add(this.tx, kind, inputs, true)) as unknown as AnyStored[];
        const shown = await present(this.tx, kind, records as never);
        for (const [i, record] of records.entries()) {
          const p = batch[i];
          if (!p) continue;
          await this.setByVerb(kind, record, p);
          this.counts.add += 1;
          const after = { ...shown[i], ...p.byVerb };
          const changes = fieldsOf(k).flatMap(([field, spec]) =>
            spec.derived || (after[field] ?? null) === null
              ? []
              : [{ field, before: null, after: after[field] ?? null }],
          );
          this.items.push({ row: p.row.row, kind, key: record.key, action: 'add', changes });
        }
        return;
      } catch (error) {
        batch = this.sound(batch, error);
      }
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
    for (const d of this.deferred) if (d.kind === kind && standing.has(d.key)) d.fresh = false;
    for (const p of rows) {
      const before = standing.get(p.key);
      for (const [name, value] of Object.entries(p.byVerb)) {
        if (before && before[name] !== value) this.fault(p.row, name, 'field-by-verb', { field: name });
      }
    }
    let batch = rows;
    while (batch.length > 0) {
      try {
        const edits = batch.map((p) => ({ ref: `#${standing.get(p.key)?.id}`, changes: clearable(k, p.fields) }));
        const records = (await edit(this.tx, kind, edits, true)) as unknown as AnyStored[];
        await this.noteEdits(k, kind, batch, standing, records);
        return;
      } catch (error) {
        batch = this.sound(batch, error);
      }
    }
  }

  private async noteEdits(
    k: KindDescription,
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
      const [was, is] = await present(this.tx, kind, [before, record] as never);
      const changes = fieldsOf(k).flatMap(([field]) =>
        JSON.stringify(was?.[field] ?? null) === JSON.stringify(is?.[field] ?? null)
          ? []
          : [{ field, before: was?.[field] ?? null, after: is?.[field] ?? null }],
      );
      this.counts.edit += 1;
      this.items.push({ row: p.row.row, kind, key: record.key, action: 'edit', changes });
    }
  }

  /** What had to wait for kinds that come later. */
  async later(): Promise<void> {
    for (const { row, kind, key, field, value, fresh } of this.deferred) {
      if (this.broken.get(kind)?.has(key)) continue;
      if (fresh && (value === null || value === undefined)) continue;
      const record = (await byKeys(this.tx, kind, [key])).get(key) as unknown as AnyStored | undefined;
      if (!record) continue;
      try {
        const [after] = (await edit(
          this.tx,
          kind,
          [{ ref: `#${record.id}`, changes: { [field]: value } }],
          true,
        )) as unknown as AnyStored[];
        if (!after || after.version === record.version || fresh) continue;
        const [was, is] = await present(this.tx, kind, [record, after] as never);
        const known = this.items.find((item) => item.kind === kind && item.key === key);
        const change = { field, before: was?.[field] ?? null, after: is?.[field] ?? null };
        if (known) known.changes.push(change);
        else {
          this.counts.same -= 1;
          this.counts.edit += 1;
          this.items.push({ row: row.row, kind, key, action: 'edit', changes: [change] });
        }
      } catch (error) {
        this.sound([{ row, key, fields: {}, byVerb: {} }], error);
      }
    }
  }
}

/** An empty cell clears what can be cleared, and leaves alone what always has a value. */
const clearable = (k: KindDescription, fields: Record<string, unknown>): Record<string, unknown> =>
  Object.fromEntries(
    Object.entries(fields).filter(([name, value]) => {
      const field = k.fields[name];
      return !(
        (value === null || value === undefined) &&
        (field?.required === true || field?.default !== undefined || field?.fixed === true)
      );
    }),
  );
