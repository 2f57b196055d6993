/** What the records themselves make doubtful, and whether what is kept beside them is right. */
import { Option, type Command } from 'commander';
import { doubtNames } from '@zpine/contract/matters';
import type { SoundnessCheck } from '@zpine/contract/doctorRoutes';
import { clientOf, outputOf } from './context.ts';
import { out, table, type Table } from './print.ts';
import { status } from './refusals.ts';

export function addDoctor(program: Command): void {
  const noun = program.command('doctor').description('What is doubtful, each with its remedy.');
  addStore(noun);
  addProcesses(noun);
  noun
    .command('data')
    .description('what the records themselves make doubtful; status 1 when there is something')
    .addOption(new Option('--only <doubt>', 'only this').choices([...doubtNames]))
    .option('--limit <n>', 'maximum number of rows of each', '20')
    .addHelpText(
      'after',
      '\nExamples:\n  zpine doctor data\n  zpine doctor data --only vlan-one-end --limit 1000\n  zpine doctor data --json > doubts.json',
    )
    .action(async (options: { only?: (typeof doubtNames)[number]; limit: string }, command: Command) => {
      const report = await clientOf().call('doctor.data', { query: options });
      if (report.count > 0) process.exitCode = status.refused;
      if (outputOf(command).json) return out(JSON.stringify(report, null, 2));
      if (report.count === 0) return out('nothing is doubtful');
      for (const { doubt, title, count, rows } of report.items) {
        if (count === 0) continue;
        out(`${title}: ${count}   (${doubt})`);
        out(
          table(
            ['record', 'detail', 'remedy'],
            rows.map((row) => [row.key, row.detail, row.remedy]),
          ),
        );
        if (count > rows.length) out(`  and ${count - rows.length} more: --only ${doubt} --limit ${count}`);
        out('');
      }
      out(`${report.count} in all`);
    });
}

const POLL_MS = 500;

function addStore(noun: Command): void {
  noun
    .command('store')
    .description(
      'recompute what is derived from the records (free space, keys, search terms ...); status 1 when something differs',
    )
    .option('--mend', 'put right what differs')
    .option('--last', 'show the last check instead of making one')
    .option('--reason <words>', 'why, for the history')
    .addHelpText('after', '\nExamples:\n  zpine doctor store\n  zpine doctor store --mend --reason "after the restore"')
    .action(async (options: { mend?: true; last?: true; reason?: string }, command: Command) => {
      const client = clientOf();
      let check: SoundnessCheck | undefined = options.last
        ? (await client.call('doctor.storeChecks')).items[0]
        : await client.call('doctor.store', { body: { mend: options.mend ?? false }, reason: options.reason });
      if (!check) return out('the store was not checked yet');
      while (check.state === 'under way') {
        await new Promise((resolve) => setTimeout(resolve, POLL_MS));
        check = await client.call('doctor.storeCheck', { params: { id: String(check.id) } });
      }
      if (check.state === 'broken off') throw new Error(`the check was broken off: ${check.failure ?? ''}`);
      if ((check.count ?? 0) > (check.mended ?? 0)) process.exitCode = status.refused;
      if (outputOf(command).json) return out(JSON.stringify(check, null, 2));
      out(...checkText(check));
    });
}

function checkText(check: SoundnessCheck): (string | Table)[] {
  const lines: (string | Table)[] = [
    table(
      ['what', 'differ', 'mended'],
      check.looks.map((look) => [look.title, String(look.count), check.mend ? String(look.mended) : '']),
      new Set([1, 2]),
    ),
  ];
  for (const look of check.looks) {
    if (look.count === 0) continue;
    lines.push('', look.title);
    for (const row of look.rows) lines.push(`  ${row.about}`, `    is      ${row.is}`, `    should  ${row.should}`);
    if (look.count > look.rows.length) lines.push(`  and ${look.count - look.rows.length} more`);
  }
  if (check.count === 0) lines.push('', 'everything that is derived is as the records say');
  else if (check.mended === 0) lines.push('', 'nothing was changed; zpine doctor store --mend puts it right');
  return lines;
}

function addProcesses(noun: Command): void {
  noun
    .command('processes')
    .description('the processes that the service consists of; status 1 when one is down')
    .addHelpText('after', '\nExample:\n  zpine doctor processes')
    .action(async (_options: object, command: Command) => {
      const { items } = await clientOf().call('doctor.processes');
      if (items.some(({ pid }) => pid === 0)) process.exitCode = status.refused;
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      out(
        table(
          ['process', 'pid', 'since', 'holds', 'started again', 'last end'],
          items.map(({ name, pid, since, memoryBytes, starts, lastEnd }) => [
            name,
            pid === 0 ? 'down' : String(pid),
            since.slice(0, 19).replace('T', ' '),
            `${Math.round(memoryBytes / 1024 / 1024)} MiB`,
            String(starts),
            lastEnd === null ? '' : `${lastEnd.at.slice(0, 19).replace('T', ' ')}: ${lastEnd.how}`,
          ]),
          new Set([1, 3, 4]),
        ),
      );
    });
}
