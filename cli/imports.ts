import { createReadStream, statSync } from 'node:fs';
import { basename, extname, join } from 'node:path';
import { Readable } from 'node:stream';
import { type Command, Option } from 'commander';
import {
  importKinds,
  isImportKind,
  type ImportedRow,
  type ImportFault,
  type ImportOutcome,
  type Upload,
} from '@zpine/contract/importRoutes';
import { kindNames, kindOf } from '@zpine/contract/kinds';
import { nearest } from '@zpine/core/naming/names';
import { clientOf, outputOf } from './context.ts';
import { err, out, refusedWord, table } from './print.ts';
import { filesIn, readTable } from './files.ts';
import { confirmed, unsaved } from './prompt.ts';
import { status, UsageError } from './refusals.ts';
import { fieldText } from './settings.ts';

export const formats = ['csv', 'yaml', 'json'] as const;
export type Format = (typeof formats)[number];

interface ImportOptions {
  as?: Format;
  yes?: boolean;
  reason?: string;
  example?: boolean;
  column: string[];
}

export function addImports(program: Command): void {
  program
    .command('import')
    .description('take in records from CSV, YAML or JSON: shows what would come of it, then asks; all rows or none')
    .argument(
      '[kind]',
      'of all rows, or "value" for settings; YAML and JSON may have rows below the names of their kinds',
    )
    .argument('[file...]', 'files, or a folder of them, each CSV named after its kind; - for standard input')
    .addOption(new Option('--as <format>', 'told by the content if not given').choices([...formats]))
    .option(
      '--column <head=field>',
      'a column whose head is called otherwise, remembered once saved; HEAD= leaves it out; may come again',
      (value: string, before: string[]) => [...before, value],
      [] as string[],
    )
    .option('--example', 'print a file of the kind to begin with')
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .addHelpText(
      'after',
      '\nExamples:\n  zpine import device landings.csv\n  zpine import device --example > device.csv\n  zpine import estate/ --yes\n  zpine export rack --as csv | zpine import rack -',
    )
    .action((kind: string | undefined, files: string[], options: ImportOptions, command: Command) =>
      startImport(kind, files, options, command),
    );
}

async function startImport(
  first: string | undefined,
  rest: string[],
  options: ImportOptions,
  command: Command,
): Promise<void> {
  // The kind may be left out: then what stands first is a file.
  const named = first !== undefined && (isImportKind(first) || (rest.length > 0 && !isFile(first)));
  const kind = named ? first : undefined;
  const files = named || first === undefined ? rest : [first, ...rest];
  if (kind !== undefined && !isImportKind(kind)) {
    const near = nearest(kind, importKinds);
    throw new UsageError(`there is no kind "${kind}"${near ? `; did you mean ${near}?` : ''}`);
  }
  if (options.example) {
    if (kind === undefined) throw new UsageError('of which kind? zpine import KIND --example');
    const query = { as: options.as ?? 'csv' } as const;
    return void process.stdout.write((await clientOf().call('import.example', { params: { kind }, query })).text);
  }
  if (files.length === 0) throw new UsageError('name a file, a folder, or - for standard input');
  const [file = ''] = files;
  const json = outputOf(command).json;
  const whole = files.length === 1 && file !== '-' && isFile(file) && !statSync(file).isDirectory();
  if (whole && statSync(file).size > LARGE) return importLarge(kind, file, options, json);
  const texts = files.flatMap((path) =>
    path !== '-' && isFile(path) && statSync(path).isDirectory() ? folder(path) : [read(path, kind)],
  );
  const many = texts.length > 1;
  const shared = { columns: columnsFrom(options.column), ...(options.as ? { as: options.as } : {}) };
  const body = many
    ? {
        files: texts.map(({ name, text, kind: of }) => ({ name, text, ...(of === undefined ? {} : { kind: of }) })),
        ...shared,
      }
    : { text: texts[0]?.text ?? '', ...(texts[0]?.kind === undefined ? {} : { kind: texts[0].kind }), ...shared };
  const send = (apply: boolean) => clientOf().call('import.run', { body: { ...body, apply }, reason: options.reason });
  const name = many ? `${texts.length} files` : (texts[0]?.name ?? '');
  await settle(name, send, { yes: options.yes ?? false, file, json });
}

