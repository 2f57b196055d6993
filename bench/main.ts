/**
 * `./run bench [GROUP ...]`: every figure beside a reference that was measured in the same run. `--json` for programs,
 * `--page` to write the page of the documentation.
 */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startMariadb, type Mariadb } from '../ops/mariadb.ts';
import { compareRows } from './compare.ts';
import { consoleRows } from './console.ts';
import { dhcpRows } from './dhcp.ts';
import { fleetRows } from './fleet.ts';
import { impactRows } from './impact.ts';
import { importRows } from './imports.ts';
import { listRows } from './lists.ts';
import { isMet, type Row } from './measure.ts';
import { planningRows } from './planning.ts';
import { nextFreeRows } from './nextFree.ts';
import { writeMeasurements, writePlans } from './page.ts';
import { queryPlans } from './plans.ts';
import { prefixTreeRows } from './prefixTree.ts';
import { tftpRows } from './tftp.ts';
import { renderRows } from './render.ts';

/** What can be measured alone, by its name: `./run bench next-free`. */
const groups: Record<string, (database: Mariadb) => Promise<Row[]>> = {
  'next-free': nextFreeRows,
  'prefix-tree': prefixTreeRows,
  import: importRows,
  compare: compareRows,
  fleet: fleetRows,
  planning: planningRows,
  dhcp: dhcpRows,
  tftp: tftpRows,
  render: renderRows,
  lists: listRows,
  impact: impactRows,
  console: consoleRows,
};

const flags = new Set(process.argv.slice(2).filter((word) => word.startsWith('--')));
const wanted = process.argv.slice(2).filter((word) => !word.startsWith('--'));
const unknown = wanted.find((name) => !(name in groups) && name !== 'plans');
if (unknown !== undefined) {
  process.stderr.write(
    `there is nothing to measure called ${unknown}: ${[...Object.keys(groups), 'plans'].join(', ')}\n`,
  );
  process.exit(2);
}
const isWanted = (name: string): boolean => wanted.length === 0 || wanted.includes(name);
const rows = await measured();
if (isWanted('plans')) {
  const plans = await queryPlans();
  if (flags.has('--page')) writePlans(plans);
  else if (wanted.includes('plans')) process.stdout.write(`${JSON.stringify(plans, null, 2)}\n`);
}
if (rows.length > 0 && flags.has('--page') && wanted.length === 0) writeMeasurements(rows);
if (flags.has('--json')) process.stdout.write(`${JSON.stringify(rows, null, 2)}\n`);
else if (rows.length > 0) process.stdout.write(`${tableOf(rows)}\n`);

async function measured(): Promise<Row[]> {
  const names = Object.keys(groups).filter(isWanted);
  if (names.length === 0) return [];
  const folder = mkdtempSync(join(tmpdir(), 'zpine-bench-'));
  // Durable as in real use: a figure without it would promise too much.
  const databases = ['next', 'import', 'tree', 'fleet', 'dhcp'].map((name) => `zpine_bench_${name}`);
  const database = await startMariadb({ folder, databases });
  const all: Row[] = [];
  try {
    for (const name of names) {
      process.stderr.write(`measuring ${name}\n`);
      try {
        all.push(...((await groups[name]?.(database)) ?? []));
      } catch (error) {
        // What was measured before is not lost.
        process.stderr.write(
          `${name} could not be measured: ${error instanceof Error ? error.stack : String(error)}\n`,
        );
        process.exitCode = 1;
      }
    }
  } finally {
    await database.stop();
    rmSync(folder, { recursive: true, force: true });
  }
  return all;
}

function tableOf(all: Row[]): string {
  const heads = ['what', 'figure', 'reference', 'ratio', 'aim'];
  const cells = all.map((r) => [
    r.what,
    r.figure,
    r.reference,
    r.ratio.toFixed(2),
    `${r.aim.toFixed(2)}${isMet(r) ? '' : '  missed'}`,
  ]);
  const widths = heads.map((head, i) => Math.max(head.length, ...cells.map((c) => c[i]?.length ?? 0)));
  return [heads, ...cells]
    .map((line) =>
      line
        .map((c, i) => c.padEnd(widths[i] ?? 0))
        .join('  ')
        .trimEnd(),
    )
    .join('\n');
}
