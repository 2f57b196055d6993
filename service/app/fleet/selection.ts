/** Which devices a run is for. */
import { Refusal } from '@zpine/contract/errors';
import type { Row } from '@zpine/contract/fields';
import type { Stored } from '@zpine/contract/kinds';
import { fromRow } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { mustFindFieldMany } from '../records/refs.ts';
import { whereCondition } from '../records/where.ts';
import { columnsFor } from '../../store/models.ts';

export interface Selection {
  devices?: string[] | undefined;
  where?: string | undefined;
}

export interface Selected {
  devices: Stored<'device'>[];
  /** What somebody said, to be shown. */
  words: string;
}

export async function selected(tx: Tx, { devices: named, where }: Selection): Promise<Selected> {
  if (named && where !== undefined) throw new Refusal('selection-both');
  if (named) {
    const devices = await mustFindFieldMany(tx, 'device', named, 'devices');
    const words = named.length > 5 ? `${named.length} devices by name` : named.join(', ');
    return { devices, words };
  }
  if (where === undefined) throw new Refusal('selection-missing');
  const condition = await whereCondition(tx, 'device', where);
  const rows = await tx.select<Row>(
    `SELECT ${columnsFor('device')} FROM device WHERE ${condition.sql} ORDER BY sort_key, id`,
    condition.values,
  );
  if (rows.length === 0) throw new Refusal('selection-empty', { where });
  return { devices: rows.map((row) => fromRow('device', row)), words: where };
}

/** What somebody has to say twice: every device there is, and to insist, which needs a reason. */
export async function mustBeMeant(
  tx: Tx,
  { where, everything, insist = false }: { where?: string | undefined; everything: boolean; insist?: boolean },
  count: number,
): Promise<void> {
  if (insist && !tx.actor.reason) throw new Refusal('insist-reason');
  if (!everything && where !== undefined && (await isEverything(tx, count)))
    throw Refusal.at(['where'], 'selection-everything', { count });
}

async function isEverything(tx: Tx, count: number): Promise<boolean> {
  const row = await tx.one<{ count: number }>('SELECT COUNT(*) AS count FROM device');
  return count > 1 && Number(row?.count ?? 0) === count;
}