const isFile = (path: string): boolean => statSync(path, { throwIfNoEntry: false }) !== undefined;

interface Text {
  name: string;
  text: string;
  kind: string | undefined;
}

function read(path: string, kind: string | undefined): Text {
  const name = path === '-' ? 'standard input' : basename(path);
  const { text, windows } = readTable(path);
  if (windows) err(`${name}: not UTF-8; read as Windows-1252`);
  return { name, text, kind };
}

/** All files of a folder that an import understands; a CSV is of the kind that it is named after. */
function folder(path: string): Text[] {
  const texts = filesIn(path).flatMap((name): Text[] => {
    const end = extname(name).toLowerCase();
    if (!['.csv', '.yaml', '.yml', '.json'].includes(end)) return [];
    if (end !== '.csv') return [read(join(path, name), undefined)];
    const stem = basename(name, end).toLowerCase();
    const kind = importKinds.find((one) => one === stem) ?? kindNames.find((one) => kindOf(one).path === stem);
    if (kind === undefined)
      throw new UsageError(`${name}: a CSV in a folder is named after its kind, such as device.csv`);
    return [read(join(path, name), kind)];
  });
  if (texts.length === 0) throw new UsageError(`${path} has no CSV, YAML or JSON in it`);
  return texts;
}

const columnsFrom = (pairs: string[]): Record<string, string | null> =>
  Object.fromEntries(
    pairs.map((pair) => {
      const at = pair.lastIndexOf('=');
      if (at < 1) throw new UsageError(`--column takes HEAD=FIELD, not "${pair}"`);
      return [pair.slice(0, at), pair.slice(at + 1) || null];
    }),
  );

/** Larger files are sent as a stream and looked at in the background. */
const LARGE = 4 << 20;
const POLL_MS = 500;

async function importLarge(
  kind: string | undefined,
  file: string,
  options: ImportOptions,
  json: boolean,
): Promise<void> {
  const client = clientOf();
  const name = basename(file);
  const columns = columnsFrom(options.column);
  const query = {
    name,
    ...(kind === undefined ? {} : { kind }),
    ...(options.as ? { as: options.as } : {}),
    ...(options.yes ? { apply: 'true' as const } : {}),
    ...(options.column.length > 0 ? { columns: JSON.stringify(columns) } : {}),
  };
  err(`${name}: sending ${size(statSync(file).size)}`);
  const sent = await client.upload(query, Readable.toWeb(createReadStream(file)) as ReadableStream, {
    reason: options.reason,
  });
  if (sent.encoding !== 'utf-8') err(`${name}: not UTF-8; read as Windows-1252`);
  const params = { id: String(sent.id) };
  const stop = () =>
    void client.call('import.cancel', { params }).finally(() => {
      err('\nstopped: nothing was saved');
      process.exit(status.refused);
    });
  process.once('SIGINT', stop);
  const seen = await ended(params, options.yes ? 'saved' : 'read');
  const settled = async (upload: Upload): Promise<void> => {
    if (upload.failure !== null) throw new UsageError(`${name}: ${upload.failure}`);
    if (upload.state === 'cancelled') throw new UsageError(`${name}: stopped by somebody; nothing was saved`);
    if (!upload.outcome) throw new UsageError(`${name}: ${upload.state}`);
    if (json) out(JSON.stringify(upload, null, 2));
    else show(name, upload.outcome);
    if (upload.state === 'refused') process.exitCode = status.refused;
    return Promise.resolve();
  };
  await settled(seen);
  const changes = (seen.outcome?.counts.add ?? 0) + (seen.outcome?.counts.edit ?? 0);
  const go = seen.state === 'read' && changes > 0 && (await confirmed('save this?', changes));
  if (go) {
    await client.call('import.apply', { params, reason: options.reason });
    await settled(await ended(params, 'saved'));
  } else if (seen.state === 'read') {
    await client.call('import.cancel', { params });
  }
  process.off('SIGINT', stop);
}

const size = (bytes: number): string =>
  bytes < 1 << 20 ? `${Math.ceil(bytes / 1024)} KiB` : `${(bytes / (1 << 20)).toFixed(1)} MiB`;

