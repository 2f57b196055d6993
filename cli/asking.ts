/** Read-only questions: what is asked, and how answers are told. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Command } from 'commander';
import { expectationWords, missWords } from '@zpine/core/fleet/expectations';
import type { Ask as Asked } from '@zpine/core/fleet/asking';
import type { ShownRun } from '@zpine/contract/fleetShapes';
import { cellsToCsv } from '@zpine/contract/csv';
import { answerTable, fieldNames, wideAnswerTable, type RunTable } from '@zpine/contract/runTables';
import { expectationsOf } from './expecting.ts';
import { clientOf, outputOf } from './context.ts';
import { readTable } from './files.ts';
import { blanksFrom, blankWords, list } from './blanks.ts';
import { out, raw, table } from './print.ts';
import { UsageError } from './refusals.ts';
import { outcomeText } from './runRow.ts';
import { asData, follow, judge, outcomeTable, selectionOf, summary, withDevices, type Selected } from './runs.ts';

export function addAsking(program: Command): void {
  withDevices(
    program
      .command('ask')
      .description('read-only questions to devices: fields as columns, or equal answers together')
      .argument('[question...]', 'named questions of the dialects, as --list says'),
  )
    .option('--command <command>', 'a command that only reads; may come again', list, [] as string[])
    .option('--device <device>', 'a device; may come again', list, [] as string[])
    .option('--table <file>', 'commands that differ from device to device: a CSV with one column or one row per device')
    .option('--by <way>', 'whether devices stand in columns or in rows; found out by itself when not given')
    .option('--expect <text>', 'what every answer must have; may come again', list, [] as string[])
    .option('--expect-not <text>', 'what no answer may have', list, [] as string[])
    .option('--expect-line <pattern>', 'a line of every answer must fit this', list, [] as string[])
    .option('--blank <name=value>', 'what stands in a blank of the questions; may come again', list, [] as string[])
    .option('--rows <pattern>', 'of --command: each line that fits is a row, its named parts are the columns')
    .option('--part <begin>', 'a part of what runs: lines that begin so, with all that stands below them')
    .option('--lines <pattern>', 'of what runs, or of that part: lines that fit, with the blocks they stand in')
    .option('--wide', 'one row per device, with a column for each field of each question')
    .option('--text', 'every answer as it came')
    .option('--folder <path>', 'write every answer into a file of its own: PATH/DEVICE/QUESTION.txt')
    .option('--list', 'say what there is to be asked, by dialect, and ask nothing')
    .addHelpText(
      'after',
      "\nExamples:\n  zpine ask time --where 'site=har' --expect 10.77.0.5 --expect 10.77.0.6\n  zpine ask --command 'tell clock' --where 'dialect=furrow'\n  zpine ask interfaces --device har-acc-1 --csv",
    )
    .action(ask);
}

interface AskOptions extends Selected {
  command: string[];
  device: string[];
  table?: string;
  by?: string;
  expect: string[];
  expectNot: string[];
  expectLine: string[];
  text?: boolean;
  blank: string[];
  rows?: string;
  part?: string;
  lines?: string;
  wide?: boolean;
  folder?: string;
  list?: boolean;
}

/** A table alone selects its own devices. */
export function selectionWithTable(devices: string[], options: Selected & { table?: string; by?: string }) {
  if (options.by !== undefined && options.by !== 'columns' && options.by !== 'rows')
    throw new UsageError('--by takes columns or rows');
  if (options.table === undefined) return selectionOf(devices, options);
  const text = readTable(options.table).text;
  const chosen = devices.length === 0 && options.where === undefined ? {} : selectionOf(devices, options);
  return {
    ...chosen,
    perDevice: {
      text,
      ...(options.by === undefined ? {} : { by: options.by === 'rows' ? ('rows' as const) : ('columns' as const) }),
    },
  };
}

