/** `./run bench`: every figure beside a reference that was measured in the same run. `--json` for programs. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startMariadb, type Mariadb } from '../ops/mariadb.ts';
import { dhcpRows } from './dhcp.ts';
import { fleetRows } from './fleet.ts';
import { impactRows } from './impact.ts';
import { importRows } from './imports.ts';
import { listRows } from './lists.ts';
import { prefixTreeRows } from './prefixTree.ts';
import { nextFreeRows } from './nextFree.ts';
import { renderRows } from './render.ts';
import { isMet, type Row } from './measure.ts';

// Durable as in real use: a figure without it would promise too much.
const folder = mkdtempSync(join(tmpdir(), 'zpine-bench-'));
const database = await startMariadb({
  folder,
  databases: ['zpine_bench_next', 'zpine_bench_import', 'zpine_bench_tree', 'zpine_bench_fleet', 'zpine_bench_dhcp'],
});
const rows: Row[] = [];
/** What can be measured alone, by its name: `./run bench next-free`. */
const groups: Record<string, (database: Mariadb) => Promise<Row[]>> = {
  'next-free': nextFreeRows,
  'prefix-tree': prefixTreeRows,
  import: importRows,
  fleet: fleetRows,
  dhcp: dhcpRows,
  render: renderRows,
  lists: listRows,
  impact: impactRows,
};
try {
  const wanted = process.argv.slice(2).filter((word) => !word.startsWith('--'));
  for (const [name, measureRows] of Object.entries(groups))
    if (wanted.length === 0 || wanted.includes(name)) rows.push(...(await measureRows(database)));
} finally {
  await database.stop();
  rmSync(folder, { recursive: true, force: true });
}

if (process.argv.includes('--json')) process.stdout.write(`${JSON.stringify(rows, null, 2)}\n`);
else {
  const heads = ['what', 'figure', 'reference', 'ratio', 'aim'];
  const cells = rows.map((r) => [
    r.what,
    r.figure,
    r.reference,
    r.ratio.toFixed(2),
    `${r.aim.toFixed(2)}${isMet(r) ? '' : '  missed'}`,
  ]);
  const widths = heads.map((head, i) => Math.max(head.length, ...cells.map((c) => c[i]?.length ?? 0)));
  for (const line of [heads, ...cells])
    process.stdout.write(
      `${line
        .map((c, i) => c.padEnd(widths[i] ?? 0))
        .join('  ')
        .trimEnd()}\n`,
    );
}
