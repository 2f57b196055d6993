import { Refusal } from '@zpine/contract/errors';
import type { KindName, Stored } from '@zpine/contract/kinds';
import { type AnyStored, byIds, present } from '../../store/records.ts';
import { update } from '../../store/recordWrites.ts';
import type { Tx } from '../../store/tx.ts';
import { rulesOf } from '../kinds/rules.ts';
import { draftEdits } from './prepare.ts';
import { mustFindAll } from './refs.ts';

export interface Edit {
  ref: string;
  /** The version that the client has seen; left out when it does not mind. */
  version?: number | undefined;
  changes: unknown;
}

/** Edits records: all of them or none. */
export async function edit<K extends KindName>(tx: Tx, kind: K, edits: Edit[], several = true): Promise<Stored<K>[]> {
  const found = await mustFindAll(
    tx,
    kind,
    edits.map(({ ref }) => ref),
  );
  const befores: AnyStored[] = [];
  for (const [i, { version }] of edits.entries()) {
    const record = found[i] as Stored<K>;
    if (version !== undefined && version !== record.version) throw await stale(tx, kind, record, version);
    befores.push(record);
  }
  const changes = edits.map(({ changes }, i) => ({ before: befores[i] as AnyStored, changes }));
  const drafts = await draftEdits(tx, kind, changes, (i) => (several ? [i] : []));
  return saveEdits(
    tx,
    kind,
    drafts.map((d) => ({ before: d.before as AnyStored, after: d.after })),
  );
}

export async function editOne<K extends KindName>(
  tx: Tx,
  kind: K,
  ref: string,
  changes: unknown,
  version?: number,
): Promise<Stored<K>> {
  const [record] = await edit(tx, kind, [{ ref, version, changes }], false);
  if (!record) throw new Error('nothing was edited');
  return record;
}

/** Sets fields that no client gives, such as the stage, past the schemas but not past the rules' consequences. */
export async function setFields<K extends KindName>(
  tx: Tx,
  kind: K,
  id: number,
  fields: Partial<Stored<K>>,
): Promise<Stored<K>> {
  const before = (await byIds(tx, kind, [id], true)).get(id);
  if (!before) throw new Refusal('not-found', { kind, ref: `#${id}` });
  const held = before;
  const [record] = await saveEdits(tx, kind, [{ before: held, after: { ...held, ...(fields as Partial<AnyStored>) } }]);
  return record as Stored<K>;
}

/** Writes drafts that were checked, with the consequences that the kind's rules have. */
export async function saveEdits<K extends KindName>(
  tx: Tx,
  kind: K,
  pairs: { before: AnyStored; after: AnyStored | Record<string, unknown> }[],
): Promise<Stored<K>[]> {
  const records = await update(
    tx,
    kind,
    pairs.map(({ before, after }) => ({ before: before as Stored<K>, after: after as AnyStored })),
  );
  await rulesOf(kind).edited?.(
    tx,
    records.map((after, i) => ({ before: pairs[i]?.before as AnyStored, after: after })),
  );
  return records;
}

async function stale<K extends KindName>(tx: Tx, kind: K, record: Stored<K>, yours: number): Promise<Refusal> {
  const [current] = await present(tx, kind, [record]);
  const image = await tx.one<{ before: string }>(
    'SELECT `after` AS `before` FROM `change` WHERE kind = ? AND record_id = ? AND version_to = ? ORDER BY change_set_id DESC LIMIT 1',
    [kind, record.id, yours],
  );
  const [asSeen] = image ? await present(tx, kind, [{ ...record, ...(JSON.parse(image.before) as object) }]) : [null];
  const seen = asSeen ? { ...asSeen, version: yours } : null;
  return new Refusal('stale', { yours, current: record.version }, [], { yours, current, seen });
}