/** Blanks go to the questions that have them. */
async function questionAsks(questions: string[], { blank }: AskOptions): Promise<Asked[]> {
  const given = Object.entries(blanksFrom(blank));
  if (given.length === 0) return questions.map((question) => ({ question }));
  const { items } = await clientOf().call('dialect.knows', { query: {} });
  const blanksOf = (question: string): string[] =>
    items.flatMap(({ questions: known }) =>
      known.filter((one) => one.question === question).flatMap((one) => one.blanks.map(({ name }) => name)),
    );
  for (const [name] of given)
    if (!questions.some((question) => blanksOf(question).includes(name)))
      throw new UsageError(`none of these questions has a blank ${name}; zpine ask --list`);
  return questions.map((question) => {
    const own = given.filter(([name]) => blanksOf(question).includes(name));
    return { question, ...(own.length > 0 ? { blanks: Object.fromEntries(own) } : {}) };
  });
}

const commandAsks = ({ command, rows }: AskOptions): Asked[] => {
  if (rows !== undefined && command.length === 0) throw new UsageError('--rows goes with --command');
  return command.map((one) => ({ command: one, ...(rows === undefined ? {} : { rows }) }));
};

const partAsk = ({ part, lines }: AskOptions): Asked[] =>
  part === undefined && lines === undefined
    ? []
    : [{ ...(part === undefined ? {} : { part }), ...(lines === undefined ? {} : { lines }) }];

/** What there is to be asked; what several dialects answer alike is told once. */
async function listQuestions(command: Command): Promise<void> {
  const { items } = await clientOf().call('dialect.knows', { query: {} });
  if (outputOf(command).json)
    return out(
      JSON.stringify(
        items.map(({ operations: _operations, ...rest }) => rest),
        null,
        2,
      ),
    );
  interface Told {
    dialects: string[];
    about: string;
    fields: Set<string>;
    blanks: string;
  }
  const told = new Map<string, Told>();
  for (const { dialect, questions } of items)
    for (const { question, about, fields, blanks } of questions) {
      const one = told.get(question) ?? { dialects: [], about, fields: new Set(), blanks: blankWords(blanks) };
      one.dialects.push(dialect);
      for (const field of fields) one.fields.add(field);
      told.set(question, one);
    }
  out(
    table(
      ['question', 'dialects', 'what it tells', 'fields', 'blanks'],
      [...told]
        .sort(([a], [b]) => (a < b ? -1 : 1))
        .map(([question, one]) => [
          question,
          one.dialects.join(', '),
          one.about,
          [...one.fields].join(', '),
          one.blanks,
        ]),
    ),
  );
}

/** `route address=10.77.0.4` as the name of a file. */
const fileName = (ask: string): string => ask.replace(/[^A-Za-z0-9._=-]+/g, '-').replace(/^[-.]+|-+$/g, '') || 'answer';

/** An answer to a file; what was not answered has none, and is told. */
function intoFolder(run: ShownRun, folder: string): void {
  let files = 0;
  for (const row of run.rows)
    for (const answer of row.answers ?? []) {
      if (answer.refused !== null) continue;
      const place = join(folder, row.device);
      mkdirSync(place, { recursive: true });
      writeFileSync(join(place, `${fileName(answer.ask)}.txt`), `${answer.text}\n`);
      files += 1;
    }
  const without = run.rows.filter((row) => !row.answers?.some((one) => one.refused === null));
  out(`${files} file${files === 1 ? '' : 's'} in ${folder}`);
  if (without.length > 0) out(outcomeTable({ ...run, rows: without }));
}

async function ask(questions: string[], options: AskOptions, command: Command): Promise<void> {
  if (options.list) return listQuestions(command);
  const body = {
    ...selectionWithTable(options.device, options),
    asks: [...(await questionAsks(questions, options)), ...commandAsks(options), ...partAsk(options)],
    expect: [
      // A command has no fields.
      ...expectationsOf(options, options.command.length === 0),
      ...options.expectLine.map((text) => ({ kind: 'matches' as const, text })),
    ],
  };
  const run = await follow(await clientOf().call('run.ask', { body, reason: options.reason }));
  return tellAnswers(run, options, command);
}

