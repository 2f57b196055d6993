/** Devices that do not run what they should, and those that have not stored what they run, as far as they were compared. */
import type { Tx } from '../../store/tx.ts';
import { driftCount } from '../fleet/drift.ts';
import type { Finding, Look } from './check.ts';

interface Row {
  natural_key: string;
  edition: number | null;
  lines: number;
  since: Date;
}

const lines = (n: number): string => `${n} line${n === 1 ? '' : 's'}`;

const look =
  (of: 'edition' | 'stored', told: (row: Row) => Omit<Finding, 'kind' | 'key' | 'since'>): Look =>
  async (tx: Tx, { limit }) => {
    const [digest, since, count] =
      of === 'edition' ? ['digest', 'since', 'lines'] : ['unkept_digest', 'unkept_since', 'unkept'];
    const rows = await tx.select<Row>(
      `SELECT d.natural_key, r.edition, r.\`${count}\` AS \`lines\`, r.\`${since}\` AS since
       FROM drift r JOIN device d ON d.id = r.device_id
       WHERE r.\`${digest}\` IS NOT NULL AND d.stage <> 'retired' ORDER BY r.\`${since}\` LIMIT ${limit}`,
    );
    return {
      rows: rows.map((row) => ({ kind: 'device', key: row.natural_key, since: row.since, ...told(row) })),
      count: () => driftCount(tx, of),
    };
  };

export const drifting: Look = look('edition', ({ edition, lines: n, natural_key: device }) => ({
  detail: `runs otherwise than edition ${edition ?? ''} says, in ${lines(n)}`,
  remedy: `zpine push ${device}`,
}));

export const unkept: Look = look('stored', ({ lines: n, natural_key: device }) => ({
  detail: `has not stored what it runs, ${lines(n)}: a restart would bring back what is stored`,
  remedy: `zpine drift ${device}`,
}));
