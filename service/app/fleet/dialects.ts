/** What is known of the dialect of a device: the sheet of its record, or the one that ships under its name. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import type { Stored } from '@zpine/contract/kinds';
import { allOf, byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { dialectIdOf } from '../devices/inForce.ts';

async function dialectById(tx: Tx, id: number | null): Promise<Dialect | undefined> {
  if (id === null) return undefined;
  const record = (await byIds(tx, 'dialect', [id])).get(id);
  return record && tx.dialects.of(record.key, record.sheet);
}

export const dialectOf = async (tx: Tx, device: Stored<'device'>): Promise<Dialect | undefined> =>
  dialectById(tx, await dialectIdOf(tx, device));

/** All that there is a sheet of: those of the records, and those that ship and nobody has entered. */
export async function allDialects(tx: Tx): Promise<Dialect[]> {
  const records = await allOf(tx, 'dialect');
  const entered = new Set(records.map(({ key }) => key));
  const shipped = [...tx.dialects.shipped.keys()].filter((name) => !entered.has(name));
  return [
    ...records.map(({ key, sheet }) => tx.dialects.of(key, sheet)),
    ...shipped.map((name) => tx.dialects.of(name, null)),
  ].filter((dialect) => dialect !== undefined);
}