type Telling = Pick<AskOptions, 'wide' | 'folder' | 'text'>;

/** Answers as a table, in groups, as they came, or in files. */
export async function tellAnswers(run: ShownRun, options: Telling, command: Command): Promise<void> {
  if (options.wide && outputOf(command).csv) {
    const { heads, rows } = wideAnswerTable(run);
    raw(cellsToCsv(heads, rows));
    return judge(run);
  }
  if (asData(run, command)) return;
  if (options.folder !== undefined) intoFolder(run, options.folder);
  else if (options.text) texts(run);
  else if (fieldNames(run.rows).length > 0) {
    if (options.wide) answersAsTable(wideAnswerTable(run));
    else eachAsk(run);
  } else await alike(run);
  out('');
  expectations(run);
  out(summary(run));
  judge(run);
}

function texts(run: ShownRun): void {
  for (const row of run.rows) {
    if (!row.answers) {
      out(`${row.device}   ${outcomeText(row.outcome)}   ${row.detail}\n`);
      continue;
    }
    for (const answer of row.answers) {
      out(`${row.device}   ${answer.ask}${answer.cut ? '   (only the beginning)' : ''}`);
      out(answer.refused === null ? answer.text.replace(/^/gm, '  ') : `  not taken: ${answer.refused}`);
      out('');
    }
  }
}

const answersAsTable = ({ heads, rows }: RunTable): void => out(table(heads, rows));

/** A table for each question, since each has fields of its own; devices that answered nothing at all come last. */
function eachAsk(run: ShownRun): void {
  const asks = [...new Set(run.rows.flatMap((row) => (row.answers ?? []).map((one) => one.ask)))];
  if (asks.length <= 1) return answersAsTable(answerTable(run));
  const answered = run.rows.filter((row) => row.answers);
  for (const name of asks) {
    const rows = answered.map((row) => ({ ...row, answers: row.answers?.filter((one) => one.ask === name) ?? [] }));
    out(`${name}`);
    answersAsTable(answerTable({ rows, asks: [name] }));
    out('');
  }
  const rest = run.rows.filter((row) => !row.answers);
  if (rest.length > 0) out(outcomeTable({ ...run, rows: rest }));
}

async function alike(run: ShownRun): Promise<void> {
  const { items } = await clientOf().call('run.groups', { params: { id: String(run.id) } });
  for (const { ask: name, words, groups } of items) {
    out(`${name}: ${words}`);
    for (const [i, group] of groups.entries()) {
      out(`  ${deviceWords(group.devices)}`);
      const lines = i === 0 ? group.text.split('\n') : group.diff;
      for (const line of lines) out(`    ${line}`);
    }
    out('');
  }
  const rest = run.rows.filter((row) => row.outcome !== 'answered');
  if (rest.length > 0) out(outcomeTable({ ...run, rows: rest }));
}

const deviceWords = (devices: string[]): string =>
  devices.length > 6 ? `${devices.slice(0, 5).join(', ')} and ${devices.length - 5} more` : devices.join(', ');

function expectations(run: ShownRun): void {
  if (run.expect.length === 0) return;
  const failing = run.rows.flatMap((row) =>
    (row.answers ?? []).flatMap((one) => one.missed.map((missed) => ({ device: row.device, missed }))),
  );
  const asked = run.rows.filter((row) => row.answers).length;
  const missing = new Set(failing.map((one) => one.device)).size;
  out(`${asked - missing} of ${asked} answers are as expected (${run.expect.map(expectationWords).join(', ')})`);
  if (failing.length > 0) {
    out(
      table(
        ['device', 'differs'],
        failing.map(({ device, missed }) => [device, missWords(missed)]),
      ),
    );
    out('');
  }
}
