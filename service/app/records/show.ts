import type { KindName } from '@zpine/contract/kinds';
import type { Value } from '@zpine/contract/fields';
import { present } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { mustFind } from './refs.ts';

export async function show(tx: Tx, kind: KindName, ref: string): Promise<Record<string, Value>> {
  const [shown] = await present(tx, kind, [await mustFind(tx, kind, ref)]);
  if (!shown) throw new Error('a record was lost on its way out');
  return shown;
}
