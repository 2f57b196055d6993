/** Checks that do not hold somewhere: one thing to do each, whatever the number of devices. */
import { dayOf } from '../checks/turns.ts';
import type { Tx } from '../../store/tx.ts';
import type { Look } from './matter.ts';

interface Row {
  name: string;
  severity: string;
  devices: number;
  first: string;
  since: Date;
  findings: string;
}

/** Exceptions are none of it. */
const FROM = `FROM check_result r JOIN \`check\` c ON c.id = r.check_id JOIN device d ON d.id = r.device_id
  LEFT JOIN exception e ON e.check_id = r.check_id AND e.device_id = r.device_id AND e.until >= ?
  WHERE r.state = 'broken' AND e.id IS NULL AND d.stage <> 'retired'`;

/** Asked once for all severities, in a unit of work that asks for several. */
const known = new WeakMap<Tx, Promise<Row[]>>();

function brokenRows(tx: Tx): Promise<Row[]> {
  let rows = known.get(tx);
  if (!rows) {
    rows = dayOf(tx).then((day) =>
      tx.select<Row>(
        `SELECT c.name, c.severity, COUNT(*) AS devices, MIN(d.natural_key) AS first, MIN(r.since) AS since,
           MIN(CONCAT(d.natural_key, '\n', r.findings)) AS findings
         ${FROM} GROUP BY c.id ORDER BY since`,
        [day],
      ),
    );
    known.set(tx, rows);
  }
  return rows;
}

export const broken =
  (severity: string): Look =>
  async (tx, { limit }) => {
    const rows = (await brokenRows(tx)).filter((row) => row.severity === severity);
    return {
      rows: rows.slice(0, limit).map(({ name, devices, first, since, findings }) => ({
        kind: 'check',
        key: name,
        detail: words(Number(devices), first, findings),
        remedy: `zpine check results ${name} --state broken`,
        since,
      })),
      count: () => Promise.resolve(rows.length),
    };
  };

function words(devices: number, first: string, found: string): string {
  const [finding = ''] = JSON.parse(found.slice(found.indexOf('\n') + 1)) as string[];
  return devices === 1 ? `on ${first}: ${finding}` : `on ${devices} devices; on ${first}: ${finding}`;
}
