/** An operation that a sheet names, with one device: looked at first; then said, answered, and proved. */
import { blankValues, filledIn, filledPattern } from '@zpine/core/dialect/blanks';
import { provenRow, toldBy, unproved, type Operation, type ProofRows } from '@zpine/core/dialect/operations';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { Masker } from '@zpine/core/secrets/masking';
import { compilePattern } from '@zpine/core/text/pattern';
import type { ShownAnswer } from '@zpine/contract/fleetShapes';
import type { Target } from '../../app/fleet/access.ts';
import type { OperationSeal } from '../../app/fleet/operations.ts';
import type { RunInput } from '../../app/fleet/runs.ts';
import type { Waiting } from '../../app/fleet/work.ts';
import type { HostKey } from '../connect.ts';
import type { Done } from '../reachable.ts';
import type { Session } from '../session.ts';
import { lostTo, unlessInsisted } from './lockout.ts';
import type { Reopen } from './restart.ts';
import { shownAnswer } from './shownAnswer.ts';

const AGAIN_MS = 1000;
const TOLD_BYTES = 64 * 1024;

/** How one gets in again: with the key that the device has from now on, or as before. */
export interface WaysBack {
  reopen: Reopen;
  /** Signs in where the device shows this key and no other; gives the key, or throws why not. */
  withKey: (fingerprint: string) => Promise<HostKey>;
}

interface Meant {
  dialect: Dialect;
  operation: Operation;
  values: Record<string, string>;
}

function meant({ target, sealed }: Waiting, { operation = '' }: RunInput): Meant {
  const { dialect } = target;
  const found =
    dialect && Object.hasOwn(dialect.sheet.operations, operation) ? dialect.sheet.operations[operation] : undefined;
  if (!dialect || !found) throw new Error(`its sheet has no operation "${operation}" any more`);
  const { blanks } = JSON.parse(sealed ?? '{"blanks":{}}') as OperationSeal;
  // A moment is that of the device's turn, not of the preview.
  const values = blankValues(found.blanks, blanks, { portName: dialect.interfaceName, now: new Date() });
  return { dialect, operation: found, values };
}

const commandsOf = ({ dialect, operation, values }: Meant): string[] =>
  operation.commands.map((command) => filledIn(command, values, dialect.sheet.channel === 'exec'));

/** Why it is not done: it would take the way in along. */
async function shutBy(
  target: Target,
  { dialect, operation, values }: Meant,
  session: Session,
): Promise<string | undefined> {
  const port = operation.touches === undefined ? undefined : values[operation.touches];
  if (port === undefined) return undefined;
  const running = (await session.run(dialect.sheet.running)).text;
  const now = dialect.wayIn(running);
  // The name of a port as lines have it may lack the word before it that answers have.
  const names = (now.carriers ?? [])
    .map((carrier) => carrier.port)
    .filter((name) => port === name || dialect.interfaceName(name) === port);
  return lostTo(target, dialect, running, { ...now, still: [...now.still, port, ...names] });
}

async function proofRows({ dialect, operation: { proves } }: Meant, session: Session): Promise<ProofRows> {
  const command = proves && dialect.askedBy(proves.question);
  return command === undefined ? [] : dialect.rowsOf(proves?.question ?? '', (await session.run(command)).text);
}

const rowWords = (row: Readonly<Record<string, string>> | undefined): string =>
  row
    ? Object.entries(row)
        .map(([field, value]) => `${field} ${value}`)
        .join(', ')
    : '';

export async function lookAtNamed(waiting: Waiting, input: RunInput, session: Session): Promise<Done> {
  const what = meant(waiting, input);
  const { proves } = what.operation;
  const known = new Masker(waiting.target.secrets);
  const rows = await proofRows(what, session);
  const row = proves && provenRow(proves, rows, what.values);
  if (proves && Object.keys(proves.row).length > 0 && !row)
    return {
      outcome: 'turned down',
      detail: `the answer to ${proves.question} has nothing about ${Object.values(what.values).join(' ')}`,
    };
  const lost = await shutBy(waiting.target, what, session);
  if (lost !== undefined && input.insist !== true)
    return {
      outcome: 'turned down',
      detail: unlessInsisted(lost.replace('would not get in any more', 'may not get in meanwhile')),
    };
  const says = commandsOf(what)
    .map((command) => `"${known.mask(what.dialect.masked(command))}"`)
    .join(', ');
  const now = rowWords(row);
  return {
    outcome: null,
    detail: [`would be told ${says}`, now && `now: ${known.mask(now)}`, lost].filter(Boolean).join('; '),
  };
}

