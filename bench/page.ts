/** Writes what was measured into the documentation, with the day and the machine. */
import { writeFileSync } from 'node:fs';
import { cpus, totalmem } from 'node:os';
import { isMet, type Row } from './measure.ts';
import type { Plan } from './plans.ts';

const cell = (text: string): string => text.replaceAll('|', '\\|').replaceAll('\n', ' ').replace(/\s+/g, ' ').trim();
const table = (heads: string[], rows: string[][]): string =>
  [heads, heads.map(() => '---'), ...rows].map((row) => `| ${row.map(cell).join(' | ')} |`).join('\n');

export function writeMeasurements(rows: Row[]): void {
  const [cpu] = cpus();
  const machine = `${cpus().length} cores (${cpu?.model.trim() || 'unnamed'}), ${Math.round(totalmem() / 2 ** 30)} GB of memory, Node ${process.versions.node}`;
  writeFileSync(
    'docs/measurements.md',
    `# Measurements

Made by \`./run bench --page\` on ${new Date().toISOString().slice(0, 10)}, ${machine}, MariaDB beside the service and its clients on the same machine.

Every figure stands beside a reference from the same run; a ratio above the aim is well. Figures of another day say little, ratios more.

${table(
  ['what', 'figure', 'reference', 'ratio', 'aim', ''],
  rows.map((row) => [
    row.what,
    row.figure,
    row.reference,
    row.ratio.toFixed(2),
    row.aim.toFixed(2),
    isMet(row) ? '' : 'missed',
  ]),
)}

How the database goes about the questions that are asked most: [query-plans.md](query-plans.md).
`,
  );
}

const SHOWN_SQL = 420;

export function writePlans(plans: Plan[]): void {
  const parts = plans.map(({ what, sql, steps }) => {
    const text = cell(sql).replace(/^SELECT (`\w+`, )+`\w+` FROM/, 'SELECT … FROM');
    const shown = text.length > SHOWN_SQL ? `${text.slice(0, SHOWN_SQL)} …` : text;
    return `## ${what.charAt(0).toUpperCase()}${what.slice(1)}

\`\`\`sql
${shown}
\`\`\`

${table(
  ['table', 'type', 'key', 'rows', 'extra'],
  steps.map((step) => [step.table, step.type, step.key, step.rows.toLocaleString('en'), step.extra]),
)}`;
  });
  writeFileSync(
    'docs/query-plans.md',
    `# Query plans

Made by \`./run bench plans --page\` in the estate of a hundred thousand devices, of ten questions that are asked most. Where a use case asks several, it is the one for which the database reckons with most rows. \`rows\` is what it reckons with before \`LIMIT\`: a page stops after the rows that it shows.

${parts.join('\n\n')}
`,
  );
}
