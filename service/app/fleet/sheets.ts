/** Dialect sheets: those that ship, checked, and tried on what a device says. */
import { blankFaults, type Blanks } from '@zpine/core/dialect/blanks';
import { dialectFrom, type Dialect } from '@zpine/core/dialect/dialect';
import { ownOperations } from '@zpine/core/dialect/operations';
import { exchangesIn, type Exchange } from '@zpine/core/dialect/recorded';
import type { DialectSheet } from '@zpine/core/dialect/sheet';
import { nearest } from '@zpine/core/naming/names';
import { Refusal } from '@zpine/contract/errors';
import type { DialectWords, ShownBlank } from '@zpine/contract/fleetShapes';
import type { BodyOf, QueryOf, ReplyOf } from '@zpine/contract/routes';
import { find } from '../../store/records.ts';
import { readSheet } from '../../store/dialects.ts';
import type { Tx } from '../../store/tx.ts';
import { makeRun } from './runs.ts';
import { selected } from './selection.ts';

type Tried = ReplyOf<'dialect.try'>;

export async function shippedDialects(tx: Tx): Promise<ReplyOf<'dialect.shipped'>> {
  const entered = new Set((await find(tx, 'dialect', {})).map((record) => record.name));
  return {
    items: [...tx.dialects.shipped].map(([name, sheet]) => {
      const read = tx.dialects.of(name, null);
      return {
        name,
        title: read?.sheet.title ?? name,
        about: read?.sheet.about ?? '',
        sheet,
        entered: entered.has(name),
      };
    }),
  };
}

/** Restart and wipe have keys of their own in a sheet, and are told beside the others. */
const own = {
  restart: { title: 'Restart', about: 'Says what is not stored, and waits until it is back' },
  wipe: { title: 'Wipe', about: 'Empties its memory, so that it boots without a configuration' },
};

/** Of all dialects that there are, entered or shipped. */
export async function dialectWords(tx: Tx, query: QueryOf<'dialect.knows'>): Promise<ReplyOf<'dialect.knows'>> {
  const entered = await find(tx, 'dialect', {});
  const sheets = new Map<string, string | null>([
    ...[...tx.dialects.shipped.keys()].map((name): [string, null] => [name, null]),
    ...entered.map(({ name, sheet }): [string, string | null] => [name, sheet]),
  ]);
  const wanted = query.dialect?.trim().toLowerCase();
  if (wanted !== undefined && !sheets.has(wanted)) {
    const meant = nearest(wanted, sheets.keys());
    throw new Refusal('not-found', { kind: 'dialect', ref: wanted, ...(meant ? { meant } : {}) });
  }
  const named = wanted === undefined ? [...sheets] : [...sheets].filter(([name]) => name === wanted);
  return {
    items: named.sort(([a], [b]) => (a < b ? -1 : 1)).flatMap(([name, sheet]) => wordsOf(tx.dialects.of(name, sheet))),
  };
}

const listed = (blanks: Blanks): ShownBlank[] => Object.entries(blanks).map(([name, blank]) => ({ name, ...blank }));

function wordsOf(dialect: Dialect | undefined): DialectWords[] {
  if (!dialect) return [];
  const { sheet } = dialect;
  return [
    {
      dialect: dialect.name,
      title: sheet.title,
      questions: Object.entries(sheet.questions).map(([question, { about = '', command, blanks }]) => ({
        question,
        about,
        command,
        fields: dialect.fieldsOf(question),
        blanks: listed(blanks),
      })),
      operations: [
        ...Object.entries(sheet.operations).map(([operation, { title, about = '', blanks }]) => ({
          operation,
          title,
          about,
          blanks: listed(blanks),
        })),
        ...ownOperations
          .filter((name) => sheet[name])
          .map((operation) => ({ operation, ...own[operation], blanks: [] })),
      ],
    },
  ];
}

