/** What is known of the dialect of a device: the sheet of its record, or the one that ships under its name. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { dialectIdOf } from '../devices/inForce.ts';

export async function dialectById(tx: Tx, id: number | null): Promise<Dialect | undefined> {
  if (id === null) return undefined;
  const record = (await byIds(tx, 'dialect', [id])).get(id);
  return record && tx.dialects.of(record.key, record.sheet);
}

export const dialectOf = async (tx: Tx, device: Stored<'device'>): Promise<Dialect | undefined> =>
  dialectById(tx, await dialectIdOf(tx, device));
