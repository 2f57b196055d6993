import { readFileSync, writeFileSync } from 'node:fs';
import { basename } from 'node:path';
import { type Command, Option } from 'commander';
import { type ImportedRow, type ImportFault } from '@zpine/contract/importRoutes';
import { isKind } from '@zpine/contract/kinds';
import { type ReplyOf } from '@zpine/contract/routes';
import { clientOf, outputOf } from './context.ts';
import { err, out, refusedWord, table } from './print.ts';
import { askYes } from './prompt.ts';
import { status, UsageError } from './refusals.ts';
import { valueText } from './settings.ts';

const formats = ['csv', 'yaml', 'json'] as const;
type Format = (typeof formats)[number];
type Outcome = ReplyOf<'import.run'>;

interface ImportOptions {
  as?: Format;
  yes?: boolean;
  reason?: string;
  column: string[];
}

export function addImports(program: Command): void {
  program
    .command('import')
    .description('take in records from CSV, YAML or JSON: shows what would come of it, then asks; all rows or none')
    .argument('[kind]', 'of all rows; a YAML or JSON file may have rows below the names of their kinds')
    .argument('<file>', '- for standard input')
    .addOption(new Option('--as <format>', 'left out, it is told by the content').choices([...formats]))
    .option(
      '--column <head=field>',
      'a column whose head is called otherwise; HEAD= leaves it out; may come again',
      (value: string, before: string[]) => [...before, value],
      [] as string[],
    )
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .addHelpText(
      'after',
      '\nExamples:\n  zpine import device landings.csv\n  zpine import estate.yaml --yes\n  zpine export rack --as csv | zpine import rack -',
    )
    .action((kind: string | undefined, file: string, options: ImportOptions, command: Command) =>
      importFile(kind, file, options, command),
    );

  program
    .command('export')
    .description('records as a text that can be imported again')
    .argument('[kinds...]', 'left out, all of them')
    .addOption(new Option('--as <format>', 'CSV has one kind').choices([...formats]).default('yaml'))
    .option('--output <file>', 'left out, to standard output')
    .action(async (kinds: string[], options: { as: Format; output?: string }) => {
      const { text, records } = await clientOf().call('export.run', {
        query: { as: options.as, ...(kinds.length > 0 ? { kinds: kinds.join(',') } : {}) },
      });
      if (options.output === undefined) return void process.stdout.write(text);
      writeFileSync(options.output, text);
      out(`${records} records in ${options.output}`);
    });

  program
    .command('undo')
    .description('take back one change set, whole; refused where something newer depends on it')
    .argument('<set>', 'its number, as the history has it')
    .option('--preview', 'only what would come of it')
    .option('--reason <text>', 'why, for the history')
    .action(async (set: string, options: { preview?: boolean; reason?: string }, command: Command) => {
      const done = await clientOf().call('history.undo', {
        params: { id: set.replace('#', '') },
        body: { apply: !options.preview },
        reason: options.reason,
      });
      if (outputOf(command).json) return out(JSON.stringify(done, null, 2));
      out(
        table(
          ['what', 'kind', 'record'],
          done.items.slice(0, 50).map((i) => [i.action, i.kind, i.key]),
        ),
      );
      if (done.items.length > 50) out(`and ${done.items.length - 50} more`);
      out(done.applied ? `change set #${done.undone} is taken back` : 'nothing was saved');
    });
}

/** UTF-8, or what spreadsheets on some desks still write. */
function decoded(bytes: Buffer): { text: string; windows: boolean } {
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(bytes), windows: false };
  } catch {
    return { text: new TextDecoder('windows-1252').decode(bytes), windows: true };
  }
}

const SHOWN = 20;

async function importFile(
  kind: string | undefined,
  file: string,
  options: ImportOptions,
  command: Command,
): Promise<void> {
  if (kind !== undefined && !isKind(kind)) throw new UsageError(`there is no kind "${kind}"`);
  const { text, windows } = decoded(readFileSync(file === '-' ? 0 : file));
  const name = file === '-' ? 'standard input' : basename(file);
  if (windows) err(`${name}: not UTF-8; read as Windows-1252`);
  const client = clientOf();
  const columns = Object.fromEntries(
    options.column.map((pair) => {
      const at = pair.lastIndexOf('=');
      if (at < 1) throw new UsageError(`--column takes HEAD=FIELD, not "${pair}"`);
      return [pair.slice(0, at), pair.slice(at + 1) || null];
    }),
  );
  const body = { text, columns, ...(kind === undefined ? {} : { kind }), ...(options.as ? { as: options.as } : {}) };
  const json = outputOf(command).json;
  const preview = await client.call('import.run', {
    body: { ...body, apply: options.yes ?? false },
    reason: options.reason,
  });
  if (json) out(JSON.stringify(preview, null, 2));
  else show(name, preview);
  if (preview.faults.length > 0) {
    process.exitCode = status.refused;
    return;
  }
  if (options.yes || preview.counts.add + preview.counts.edit === 0) return;
  // What was piped in leaves nobody to ask.
  if (file === '-' || !(await askYes('save this?'))) {
    err('not saved; --yes saves without asking');
    return;
  }
  const done = await client.call('import.run', { body: { ...body, apply: true }, reason: options.reason });
  if (done.applied) out(countWords(done, 'saved'));
  else {
    show(name, done);
    process.exitCode = status.refused;
  }
}

const countWords = ({ counts }: Outcome, end: string): string => {
  const parts = [
    counts.add > 0 && `${counts.add} added`,
    counts.edit > 0 && `${counts.edit} edited`,
    counts.same > 0 && `${counts.same} as they were`,
  ].filter(Boolean);
  return `${parts.join(', ') || 'nothing'}: ${end}`;
};

function show(name: string, outcome: Outcome): void {
  const rows = `${outcome.rows} row${outcome.rows === 1 ? '' : 's'}`;
  if (outcome.faults.length > 0) {
    err(
      `${name}: ${rows}, ${outcome.faults.length} fault${outcome.faults.length === 1 ? '' : 's'}, ${refusedWord()}: nothing saved`,
    );
    for (const fault of outcome.faults) err(faultText(fault));
    return;
  }
  const changed = outcome.items.slice(0, SHOWN);
  if (changed.length > 0)
    out(
      table(
        ['', 'kind', 'record', 'what'],
        changed.map((item) => [item.action, item.kind, item.key, changeText(item)]),
      ),
    );
  const more = outcome.counts.add + outcome.counts.edit - changed.length;
  if (more > 0) out(`and ${more} more`);
  const idle = outcome.counts.add + outcome.counts.edit === 0;
  out(`${name}: ${rows}, ${countWords(outcome, outcome.applied ? 'saved' : idle ? 'nothing to do' : 'not saved yet')}`);
}

/** `row 6  site "ARDL"  there is no site "ARDL"; did you mean ard?` */
export const faultText = (f: ImportFault): string =>
  [
    '  ' + (f.row === 0 ? 'file' : `row ${f.row}`),
    f.kind ?? '',
    f.column ?? '',
    f.value === null ? '' : JSON.stringify(f.value),
    `${f.detail}${f.remedy ? `; ${f.remedy}` : ''}`,
  ]
    .filter((part, i) => i === 0 || part !== '')
    .join('  ');

const changeText = (item: ImportedRow): string => {
  const text = item.changes
    .map((c) =>
      item.action === 'add'
        ? `${c.field} ${valueText(c.after)}`
        : `${c.field} ${valueText(c.before)} → ${valueText(c.after)}`,
    )
    .join(', ');
  return text.length > 90 ? `${text.slice(0, 89)}…` : text;
};
