/** What the batch of a device says, while that is under way. */
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { isUnderWay } from '../batches/rows.ts';

export async function batchSays(
  tx: Tx,
  device: Stored<'device'>,
  says: (batch: Stored<'batch'>) => boolean,
): Promise<boolean> {
  if (device.batch === null) return false;
  const batch = (await byIds(tx, 'batch', [device.batch])).get(device.batch);
  return batch !== undefined && says(batch) && isUnderWay(batch, (await tx.now()).iso);
}
