/** What was captured of a device is put back: by what differs, or as a whole with a restart; files beside it, too. */
import { createHash } from 'node:crypto';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { Masker } from '@zpine/core/secrets/masking';
import {
  driftOf,
  hider,
  linesOf,
  hiddenDifferences,
  unkeptLines,
  type IntendedEdition,
} from '../../app/fleet/compared.ts';
import { pathFiles, type RestoreSeal } from '../../app/fleet/restores.ts';
import type { RunInput } from '../../app/fleet/runs.ts';
import type { Waiting } from '../../app/fleet/work.ts';
import type { Done } from '../reachable.ts';
import type { Session } from '../session.ts';
import { capturedText } from '../../app/fleet/capturedText.ts';
import { doChange, lookAtChange } from './change.ts';
import { placedFiles } from './filing.ts';
import { lostTo, unlessInsisted } from './lockout.ts';
import { restarted, type Reopen } from './restart.ts';

const sealOf = ({ sealed }: Waiting): RestoreSeal =>
  JSON.parse(sealed ?? '{"text":null,"of":"","whole":false,"files":[],"secrets":[]}') as RestoreSeal;

export async function lookAtRestore(waiting: Waiting, input: RunInput, session: Session): Promise<Done> {
  const seal = sealOf(waiting);
  const files = await filesToPut(waiting, session);
  const many =
    files.length > 0
      ? `${files.length} file${files.length === 1 ? '' : 's'} to be put back: ${files.map(({ file }) => file).join(', ')}`
      : '';
  const text =
    seal.text === null && pathFiles(seal).length === 0
      ? undefined
      : seal.whole && seal.text !== null
        ? await lookAtWhole(waiting, seal.text, input, session)
        : await lookAtChange('restore', waiting, input, session);
  if (!text)
    return files.length === 0
      ? { outcome: 'already right', detail: 'its files are as captured' }
      : { outcome: null, detail: many };
  if (text.outcome === 'already right' && files.length > 0) return { ...text, outcome: null, detail: many };
  return { ...text, detail: [text.detail, many].filter(Boolean).join('; ') };
}

export async function doRestore(
  waiting: Waiting,
  input: RunInput,
  session: Session,
  again: () => Promise<string | undefined>,
  reopen: Reopen,
  intended: IntendedEdition | undefined,
): Promise<Done> {
  const seal = sealOf(waiting);
  const put = await putFiles(waiting, session);
  if (typeof put === 'string') return { outcome: 'turned down', detail: put };
  const text =
    seal.text === null && pathFiles(seal).length === 0
      ? undefined
      : seal.whole && seal.text !== null
        ? await doWhole(waiting, seal.text, input, session, reopen, intended)
        : await doChange('restore', waiting, input, session, again, intended);
  if (!text)
    return {
      outcome: put.length > 0 ? 'brought over' : 'already right',
      detail: put.join('; ') || 'its files are as captured',
    };
  return { ...text, detail: [text.detail, ...put].join('; ') };
}

interface ToPut {
  file: string;
  content: Buffer;
  /** What stands there now; undefined where nothing can be read. */
  now: Buffer | undefined;
  command: string;
}

const digest = (content: Buffer): string => createHash('sha256').update(content).digest('hex').slice(0, 12);
const sized = (content: Buffer | undefined): string => (content ? `${content.length} B ${digest(content)}` : 'nothing');

/** Those of the files that are not as they were captured. */
async function filesToPut(waiting: Waiting, session: Session): Promise<ToPut[]> {
  const { dialect } = waiting.target;
  const out: ToPut[] = [];
  for (const { file, base64 } of sealOf(waiting).files) {
    const form = dialect?.sheet.files[file];
    if (form?.put === undefined || base64 === null) continue;
    const content = Buffer.from(base64, 'base64');
    const now = await readFile(session, form);
    if (now?.equals(content)) continue;
    out.push({ file, content, now, command: form.put.replace('{base64}', base64) });
  }
  return out;
}

async function readFile(
  session: Session,
  { command, encoding }: Dialect['sheet']['files'][string],
): Promise<Buffer | undefined> {
  const { text, refused } = await session.run(command);
  if (refused !== undefined) return undefined;
  return encoding === 'text' ? Buffer.from(text, 'utf8') : Buffer.from(text.replace(/\s+/g, ''), encoding);
}

