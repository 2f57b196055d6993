/** What the records themselves make doubtful. */
import { Option, type Command } from 'commander';
import { doubtNames } from '@zpine/contract/doctorRoutes';
import { clientOf, outputOf } from './context.ts';
import { out, table } from './print.ts';
import { status } from './refusals.ts';

export function addDoctor(program: Command): void {
  const noun = program.command('doctor').description('What is doubtful, each with its remedy.');
  noun
    .command('data')
    .description('what the records themselves make doubtful; status 1 when there is something')
    .addOption(new Option('--only <doubt>', 'only this').choices([...doubtNames]))
    .option('--limit <n>', 'so many rows of each', '20')
    .addHelpText(
      'after',
      '\nExamples:\n  zpine doctor data\n  zpine doctor data --only vlan-one-end --limit 1000\n  zpine doctor data --json > doubts.json',
    )
    .action(async (options: { only?: (typeof doubtNames)[number]; limit: string }, command: Command) => {
      const report = await clientOf().call('doctor.data', { query: options as never });
      if (report.count > 0) process.exitCode = status.refused;
      if (outputOf(command).json) return out(JSON.stringify(report, null, 2));
      if (report.count === 0) return out('nothing is doubtful');
      for (const { doubt, title, count, rows } of report.items) {
        if (count === 0) continue;
        out(`${title}: ${count}   (${doubt})`);
        const lines = table(
          ['', 'detail', 'remedy'],
          rows.map((row) => [row.key, row.detail, row.remedy]),
        )
          .split('\n')
          .slice(1);
        for (const line of lines) out(`  ${line}`);
        if (count > rows.length) out(`  and ${count - rows.length} more: --only ${doubt} --limit ${count}`);
        out('');
      }
      out(`${report.count} in all`);
    });
}
