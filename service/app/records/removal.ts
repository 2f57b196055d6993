/** What a removal would take along and what stands in its way: it is done, looked at, and undone unless it was wanted. */
import { problemOf, Refusal } from '@zpine/contract/errors';
import type { RemovalReply, RemoveManyBody, RemoveManyReply } from '@zpine/contract/bulkRoutes';
import type { KindName } from '@zpine/contract/kinds';
import { byIds, type AnyStored } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { mustFind } from './refs.ts';
import { removeAll } from './remove.ts';
import { selectedIds } from './selected.ts';

const SHOWN = 200;

export async function removal(tx: Tx, kind: KindName, ref: string): Promise<RemovalReply> {
  const record = await mustFind(tx, kind, ref, true);
  tx.discarded = true;
  return toldOf(tx, kind, [record], false);
}

/** Many at once, with what lies in them if wanted; looked at first, then all of it or nothing. */
export async function removeMany(tx: Tx, kind: KindName, body: RemoveManyBody): Promise<RemoveManyReply> {
  const ids = await selectedIds(tx, kind, body);
  const records = [...(await byIds(tx, kind, ids, true)).values()];
  const told = await toldOf(tx, kind, records, body.contents);
  if (body.expect !== undefined && body.expect !== told.count)
    throw new Refusal('bulk-other', { count: told.count, expected: body.expect });
  const applied = body.apply && told.blocks.length === 0;
  if (!applied) tx.discarded = true;
  return { ...told, chosen: records.length, applied };
}

/** Removes them, and says what went with them. Where something stands in the way, the unit of work is half done. */
async function toldOf(tx: Tx, kind: KindName, records: AnyStored[], contents: boolean): Promise<RemovalReply> {
  const goes: { kind: string; key: string }[] = [];
  const changes: { kind: string; key: string }[] = [];
  const counts: Record<string, number> = {};
  const { observer } = tx;
  tx.observer = {
    hint: (...args) => observer?.hint(...args),
    change: (change) => {
      observer?.change(change);
      const { kind: of, key, after } = change;
      if (after === null) counts[of] = (counts[of] ?? 0) + 1;
      (after === null ? goes : changes).push({ kind: of, key });
    },
  };
  try {
    if (records.length > 0) await removeAll(tx, kind, records, contents);
  } catch (error) {
    if (!(error instanceof Refusal)) throw error;
    const { detail, remedy } = problemOf(error);
    const users = ((error.extra.users ?? []) as { kind: string; key: string }[]).slice(0, SHOWN);
    return {
      goes: records.slice(0, SHOWN).map(({ key }) => ({ kind, key })),
      count: records.length,
      counts: { [kind]: records.length },
      changes: [],
      blocks: [{ detail, remedy: remedy ?? null, users }],
    };
  } finally {
    tx.observer = observer;
  }
  // Parts were taken out first; the records themselves are what people want to read first.
  return {
    goes: goes.reverse().slice(0, SHOWN),
    count: Object.values(counts).reduce((sum, count) => sum + count, 0),
    counts,
    changes: changes.slice(0, SHOWN),
    blocks: [],
  };
}
