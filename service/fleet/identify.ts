/** What a host that nobody has described speaks, by its prompt and by how it answers to the question for its version. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import { lastLineOf, type Answer } from '@zpine/core/fleet/terminal';
import type { Met } from '@zpine/contract/fleetShapes';
import type { ClientChannel } from 'ssh2';
import type { SignedIn } from './signedIn.ts';
import { withLimit } from './limit.ts';
import { openSession, type Session } from './session.ts';

/** Nothing more comes for so long: what stands there then is the prompt. */
const QUIET_MS = 400;
const PROMPT_MS = 4000;
const ANSWER_MS = 5000;

/** `first` is signed in already, and is used up; `again` signs in once more, for each further dialect that is tried. */
export async function identify(
  dialects: readonly Dialect[],
  first: SignedIn,
  again: () => Promise<SignedIn>,
): Promise<Met | undefined> {
  const prompt = await promptOf(first).catch(() => '');
  first.end();
  for (const dialect of inOrder(dialects, prompt)) {
    const client = await again();
    const session = await openSession(client, dialect, { answerMs: ANSWER_MS }, undefined).catch(() => undefined);
    const told = session && (await toldBy(session, dialect).catch(() => undefined));
    session?.close();
    client.end();
    if (told?.met && isSure(told.met)) return told.met;
  }
  return undefined;
}

/** Those whose prompt it is, then those that need none, then the rest. A sheet without the question cannot be told. */
function inOrder(dialects: readonly Dialect[], prompt: string): Dialect[] {
  const rank = (dialect: Dialect): number =>
    dialect.sheet.channel === 'exec' ? 1 : prompt !== '' && dialect.isPrompt(prompt) ? 0 : 2;
  return dialects
    .filter(({ sheet }) => sheet.questions.version !== undefined)
    .map((dialect) => ({ dialect, at: rank(dialect) }))
    .sort((a, b) => a.at - b.at)
    .map(({ dialect }) => dialect);
}

/** What a device answers when it is asked what it is; `met` is left out where that is not as the dialect would. */
export async function toldBy(session: Session, dialect: Dialect): Promise<{ answer: Answer; met: Met | undefined }> {
  const { version } = dialect.sheet.questions;
  const answer = await session.run(version?.command ?? dialect.sheet.running);
  const [row] = version && answer.refused === undefined ? dialect.rowsOf('version', answer.text) : [];
  if (!row) return { answer, met: undefined };
  const { name = null, model = null, version: runs = null, serial = null, mac = null } = row;
  return { answer, met: { dialect: dialect.name, name, model, version: runs, serial, mac } };
}

/** One word that happens to fit is no answer, where it is only guessed that it speaks so. */
const isSure = ({ name, model, version, serial }: Met): boolean =>
  [name, model, version, serial].filter((said) => said !== null).length >= 2;

/** The line that stands when nothing more comes. */
async function promptOf(client: SignedIn): Promise<string> {
  const channel = await withLimit(
    new Promise<ClientChannel>((resolve, reject) =>
      client.shell({ term: 'dumb', cols: 500, rows: 1000 }, (error, opened) =>
        error ? reject(error) : resolve(opened),
      ),
    ),
    PROMPT_MS,
    'no terminal was opened',
  );
  let text = '';
  await new Promise<void>((done) => {
    const limit = setTimeout(done, PROMPT_MS);
    let quiet: NodeJS.Timeout | undefined;
    const end = () => {
      clearTimeout(limit);
      clearTimeout(quiet);
      done();
    };
    channel.on('data', (bytes: Buffer) => {
      text = (text + bytes.toString('utf8')).slice(-4000);
      clearTimeout(quiet);
      quiet = setTimeout(end, QUIET_MS);
    });
    channel.once('close', end);
  });
  channel.end();
  return lastLineOf(text);
}
