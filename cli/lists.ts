/** Lists as people have them: scans of a barcode reader, names and addresses that somebody pasted. */
import { basename } from 'node:path';
import type { Command } from 'commander';
import type { ImportOutcome } from '@zpine/contract/importRoutes';
import type { ReplyOf } from '@zpine/contract/routes';
import { clientOf, outputOf } from './context.ts';
import { readTable } from './files.ts';
import { settle } from './imports.ts';
import { err, out, table } from './print.ts';
import { askSecret } from './prompt.ts';
import { UsageError } from './refusals.ts';

type Options = Record<string, string | boolean | undefined>;

export function addLists(box: Command, device: Command): void {
  const ending = (command: Command): Command =>
    command.option('--yes', 'do not ask').option('--reason <text>', 'why, for the history');
  ending(
    box
      .command('scan')
      .description('boxes from the scans of a barcode reader: one scan a line, or a table of model, serial, mac')
      .argument('<file>', '- for standard input')
      .option('--model <model>', 'of boxes whose model was not scanned')
      .option('--whereabouts <text>', 'where they lie')
      .option('--owner <owner>')
      .option('--labels <labels>')
      .option(
        '--where <tests>',
        'fit them to the devices of this selection that have no box, in the order of their names',
      ),
  )
    .addHelpText(
      'after',
      "\nExamples:\n  zpine box scan pallet.txt --model larkfield/lf-24 --whereabouts 'cupboard at HAR'\n  zpine box scan - --where 'site=ske'",
    )
    .action(async (file: string, options: Options, command: Command) => {
      const text = readList(file);
      const { yes, reason, ...rest } = options;
      const send = (apply: boolean) =>
        clientOf().call('import.scan', { body: { text, ...(rest as object), apply }, reason: reason as string });
      await settle(nameOf(file), send, { yes: yes === true, file, json: outputOf(command).json });
    });

  ending(
    device
      .command('paste')
      .description('devices that run already, from a list of names and addresses: they become unproved')
      .argument('<file>', '- for standard input')
      .option('--dialect <dialect>', 'what they speak')
      .option('--user <name>', 'by whom the service signs in; the password is asked for')
      .option('--port <n>', 'of SSH')
      .option('--label <label>', 'the label that holds the login for all of them; one is made when not given')
      .option('--site <site>')
      .option('--duty <duty>')
      .option('--model <model>')
      .option('--vrf <vrf>')
      .option('--labels <labels>')
      .option('--length <n>', 'of prefixes that are made for addresses which none covers')
      .option(
        '--mean <word=meaning>',
        'what a word of the list means: address, user, "setting NAME", nothing ...; [GROUP]="site har"; WORD:VALUE=ours; remembered once saved; may come again',
        (value: string, before: string[]) => [...before, value],
        [] as string[],
      ),
  )
    .addHelpText(
      'after',
      "\nThe list: a hosts file, a table with or without heads, groups with their hosts in INI or YAML, bare addresses.\n\nExamples:\n  zpine device paste /etc/hosts --dialect furrow --user netops\n  zpine device paste switches.ini --mean 'ntp=setting time.servers' --mean '[tower]=site har'",
    )
    .action(async (file: string, options: Options & { mean?: string[] }, command: Command) => {
      const text = readList(file);
      const { yes, reason, port, length, mean, ...rest } = options;
      const password = options.user === undefined ? undefined : await passwordOf(file, String(options.user));
      const body = {
        text,
        ...(rest as object),
        ...(password === undefined ? {} : { password }),
        ...numbers({ port, length }),
        means: meaningsFrom(mean ?? []),
      };
      let label: string | null = null;
      const { json } = outputOf(command);
      const send = async (apply: boolean): Promise<ImportOutcome> => {
        const outcome = await clientOf().call('import.paste', { body: { ...body, apply }, reason: reason as string });
        ({ label } = outcome);
        if (!apply && !json) showMeanings(outcome);
        return outcome;
      };
      await settle(nameOf(file), send, { yes: yes === true, file, json });
      if (label !== null && process.exitCode === undefined)
        err(`the login is stored with label ${String(label)}: zpine setting values --on label:${String(label)}`);
    });
}

/** What the words of a list were taken for, before anything is saved. */
function showMeanings({ words, groups }: ReplyOf<'import.paste'>): void {
  const by = { said: '', remembered: 'as before', guessed: 'guessed' };
  if (groups.length > 0)
    out(
      table(
        ['group', 'hosts', 'becomes', ''],
        groups.map((one) => [one.group, String(one.hosts), one.means, by[one.by]]),
      ),
    );
  if (words.length > 0)
    out(
      table(
        ['word', 'times', 'means', '', 'such as'],
        words.map((one) => [
          one.word,
          String(one.times),
          one.means ?? '? left out',
          one.by === null ? '' : by[one.by],
          one.example ?? (one.times > 0 ? '(not shown)' : ''),
        ]),
      ),
    );
  const unknown = words.filter(({ means }) => means === null);
  if (unknown.length > 0)
    out(`no counterpart: ${unknown.map(({ word }) => word).join(', ')}; say it with --mean '${unknown[0]?.word}=...'`);
  if (groups.length + words.length > 0) out('');
}

function meaningsFrom(given: readonly string[]): Record<string, string> {
  return Object.fromEntries(
    given.map((text) => {
      const cut = /^(\[[^\]]+\]|[^=]+)=(.+)$/.exec(text);
      if (!cut) throw new UsageError(`--mean takes WORD=MEANING, and not "${text}"`);
      return [(cut[1] as string).trim(), (cut[2] as string).trim()];
    }),
  );
}

const nameOf = (file: string): string => (file === '-' ? 'standard input' : basename(file));

function readList(file: string): string {
  const { text, windows } = readTable(file);
  if (windows) err(`${nameOf(file)}: not UTF-8; read as Windows-1252`);
  if (text.trim() === '') throw new UsageError(`${nameOf(file)} is empty`);
  return text;
}

/** From the terminal; where the list itself comes on standard input, from the environment. */
async function passwordOf(file: string, user: string): Promise<string | undefined> {
  const { ZPINE_LOGIN_PASSWORD: given } = process.env;
  if (given !== undefined) return given;
  if (file === '-')
    throw new UsageError('the list comes on standard input: put the password into ZPINE_LOGIN_PASSWORD');
  const typed = await askSecret(`password of ${user} on the devices (empty: none): `);
  return typed === '' ? undefined : typed;
}

function numbers(options: Record<string, string | boolean | undefined>): Record<string, number> {
  return Object.fromEntries(
    Object.entries(options).flatMap(([name, text]) => {
      if (text === undefined) return [];
      if (typeof text !== 'string' || !/^[0-9]{1,5}$/.test(text)) throw new UsageError(`--${name} takes a number`);
      return [[name, Number(text)]];
    }),
  );
}