export async function doNamed(waiting: Waiting, input: RunInput, session: Session, ways: WaysBack): Promise<Done> {
  const what = meant(waiting, input);
  const { operation, values, dialect } = what;
  const known = new Masker(waiting.target.secrets);
  const hide = (text: string) => known.mask(dialect.masked(text));
  const answers: ShownAnswer[] = [];
  let current = session;
  const result = () => ({ answers });
  try {
    const lost = await shutBy(waiting.target, what, session);
    if (lost !== undefined && input.insist !== true) return { outcome: 'turned down', detail: unlessInsisted(lost) };
    const before = await proofRows(what, session);
    let heard = '';
    for (const command of commandsOf(what)) {
      const answer = await session.ask(command, filledAsks(what), operation.seconds);
      heard += `${answer.text}\n`;
      answers.push(shownAnswer(hide(command), hide(answer.text.slice(0, TOLD_BYTES)).trimEnd(), answer));
      // A command of a shell whose test fails ends with a status, and tells of it all the same.
      const toldSo = operation.succeeds !== undefined && Object.keys(toldBy(operation, answer.text, values)).length > 0;
      if (answer.refused !== undefined && !toldSo)
        return {
          outcome: answers.length === 1 ? 'turned down' : 'stopped midway',
          detail: hide(`"${command}": ${answer.refused}`),
          result: result(),
        };
    }
    const told = toldBy(operation, heard, values);
    const last = answers.at(-1);
    if (last && Object.keys(told).length > 0) last.rows = known.maskAll([told]);
    const words = rowWords(told);
    if (operation.succeeds !== undefined && !hasLine(filledPattern(operation.succeeds, values), heard))
      return {
        outcome: 'not as expected',
        detail: hide(words || lineOf(heard) || 'it said nothing'),
        result: result(),
      };
    const key = await newKey(what, heard, ways);
    if (typeof key === 'string') return { outcome: 'not as expected', detail: key, result: result() };
    if (current.isOver()) current = await ways.reopen();
    const wrong = await unprovedFor(what, before, current);
    if (wrong.length > 0)
      return {
        outcome: 'not as expected',
        detail: hide(wrong.join('; ')),
        result: result(),
        ...(key ? { pinned: key } : {}),
      };
    return {
      outcome: 'done',
      detail: [hide(words), key && 'its host key is pinned'].filter(Boolean).join('; '),
      result: result(),
      ...(key ? { pinned: key } : {}),
    };
  } catch (error) {
    const why = hide(error instanceof Error ? error.message : String(error));
    return { outcome: answers.length === 0 ? 'no contact' : 'stopped midway', detail: why, result: result() };
  } finally {
    if (current !== session) current.close();
  }
}

const filledAsks = ({ operation, values }: Meant): { ask: string; say: string }[] =>
  operation.answers.map(({ ask, say }) => ({ ask: filledPattern(ask, values), say: filledIn(say, values, false) }));

function hasLine(source: string, text: string): boolean {
  const pattern = compilePattern(source);
  return text.split('\n').some((line) => pattern.test(line.trimEnd()));
}

const lineOf = (text: string): string => text.trim().split('\n').at(-1)?.trim() ?? '';

/** The key that the device has from now on, tried; why it has not, or nothing where it keeps the one it has. */
async function newKey({ operation }: Meant, heard: string, ways: WaysBack): Promise<HostKey | string | undefined> {
  if (operation.hostKey === undefined) return undefined;
  const pattern = compilePattern(operation.hostKey);
  const said = heard
    .split('\n')
    .map((line) => pattern.find(line.trimEnd())?.fingerprint)
    .find((one) => one !== undefined);
  if (said === undefined) return 'it did not say what its host key is now';
  try {
    return await ways.withKey(said);
  } catch (error) {
    return `it says that its host key is ${said}, and another sign-in does not find it so: ${error instanceof Error ? error.message : String(error)}`;
  }
}

/** Asked again until it is so, or its time is over. */
async function unprovedFor(what: Meant, before: ProofRows, session: Session): Promise<string[]> {
  const { proves } = what.operation;
  if (!proves) return [];
  const until = Date.now() + proves.seconds * 1000;
  for (;;) {
    const wrong = unproved(proves, { before, after: await proofRows(what, session), values: what.values });
    if (wrong.length === 0 || Date.now() >= until) return wrong;
    await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
  }
}
