/** Takes a change set back: in reverse, whole, and only where nothing newer stands in the way. */
import { Refusal } from '@zpine/contract/errors';
import type { ReplyOf } from '@zpine/contract/routes';
import type { Tx } from '../../store/tx.ts';
import { changes, type ChangeRow } from './changes.ts';
import { Undoing } from './undoRecords.ts';

export type TakenBack = {
  /** The first of them. */
  items: ReplyOf<'history.undo'>['items'];
  count: number;
};

const SHOWN = 500;

/** Takes changes back, the newest first; what refers to one another is put in order at the end. */
export async function takeBack(
  tx: Tx,
  slices: Iterable<ChangeRow[]> | AsyncIterable<ChangeRow[]>,
  coming: Iterable<Pick<ChangeRow, 'kind' | 'record_id'>>,
): Promise<TakenBack> {
  tx.takingBack = true;
  const work = new Undoing(tx, coming);
  const out: TakenBack = { items: [], count: 0 };
  for await (const slice of slices) {
    for (const [change, action] of await work.takeSlice(slice)) {
      out.count += 1;
      if (out.items.length < SHOWN) out.items.push({ kind: change.kind, key: change.record_key, action });
    }
  }
  await work.later();
  tx.takingBack = false;
  await work.align();
  return out;
}

const AT_ONCE = 2000;

/** The changes of a set, from the last to the first: a whole import may be longer than memory likes. */
async function* changesOf(tx: Tx, set: number): AsyncGenerator<ChangeRow[]> {
  for (let before = 2 ** 31 - 1; ;) {
    const rows = await tx.select<ChangeRow>(
      `SELECT ${changes.all} FROM \`change\` WHERE change_set_id = ? AND seq < ? ORDER BY seq DESC LIMIT ${AT_ONCE}`,
      [set, before],
    );
    yield rows;
    if (rows.length < AT_ONCE) return;
    before = rows.at(-1)?.seq ?? 0;
  }
}

export async function undo(tx: Tx, ref: string, apply: boolean): Promise<ReplyOf<'history.undo'>> {
  const id = /^#?[1-9][0-9]{0,15}$/.test(ref) ? Number(ref.replace('#', '')) : 0;
  const set = await tx.one<{ id: number }>('SELECT id FROM change_set WHERE id = ? FOR UPDATE', [id]);
  if (!set) throw new Refusal('not-found', { kind: 'change set', ref });
  const by = await tx.one<{ id: number }>(
    'SELECT id FROM change_set s WHERE undoes = ? AND NOT EXISTS (SELECT 1 FROM change_set o WHERE o.undoes = s.id) LIMIT 1',
    [id],
  );
  if (by) throw new Refusal('undo-done', { id, by: by.id });
  tx.undoes = id;
  const coming = await tx.select<ChangeRow>(
    'SELECT kind, record_id FROM `change` WHERE change_set_id = ? AND version_to IS NULL',
    [id],
  );
  const { items, count } = await takeBack(tx, changesOf(tx, id), coming);
  if (!apply) tx.discarded = true;
  return { undone: id, applied: apply, items, count };
}