/** Puts them, and reads them back; gives what was put, or why one was not. */
async function putFiles(waiting: Waiting, session: Session): Promise<string[] | string> {
  const done: string[] = [];
  for (const { file, content, now, command } of await filesToPut(waiting, session)) {
    const { refused } = await session.run(command);
    if (refused !== undefined) return `${file}: ${refused}`;
    done.push(`${file}: ${sized(now)} before, ${sized(content)} now`);
  }
  const [left] = await filesToPut(waiting, session);
  return left ? `${left.file} was taken without a word, and is not as captured` : done;
}

async function lookAtWhole({ target }: Waiting, text: string, input: RunInput, session: Session): Promise<Done> {
  const { dialect } = target;
  if (!dialect) throw new Error('it has no dialect');
  if (dialect.secretsIn(text).some((secret) => dialect.hides(secret)))
    return {
      outcome: 'turned down',
      detail: 'what was captured has stars in place of its secrets, which would become the secrets',
    };
  const running = (await session.run(dialect.sheet.running)).text;
  const differences = unkeptLines(dialect, text, running);
  if (differences.length === 0) return { outcome: 'already right', detail: 'it runs what was captured' };
  const shown = hiddenDifferences(differences, hider(target, dialect, [], [text, running]));
  const steps = shown.map(({ kind, above, line, instead }) => ({
    above,
    line,
    away: kind === 'extra',
    instead: kind === 'changed' ? instead : null,
    right: false,
  }));
  const lost = lostTo(target, dialect, running, dialect.wayIn(text));
  if (lost !== undefined && input.insist !== true) return { outcome: 'turned down', detail: unlessInsisted(lost) };
  return {
    outcome: null,
    detail: [`put in as a whole, with a restart; ${linesOf(differences)} lines differ`, lost]
      .filter(Boolean)
      .join('; '),
    result: { errand: { steps, sent: [], kept: null, questions: [] } },
  };
}

/** The text goes into what is stored; the restart puts it in force, and must not store what runs first. */
async function doWhole(
  { target, sealed }: Waiting,
  text: string,
  input: RunInput,
  session: Session,
  reopen: Reopen,
  intended: IntendedEdition | undefined,
): Promise<Done> {
  const { dialect } = target;
  const form = dialect?.sheet.whole;
  if (!dialect || !form)
    return { outcome: 'turned down', detail: 'its sheet does not say how a whole configuration is put in' };
  const { running: runningBy, stored: storedBy } = dialect.sheet;
  const before = (await session.run(runningBy)).text;
  const lost = lostTo(target, dialect, before, dialect.wayIn(text));
  if (lost !== undefined && input.insist !== true) return { outcome: 'turned down', detail: unlessInsisted(lost) };
  const known = new Masker([...target.secrets, ...dialect.secretsIn(text)]);
  // Lines that differ at each reading are remarks of the device, and no configuration.
  const lines = dialect.steady(text).replace(/\n$/, '').split('\n');
  for (const command of [form.begin, ...lines, form.end]) {
    const { refused } = await session.run(command);
    if (refused !== undefined) return { outcome: 'turned down', detail: known.mask(`"${command}": ${refused}`) };
  }
  const left = storedBy === undefined ? [] : unkeptLines(dialect, text, (await session.run(storedBy)).text);
  if (left.length > 0)
    return {
      outcome: 'never taken',
      detail: `${linesOf(left)} lines of what is stored are not as captured; it was not restarted`,
    };
  const back = await restarted(dialect, session, reopen);
  if (typeof back === 'string') return { outcome: 'stopped midway', detail: `it is stored; ${back}` };
  try {
    const after = (await back.session.run(runningBy)).text;
    const stored = storedBy === undefined ? undefined : (await back.session.run(storedBy)).text;
    const differs = linesOf(unkeptLines(dialect, text, after));
    const overwritten = stored === undefined ? 0 : linesOf(unkeptLines(dialect, text, stored));
    const seal = { ...(JSON.parse(sealed ?? '{}') as RestoreSeal), before, after };
    return {
      outcome: differs + overwritten === 0 ? 'brought over' : 'never taken',
      detail:
        differs + overwritten === 0
          ? `put in as a whole, back after ${back.seconds} s; it runs and stores what was captured`
          : `back after ${back.seconds} s; ${differs} lines of what runs and ${overwritten} of what is stored are not as captured`,
      sealed: JSON.stringify(seal),
      captured: [
        capturedText(dialect, target.secrets, 'running', after),
        ...(stored === undefined ? [] : [capturedText(dialect, target.secrets, 'stored', stored)]),
      ],
      drift: driftOf(target, dialect, intended, {
        running: after,
        stored,
        files: await placedFiles(back.session, dialect, intended),
      }),
    };
  } finally {
    back.session.close();
  }
}
