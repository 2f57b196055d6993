/** What a removal would take along and what stands in its way: it is done, looked at, and taken back. */
import { problemOf, Refusal } from '@zpine/contract/errors';
import { type RemovalReply } from '@zpine/contract/bulkRoutes';
import { type KindName } from '@zpine/contract/kinds';
import { type Tx } from '../../store/tx.ts';
import { mustFind } from './refs.ts';
import { removeOne } from './remove.ts';

const SHOWN = 200;

export async function removal(tx: Tx, kind: KindName, ref: string): Promise<RemovalReply> {
  const record = await mustFind(tx, kind, ref);
  tx.discarded = true;
  try {
    await removeOne(tx, kind, ref);
  } catch (error) {
    if (!(error instanceof Refusal)) throw error;
    const { detail, remedy } = problemOf(error);
    const users = ((error.extra.users ?? []) as { kind: string; key: string }[]).slice(0, SHOWN);
    return {
      goes: [{ kind, key: record.key }],
      count: 1,
      changes: [],
      blocks: [{ detail, remedy: remedy ?? null, users }],
    };
  }
  const named = (gone: boolean) =>
    tx.seen.filter((c) => (c.after === null) === gone).map((c) => ({ kind: c.kind as string, key: c.key }));
  // Parts were taken out first; the record itself is what people want to read first.
  const goes = named(true).reverse();
  return {
    goes: goes.slice(0, SHOWN),
    count: tx.changeCount - named(false).length,
    changes: named(false).slice(0, SHOWN),
    blocks: [],
  };
}
