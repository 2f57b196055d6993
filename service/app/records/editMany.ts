/** The same change for many records: looked at first, then all of it or nothing. */
import type { BulkBody, BulkReply } from '@zpine/contract/bulkRoutes';
import { problemOf, Refusal } from '@zpine/contract/errors';
import type { Value } from '@zpine/contract/fields';
import { fieldsOf } from '@zpine/contract/kind';
import { kindOf, type KindName, type Stored } from '@zpine/contract/kinds';
import { byIds, present, type AnyStored } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { edit } from './edit.ts';
import { selectedIds } from './selected.ts';

const SLICE = 500;
const SHOWN = 500;

export async function editMany(tx: Tx, kind: KindName, body: BulkBody): Promise<BulkReply> {
  const ids = await selectedIds(tx, kind, body);
  if (body.expect !== undefined && body.expect !== ids.length)
    throw new Refusal('bulk-other', { count: ids.length, expected: body.expect });
  if (Object.keys(body.changes).length + body.addLabels.length + body.dropLabels.length === 0)
    throw Refusal.at(['changes'], 'value-missing');
  const reply: BulkReply = { count: ids.length, changed: 0, applied: false, items: [], faults: [] };
  for (let at = 0; at < ids.length; at += SLICE) {
    const before = [...(await byIds(tx, kind, ids.slice(at, at + SLICE), true)).values()];
    await editSlice(tx, kind, before, body, reply);
  }
  reply.applied = body.apply && reply.faults.length === 0;
  if (!reply.applied) tx.discarded = true;
  return reply;
}

async function editSlice<K extends KindName>(
  tx: Tx,
  kind: K,
  before: Stored<K>[],
  body: BulkBody,
  reply: BulkReply,
): Promise<void> {
  // What is faulty is left out, and the rest tried again: one answer names the faults of all.
  for (let batch = before; batch.length > 0;) {
    try {
      const edits = batch.map((record) => ({
        ref: `#${record.id}`,
        changes: changesOf(record, body),
      }));
      await note(tx, kind, batch, await edit(tx, kind, edits), reply);
      return;
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      const blamed = new Set<Stored<K>>();
      for (const fault of error.faults) {
        const record = batch[Number(fault.path[0])];
        if (!record) continue;
        blamed.add(record);
        const field = fault.path[1] === undefined ? null : String(fault.path[1]);
        addFault(reply, record.key, field, new Refusal(fault.code, fault.params));
      }
      if (blamed.size === 0) return addFault(reply, batch[0]?.key ?? '', null, error);
      batch = batch.filter((record) => !blamed.has(record));
    }
  }
}

function addFault(reply: BulkReply, key: string, field: string | null, refusal: Refusal): void {
  if (reply.faults.length >= SHOWN) return;
  const { code, detail, remedy } = problemOf(refusal);
  reply.faults.push({ key, field, code, detail, remedy: remedy ?? null });
}

async function note<K extends KindName>(
  tx: Tx,
  kind: K,
  before: Stored<K>[],
  after: Stored<K>[],
  reply: BulkReply,
): Promise<void> {
  const [was, is] = [await present(tx, kind, before), await present(tx, kind, after)];
  for (const [i, record] of after.entries()) {
    if (record.version === before[i]?.version) continue;
    reply.changed += 1;
    if (reply.items.length >= SHOWN) continue;
    reply.items.push({ kind, key: record.key, changes: differences(kind, was[i] ?? {}, is[i] ?? {}) });
  }
}

/** The fields that differ between two images of a record. */
export const differences = (
  kind: KindName,
  was: Record<string, Value>,
  is: Record<string, Value>,
): { field: string; before: Value; after: Value }[] =>
  fieldsOf(kindOf(kind)).flatMap(([field]) =>
    JSON.stringify(was[field] ?? null) === JSON.stringify(is[field] ?? null)
      ? []
      : [{ field, before: was[field] ?? null, after: is[field] ?? null }],
  );

function changesOf(record: AnyStored, { changes, addLabels, dropLabels }: BulkBody): Record<string, unknown> {
  if (addLabels.length + dropLabels.length === 0) return changes;
  const dropped = dropLabels.map((word) => word.trim().toLowerCase());
  const labels = [...((record.labels ?? []) as string[]), ...addLabels].filter((word) => !dropped.includes(word));
  return { ...changes, labels };
}
