/** Routines: errands and asks with a name, run with their blanks filled in. */
import type { Command } from 'commander';
import { selectionWithTable, tellAnswers } from './asking.ts';
import { blanksFrom, list } from './blanks.ts';
import { confirmed } from './changing.ts';
import { clientOf, outputOf } from './context.ts';
import { readText } from './files.ts';
import { out, raw, table } from './print.ts';
import { UsageError } from './refusals.ts';
import { follow, withDevices, type Selected } from './runs.ts';

interface RoutineOptions extends Selected {
  blank: string[];
  table?: string;
  keep: boolean;
  perSite?: string;
  insist?: boolean;
  everything?: boolean;
  go?: string;
  wide?: boolean;
  text?: boolean;
  folder?: string;
}

export function addRoutineVerbs(noun: Command): void {
  withDevices(
    noun
      .command('run')
      .description('run a routine; what changes devices is previewed, and done when their number is confirmed')
      .argument('<routine>')
      .argument('[device...]', 'left out: all that it is for'),
  )
    .option('--blank <name=value>', 'what stands in a blank; may come again', list, [] as string[])
    .option('--table <file>', 'blanks that differ: a CSV with a head row, one column of which is the device')
    .option('--no-keep', 'do not have the devices store what then runs')
    .option('--per-site <number>', 'so many devices of one site at a time')
    .option('--insist', 'although the service would lose its way in; needs --reason')
    .option('--everything', 'the selection may be every device there is')
    .option('--go <number>', 'confirm without being asked: the number of devices that are to be changed')
    .option('--wide', 'of an ask: one row per device')
    .option('--text', 'of an ask: every answer as it came')
    .option('--folder <path>', 'of an ask: every answer in a file of its own')
    .addHelpText(
      'after',
      '\nExamples:\n  zpine routine run furrow-desk-port har-acc-1 --blank port=1/5 --blank vlan=316\n  zpine routine run furrow-desk-port --table desks.csv --go 12\n  zpine routine run inventory --wide --csv',
    )
    .action(run);
  noun
    .command('put')
    .description('add a routine, or give it another text: a file, or - for standard input')
    .argument('<routine>')
    .argument('<file>')
    .option('--title <text>', 'what it does')
    .option('--does <what>', 'errand or ask')
    .option('--devices <tests>', 'which devices it is for')
    .option('--blanks <file>', 'its blanks, as YAML')
    .option('--reason <text>', 'why')
    .action(put);
  noun
    .command('text')
    .description('its text, as it is written')
    .argument('<routine>')
    .action(async (ref: string) => raw((await clientOf().show('routine', ref)).source));
  noun
    .command('take-shipped')
    .description('enter the routines that ship, to be copied and changed')
    .argument('[routine...]', 'some of them; left out: all')
    .option('--list', 'only say which there are')
    .action(takeShipped);
}

async function run(name: string, devices: string[], options: RoutineOptions, command: Command): Promise<void> {
  const chosen = devices.length > 0 || options.where !== undefined || options.table !== undefined;
  const body = {
    ...(chosen ? selectionWithTable(devices, options) : {}),
    blanks: blanksFrom(options.blank),
    keep: options.keep,
    insist: options.insist === true,
    everything: options.everything === true,
    ...(options.perSite === undefined ? {} : { perSite: Number(options.perSite) }),
  };
  const made = await clientOf().call('routine.run', { params: { ref: name }, body, reason: options.reason });
  const shown = await follow(made);
  return shown.kind === 'ask' ? tellAnswers(shown, options, command) : confirmed(shown, options.go, command);
}

interface PutOptions {
  title?: string;
  does?: string;
  devices?: string;
  blanks?: string;
  reason?: string;
}

async function put(name: string, file: string, { reason, blanks, does, ...fields }: PutOptions): Promise<void> {
  if (does !== undefined && does !== 'errand' && does !== 'ask') throw new UsageError('--does takes errand or ask');
  const client = clientOf();
  const { items } = await client.list('routine', { q: name, limit: '500' });
  const standing = items.find(({ key }) => key === name.toLowerCase());
  if (!standing && fields.title === undefined) throw new UsageError(`${name} is new: say what it does, with --title`);
  const given = {
    ...fields,
    source: readText(file),
    ...(does === undefined ? {} : { does }),
    ...(blanks === undefined ? {} : { blanks: readText(blanks) }),
  };
  if (standing) await client.edit('routine', `#${standing.id}`, given, { reason });
  else await client.add('routine', { name, ...given }, { reason });
  out(`${standing ? 'edited' : 'added'} routine ${name}; to run it: zpine routine run ${name}`);
}

async function takeShipped(routines: string[], options: { list?: boolean }, command: Command): Promise<void> {
  const client = clientOf();
  if (options.list) {
    const { items } = await client.call('routine.shipped');
    if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
    return out(
      table(
        ['routine', 'dialect', 'what it does', ''],
        items.map((one) => [one.name, one.dialect, one.title, one.entered ? 'entered' : '']),
      ),
    );
  }
  const { added, standing } = await client.call('routine.takeShipped', {
    body: routines.length > 0 ? { routines } : {},
  });
  if (outputOf(command).json) return out(JSON.stringify({ added, standing }, null, 2));
  out(`${added.length} entered${standing.length > 0 ? `, ${standing.length} stood already and were left alone` : ''}`);
}
