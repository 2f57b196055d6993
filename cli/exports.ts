import { type Command, Option } from 'commander';
import { clientOf, outputOf } from './context.ts';
import { formats, type Format } from './imports.ts';
import { writeText } from './files.ts';
import { err, out, table, raw } from './print.ts';

/** What goes out, and what is taken back. */
export function addExports(program: Command): void {
  program
    .command('export')
    .description('records as a text that can be imported again')
    .argument('[kinds...]', 'all of them if not given')
    .addOption(new Option('--as <format>', 'CSV has one kind').choices([...formats]).default('yaml'))
    .option('--where <tests>', 'only records that match; with one kind')
    .option('--output <file>', 'standard output if not given')
    .action(async (kinds: string[], options: { as: Format; where?: string; output?: string }) => {
      const { as, where } = options;
      const query = { as, where, ...(kinds.length > 0 ? { kinds: kinds.join(',') } : {}) };
      const { text, records, secretsLeftOut } = await clientOf().call('export.run', { query });
      if (secretsLeftOut > 0) err(`${secretsLeftOut} values of secret settings were not exported`);
      if (options.output === undefined) return raw(text);
      writeText(options.output, text);
      out(`${records} records in ${options.output}`);
    });

  program
    .command('undo')
    .description('undo one change set, whole; refused where something newer depends on it')
    .argument('<set>', 'its number, as the history has it')
    .option('--preview', 'only what would come of it')
    .option('--reason <text>', 'why, for the history')
    .action(async (set: string, options: { preview?: boolean; reason?: string }, command: Command) => {
      const takeBack = (apply: boolean) =>
        clientOf().call('history.undo', {
          params: { id: set.replace('#', '') },
          body: { apply },
          reason: options.reason,
        });
      const done = await takeBack(!options.preview || outputOf(command).json);
      if (outputOf(command).json) return out(JSON.stringify(done, null, 2));
      out(
        table(
          ['what', 'kind', 'record'],
          done.items.slice(0, 50).map((i) => [i.action, i.kind, i.key]),
        ),
      );
      if (done.count > 50) out(`and ${done.count - 50} more`);
      if (options.preview) await takeBack(true);
      out(`change set #${done.undone} is undone`);
    });
}
