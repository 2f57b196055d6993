/** Records that a change renumbers, renames, takes along, or leaves without what they hung on. */
import { fieldsOf } from '@zpine/contract/kind';
import { isKind, kindOf, type KindName } from '@zpine/contract/kinds';
import type { ImpactRecord } from '@zpine/contract/impactShapes';
import type { Value } from '@zpine/contract/fields';
import type { Change } from '../../store/unsaved.ts';

const SHOWN = 500;

type Image = Record<string, Value>;

export class Consequences {
  readonly records: ImpactRecord[] = [];
  count = 0;
  readonly changes = { added: 0, edited: 0, removed: 0 };
  /** The kind of the records that were asked to be changed: what is done to them is no consequence. */
  private readonly asked: string;

  constructor(asked: string) {
    this.asked = asked;
  }

  take({ kind, key, before, after }: Change): void {
    this.changes[before === null ? 'added' : after === null ? 'removed' : 'edited'] += 1;
    if (!isKind(kind) || before === null) return;
    if (after === null) {
      if (kind !== this.asked) this.tell({ kind, key, what: 'goes along', detail: 'would be removed' });
      return;
    }
    const title = (field: string): string => kindOf(kind).fields[field]?.title.toLowerCase() ?? field;
    for (const field of numberFields[kind] ?? [])
      if (before[field] !== after[field] && before[field] !== null && after[field] !== null)
        this.tell({
          kind,
          key,
          what: 'renumbered',
          detail: `${title(field)} ${String(before[field])} becomes ${String(after[field])}`,
        });
    const names = nameOf(kind, before);
    if (names !== nameOf(kind, after))
      this.tell({ kind, key, what: 'renamed', detail: `was ${names}; what lies below is called after it` });
    const lost = kind === this.asked ? [] : lostRefs(kind, before, after);
    for (const field of lost) this.tell({ kind, key, what: 'orphaned', detail: `${title(field)} would be empty` });
  }

  tell(record: ImpactRecord): void {
    this.count += 1;
    if (this.records.length < SHOWN) this.records.push(record);
  }
}

/** Numbers by which people and devices know a record. */
const numberFields: Partial<Record<KindName, string[]>> = {
  vlan: ['number'],
  address: ['address'],
  prefix: ['cidr', 'gateway'],
  device: ['positionU'],
};

/** The parts of a key that are the record's own, not those of what it lies in. */
const nameOf = (kind: KindName, image: Image): string =>
  kindOf(kind)
    .key.parts.filter((part) => kindOf(kind).fields[part]?.type !== 'ref' && !numberFields[kind]?.includes(part))
    .map((part) => String(image[part] ?? ''))
    .join('/');

const lostRefs = (kind: KindName, before: Image, after: Image): string[] =>
  fieldsOf(kindOf(kind))
    .filter(([field, spec]) => spec.to !== undefined && before[field] !== null && after[field] === null)
    .map(([field]) => field);
