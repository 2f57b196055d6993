import type { KindName, Stored } from '@zpine/contract/kinds';
import { insert } from '../../store/recordWrites.ts';
import type { Tx } from '../../store/tx.ts';
import { rulesOf } from '../kinds/rules.ts';
import { draftNew } from './prepare.ts';

/** Adds records: all of them or none. */
export async function add<K extends KindName>(
  tx: Tx,
  kind: K,
  inputs: unknown[],
  /** Where the i-th input stands in the request. */
  at: (i: number) => (string | number)[] = (i) => [i],
): Promise<Stored<K>[]> {
  const drafts = await draftNew(tx, kind, inputs, at);
  const fields = drafts.map((d) => d.after);
  await rulesOf(kind).adding?.(tx, fields);
  const records = await insert<K>(tx, kind, fields);
  await rulesOf(kind).added?.(tx, records);
  return records;
}

export async function addOne<K extends KindName>(tx: Tx, kind: K, input: object): Promise<Stored<K>> {
  const [record] = await add(tx, kind, [input], () => []);
  if (!record) throw new Error('nothing was added');
  return record;
}
