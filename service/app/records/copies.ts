/** Copies of records that refer to one another: what a copy refers to is the copy, where there is one. */
import type { Value } from '@zpine/contract/fields';
import { fieldsOf } from '@zpine/contract/kind';
import { kindOf, type KindName, type Stored } from '@zpine/contract/kinds';
import type { AnyStored } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { copyValues } from '../settings/values.ts';
import { add } from './add.ts';

type Fields = Record<string, unknown>;

/** What stands in one record only: names and numbers that are printed on hardware. */
const ownFields = (kind: KindName): Set<string> =>
  new Set(fieldsOf(kindOf(kind)).flatMap(([name, f]) => (f.derived || f.byVerb || f.unique ? [name] : [])));

const given = (fields: Fields): Fields =>
  Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== null && value !== undefined));

export class Copies {
  readonly tx: Tx;
  readonly made: { kind: KindName; key: string; from: string }[] = [];
  readonly counts: Record<string, number> = {};
  /** New words for some in descriptions: the names of devices that were copied. */
  readonly words = new Map<string, string>();
  private readonly ids = new Map<KindName, Map<number, number>>();

  constructor(tx: Tx) {
    this.tx = tx;
  }

  /** The id of the copy of a record. */
  of = (kind: KindName, id: number): number | undefined => this.ids.get(kind)?.get(id);

  /** Says that one record is the copy of another, however it came into being. */
  note(kind: KindName, from: number, to: number): void {
    const ids = this.ids.get(kind) ?? new Map<number, number>();
    this.ids.set(kind, ids.set(from, to));
  }

  count(kind: KindName, n: number): void {
    if (n > 0) this.counts[kind] = (this.counts[kind] ?? 0) + n;
  }

  /** What a copy takes over. */
  fields(kind: KindName, record: AnyStored): Fields {
    const own = ownFields(kind);
    return Object.fromEntries(
      fieldsOf(kindOf(kind)).flatMap(([name, field]): [string, Value][] => {
        const value = record[name] ?? null;
        if (own.has(name) || value === null) return [];
        if (name === 'description' && typeof value === 'string') return [[name, this.reworded(value)]];
        if (field.type !== 'ref') return [[name, value]];
        return [[name, `#${this.of(field.to as KindName, Number(value)) ?? Number(value)}`]];
      }),
    );
  }

  /** "to ard-xr-1" is "to bel-xr-1" there. */
  private reworded(text: string): string {
    return text.replace(/[a-z0-9][a-z0-9._-]*/gi, (word) => this.words.get(word.toLowerCase()) ?? word);
  }

  async copy<K extends KindName>(
    kind: K,
    records: Stored<K>[],
    more: (record: Stored<K>) => Fields = () => ({}),
  ): Promise<Stored<K>[]> {
    const inputs = records.map((record) => given({ ...this.fields(kind, record), ...more(record) }));
    const made = await add(this.tx, kind, inputs, () => []);
    for (const [i, record] of records.entries()) {
      const copy = made[i];
      if (!copy) continue;
      this.note(kind, record.id, copy.id);
      await copyValues(this.tx, kind, record.id, copy);
      this.made.push({ kind, key: copy.key, from: record.key });
    }
    this.count(kind, made.length);
    return made;
  }
}
