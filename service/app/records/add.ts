import { type KindName, type Stored } from '@zpine/contract/kinds';
import { type AnyStored, insert } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { rulesOf } from '../kinds/rules.ts';
import { draftNew } from './prepare.ts';

/** Adds records: all of them or none. */
export async function add<K extends KindName>(
  tx: Tx,
  kind: K,
  inputs: unknown[],
  several = true,
): Promise<Stored<K>[]> {
  const drafts = await draftNew(tx, kind, inputs, (i) => (several ? [i] : []));
  const records = await insert<K>(
    tx,
    kind,
    drafts.map((d) => d.after),
  );
  await rulesOf(kind).added?.(tx, records as unknown as AnyStored[]);
  return records;
}

export async function addOne<K extends KindName>(tx: Tx, kind: K, input: object): Promise<Stored<K>> {
  const [record] = await add(tx, kind, [input], false);
  if (!record) throw new Error('nothing was added');
  return record;
}