/** Waits until an upload is through, and says how far it is. */
async function ended(params: { id: string }, goal: Upload['state']): Promise<Upload> {
  const live = Boolean(process.stderr.isTTY);
  for (let told = 0; ;) {
    const upload = await clientOf().call('import.show', { params });
    if ([goal, 'refused', 'cancelled', 'failed'].includes(upload.state)) {
      if (live && told > 0) process.stderr.write('\n');
      return upload;
    }
    if (live || Date.now() - told > 10_000) {
      const verb = goal === 'saved' ? 'saving' : 'looking at it';
      const words = `${verb}: ${size(upload.bytesDone)} of ${size(upload.bytes)}, ${upload.rowsDone} rows`;
      process.stderr.write(live ? `\r${words}    ` : `${words}\n`);
      told = Date.now();
    }
    await new Promise((resolve) => setTimeout(resolve, POLL_MS));
  }
}

const SHOWN = 20;

/** Shows what would come of it, asks, saves. */
export async function settle(
  name: string,
  send: (apply: boolean) => Promise<ImportOutcome>,
  { yes, file, json }: { yes: boolean; file: string; json: boolean },
): Promise<void> {
  const seen = await send(yes);
  if (json) out(JSON.stringify(seen, null, 2));
  else show(name, seen);
  if (seen.faults.length > 0) return void (process.exitCode = status.refused);
  if (yes || seen.counts.add + seen.counts.edit === 0) return;
  // What was piped in leaves nobody to ask.
  if (file === '-') return unsaved();
  if (!(await confirmed('save this?', seen.counts.add + seen.counts.edit))) return;
  const done = await send(true);
  if (done.applied) return out(countWords(done, 'saved'));
  show(name, done);
  process.exitCode = status.refused;
}

const countWords = ({ counts }: ImportOutcome, end: string): string => {
  const parts = [
    counts.add > 0 && `${counts.add} added`,
    counts.edit > 0 && `${counts.edit} edited`,
    counts.same > 0 && `${counts.same} as they were`,
  ].filter(Boolean);
  return `${parts.join(', ') || 'nothing'}: ${end}`;
};

function show(name: string, outcome: ImportOutcome): void {
  const rows = `${outcome.rows} row${outcome.rows === 1 ? '' : 's'}`;
  if (outcome.faults.length > 0) {
    err(
      `${name}: ${rows}, ${outcome.faultCount} fault${outcome.faultCount === 1 ? '' : 's'}, ${refusedWord()}: nothing saved`,
    );
    for (const fault of outcome.faults) err(faultText(fault));
    if (outcome.faultCount > outcome.faults.length) err(`  and ${outcome.faultCount - outcome.faults.length} more`);
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
  if (outcome.tree) out(treeWords(outcome.tree));
  const idle = outcome.counts.add + outcome.counts.edit === 0;
  out(`${name}: ${rows}, ${countWords(outcome, outcome.applied ? 'saved' : idle ? 'nothing to do' : 'not saved yet')}`);
}

/** `row 6  site "ARDL"  there is no site "ARDL"; did you mean ard?` */
const faultText = (f: ImportFault): string =>
  [
    `  ${f.file === null ? '' : `${f.file} `}${f.row === 0 ? 'file' : `row ${f.row}`}`,
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
        ? `${c.field} ${fieldText(item.kind, c.field, c.after)}`
        : `${c.field} ${fieldText(item.kind, c.field, c.before)} → ${fieldText(item.kind, c.field, c.after)}`,
    )
    .join(', ');
  return text.length > 90 ? `${text.slice(0, 89)}…` : text;
};

/** Where the prefixes of an import stand. */
function treeWords({
  nested,
  tops,
  topCount,
  takenOver,
  overlaps,
  overlapCount,
}: NonNullable<ImportOutcome['tree']>): string {
  const listed = (words: string[], count: number) =>
    words.slice(0, 8).join(', ') + (count > 8 ? ` and ${count - 8} more` : '');
  return [
    `new prefixes: ${nested} inside others`,
    ...(topCount > 0 ? [`${topCount} at the top: ${listed(tops, topCount)}`] : []),
    ...(takenOver > 0 ? [`existing prefixes now inside new ones: ${takenOver}`] : []),
    ...(overlapCount > 0
      ? [
          `${overlapCount} also present in another VRF: ${listed(
            overlaps.map(([one, other]) => `${one} and ${other}`),
            overlapCount,
          )}`,
        ]
      : []),
  ].join('\n');
}