export function checkSheet(body: BodyOf<'dialect.check'>): ReplyOf<'dialect.check'> {
  const { sheet, faults } = readSheet(body.sheet);
  return { faults, title: sheet?.title ?? null, questions: Object.keys(sheet?.questions ?? {}) };
}

export async function trySheet(tx: Tx, body: BodyOf<'dialect.try'>): Promise<Tried> {
  if ((body.session === undefined) === (body.device === undefined)) throw new Refusal('try-source');
  const { sheet, faults } = readSheet(body.sheet);
  if (!sheet) return { faults, tried: [], unread: [], run: null };
  if (body.device !== undefined) {
    const questions = withoutBlanks(sheet).map((question) => ({ question }));
    const { id } = await makeRun(tx, {
      kind: 'ask',
      title: `Try a sheet: ${sheet.title}`,
      input: { asks: [...questions, { command: sheet.running }], expect: [], sheet: body.sheet },
      selected: await selected(tx, { devices: [body.device] }),
    });
    return { faults: [], tried: [], unread: [], run: id };
  }
  const dialect = dialectFrom('tried', sheet);
  const exchanges = exchangesIn(dialect, body.session ?? '');
  const tried = [
    configuration(dialect, exchanges, 'running', sheet.running),
    ...(sheet.stored === undefined ? [] : [configuration(dialect, exchanges, 'stored', sheet.stored)]),
    ...withoutBlanks(sheet).map((name) => question(dialect, exchanges, name, dialect.askedBy(name) ?? '')),
  ];
  const used = new Set(tried.map((one) => one.command));
  const unread = exchanges.filter(({ command }) => !used.has(command)).map((one) => unreadWords(dialect, one));
  if (exchanges.length === 0) unread.push('no prompt of this sheet is in the session: look at prompt');
  return { faults: [], tried, unread, run: null };
}

/** Questions that can be asked without anything said with them. */
const withoutBlanks = (sheet: DialectSheet): string[] =>
  Object.entries(sheet.questions).flatMap(([name, { blanks }]) => (blankFaults(blanks, {}).length === 0 ? [name] : []));

const answerTo = (exchanges: Exchange[], command: string): string | undefined =>
  exchanges.find((one) => one.command === command)?.answer;

const notThere = (what: string, command: string) => ({
  what,
  command,
  fits: false,
  detail: 'not in the session',
  rows: [],
});

function configuration(dialect: Dialect, exchanges: Exchange[], what: string, command: string): Tried['tried'][number] {
  const answer = answerTo(exchanges, command);
  if (answer === undefined) return notThere(what, command);
  const refused = dialect.refusal(answer);
  if (refused !== undefined) return { what, command, fits: false, detail: `refused: ${refused}`, rows: [] };
  const top = dialect.parse(answer);
  const masked = dialect.masked(answer) === answer ? 'no secret in it' : 'secrets masked';
  return {
    what,
    command,
    fits: top.length > 0,
    detail: `${top.length} lines or blocks at the top, ${masked}`,
    rows: [],
  };
}

function question(dialect: Dialect, exchanges: Exchange[], what: string, command: string): Tried['tried'][number] {
  const answer = answerTo(exchanges, command);
  if (answer === undefined) return notThere(what, command);
  const rows = dialect.rowsOf(what, answer);
  const refused = dialect.refusal(answer);
  const lines = answer.split('\n').filter((line) => line.trim() !== '').length;
  return {
    what,
    command,
    fits: rows.length > 0,
    detail: refused === undefined ? `${rows.length} of ${lines} lines became rows` : `refused: ${refused}`,
    rows: rows.slice(0, 100),
  };
}

function unreadWords(dialect: Dialect, { command, answer }: Exchange): string {
  const refused = dialect.refusal(answer);
  if (refused !== undefined) return `${command}: refused: ${refused}`;
  return dialect.isRead(command) ? `${command}: reads` : `${command}: is taken for a change`;
}
