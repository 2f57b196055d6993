/** Whether another box is waited for under the identity of a device. */
import type { Tx } from '../../store/tx.ts';

export const isSwapped = async (tx: Tx, device: number): Promise<boolean> =>
  (await tx.one("SELECT id FROM swap WHERE device_id = ? AND closed_at IS NULL AND state = 'begun'", [device])) !==
  undefined;
