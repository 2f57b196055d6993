/**
 * Devices that do not run what they should, and those that have not stored what they run, as far as they were compared.
 * Those that differ alike are one thing to do.
 */
import type { Tx } from '../../store/tx.ts';
import type { Finding, Look } from './matter.ts';

interface Row {
  first: string;
  /** Devices that differ alike. */
  alike: number;
  edition: number | null;
  lines: number;
  since: Date;
}

const lines = (n: number): string => `${n} line${n === 1 ? '' : 's'}`;
const withMore = (alike: number): string =>
  alike === 1 ? '' : `, and so do${alike === 2 ? 'es another' : ` ${alike - 1} others`}`;

const look =
  (of: 'edition' | 'stored', told: (row: Row) => Omit<Finding, 'kind' | 'key' | 'since'>): Look =>
  async (tx: Tx, { limit }) => {
    const [digest, since, count] =
      of === 'edition' ? ['digest', 'since', 'lines'] : ['unkept_digest', 'unkept_since', 'unkept'];
    const from = `FROM drift r JOIN device d ON d.id = r.device_id
      WHERE r.\`${digest}\` IS NOT NULL AND d.stage <> 'retired'`;
    const rows = await tx.select<Row>(
      `SELECT MIN(d.natural_key) AS first, COUNT(*) AS alike, MIN(r.edition) AS edition,
         MIN(r.\`${count}\`) AS \`lines\`, MIN(r.\`${since}\`) AS since
       ${from} GROUP BY r.\`${digest}\` ORDER BY since LIMIT ${limit}`,
    );
    return {
      rows: rows.map((row) => ({
        kind: 'device',
        key: row.first,
        since: row.since,
        ...told({ ...row, alike: Number(row.alike) }),
      })),
      count: async () =>
        Number(
          (await tx.one<{ count: number }>(`SELECT COUNT(DISTINCT r.\`${digest}\`) AS count ${from}`))?.count ?? 0,
        ),
    };
  };

export const drifting: Look = look('edition', ({ edition, lines: n, first, alike }) => ({
  detail: `runs otherwise than edition ${edition ?? ''} says, in ${lines(n)}${withMore(alike)}`,
  remedy: alike === 1 ? `zpine push ${first}` : 'zpine drift',
}));

export const unkept: Look = look('stored', ({ lines: n, first, alike }) => ({
  detail: `runs ${lines(n)} otherwise than it has stored, which a restart would bring back${withMore(alike)}`,
  remedy: alike === 1 ? `zpine drift ${first}` : 'zpine drift --stored',
}));
