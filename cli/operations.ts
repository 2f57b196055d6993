/** Operations that dialect sheets name: listed with their blanks, previewed, confirmed by number. */
import type { Command } from 'commander';
import { isOwnOperation } from '@zpine/core/dialect/operations';
import type { DialectWords } from '@zpine/contract/fleetShapes';
import { blanksFrom, blankWords, list } from './blanks.ts';
import { confirmed } from './changing.ts';
import { clientOf, outputOf } from './context.ts';
import { err, out, table } from './print.ts';
import { selectionWithTable } from './asking.ts';
import { follow, withDevices, type Selected } from './runs.ts';

interface OperationOptions extends Selected {
  blank: string[];
  device: string[];
  table?: string;
  insist?: boolean;
  everything?: boolean;
  go?: string;
}

export function addOperationNouns(program: Command): void {
  const noun = program
    .command('operation')
    .description('What devices can be told to do, by name: set the clock, bounce a port, test to an address.');
  noun
    .command('list')
    .description('the operations of the dialects, with the blanks of each')
    .argument('[dialect]')
    .action(async (dialect: string | undefined, _options: object, command: Command) => {
      const { items } = await clientOf().call('dialect.knows', { query: dialect === undefined ? {} : { dialect } });
      if (outputOf(command).json)
        return out(
          JSON.stringify(
            items.map(({ questions: _questions, ...rest }) => rest),
            null,
            2,
          ),
        );
      out(table(['operation', 'dialects', 'what', 'blanks'], operationRows(items)));
    });
  withDevices(
    noun
      .command('run')
      .description('preview an operation, and do it when the number of devices is confirmed')
      .argument('<operation>', 'as operation list says')
      .argument('[device...]'),
  )
    .option('--blank <name=value>', 'what stands in a blank; may come again', list, [] as string[])
    .option('--table <file>', 'blanks that differ from device to device: a CSV with a head row')
    .option('--insist', 'although the service may lose its way in; needs --reason')
    .option('--everything', 'the selection may be every device there is')
    .option('--go <number>', 'confirm without being asked: the number of devices')
    .addHelpText(
      'after',
      "\nExamples:\n  zpine operation run set-clock har-acc-1 har-acc-2\n  zpine operation run bounce-port har-acc-1 --blank port=1/2\n  zpine operation run test-address --where 'site=har' --blank 'address=@{device.management.gateway}'",
    )
    .action(async (operation: string, devices: string[], options: OperationOptions, command: Command) => {
      const body = {
        ...selectionWithTable(devices, options),
        operation,
        blanks: blanksFrom(options.blank),
        insist: options.insist === true,
        everything: options.everything === true,
      };
      const run = await follow(await clientOf().call('run.operation', { body, reason: options.reason }));
      await confirmed(run, options.go, command);
      if (isOwnOperation(operation)) err(`the same, with its own options: zpine device ${operation}`);
    });
}

/** What several dialects do alike is told once. */
function operationRows(items: readonly DialectWords[]): string[][] {
  const rows = new Map<string, { dialects: string[]; cells: string[] }>();
  for (const { dialect, operations } of items)
    for (const { operation, title, about, blanks } of operations) {
      const cells = [about === '' ? title : `${title}: ${about}`, blankWords(blanks)];
      const key = JSON.stringify([operation, ...cells]);
      rows.set(key, { dialects: [...(rows.get(key)?.dialects ?? []), dialect], cells: [operation, ...cells] });
    }
  return [...rows.values()].map(({ dialects, cells: [operation = '', ...rest] }) => [
    operation,
    dialects.join(', '),
    ...rest,
  ]);
}
