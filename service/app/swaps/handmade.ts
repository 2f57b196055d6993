/** Lines that a device ran when it was compared last, and that its edition does not have. Secrets are masked. */
import type { Stored } from '@zpine/contract/kinds';
import type { Tx } from '../../store/tx.ts';
import { showDrift } from '../fleet/drift.ts';

const MOST_LINES = 200;

export async function handmadeLines(tx: Tx, device: Stored<'device'>): Promise<string[]> {
  const differences = (await showDrift(tx, device.key)).drift?.comparison?.differences ?? [];
  return differences
    .flatMap(({ kind, above, line }) => (kind === 'missing' ? [] : [[...above, line].join(' / ')]))
    .slice(0, MOST_LINES);
}
