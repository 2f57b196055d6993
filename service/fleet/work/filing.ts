/** Files of a host by the words of its sheet: read, written beside and moved into place, taken away. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import type { FoundFile } from '@zpine/core/config/filing';
import { compilePattern } from '@zpine/core/text/pattern';
import type { WantedFile } from '../../app/fleet/filing.ts';
import type { Session } from '../session.ts';

type Filing = NonNullable<Dialect['sheet']['filing']>;

/** Gives why it was turned down; `shown` is what may be seen of the command. */
export type Say = (command: string, shown: string) => Promise<string | undefined>;

const NEW = '.zpine-new';
const filled = (command: string, values: Record<string, string>): string =>
  command.replace(/\{(\w+)\}/g, (whole, name: string) => values[name] ?? whole);
const folderOf = (path: string): string => path.replace(/\/[^/]*$/, '') || '/';

/** As it is there now; null where there is none. Throws where that cannot be told. */
async function readHostFile(session: Session, filing: Filing, path: string): Promise<FoundFile | null> {
  const { text, refused, cut } = await session.run(filled(filing.read, { path }));
  if (refused !== undefined) {
    if (compilePattern(filing.missing).test(refused) || compilePattern(filing.missing).test(text)) return null;
    throw new Error(`${path} cannot be read: ${refused}`);
  }
  if (cut) throw new Error(`${path} is too large to be read`);
  const bare = text.replace(/\s+/g, '');
  if (!/^[A-Za-z0-9+/]*={0,2}$/.test(bare)) throw new Error(`what came for ${path} is no base64`);
  return { content: Buffer.from(bare, 'base64'), ...(await told(session, filing, path)) };
}

async function told(
  session: Session,
  { about, tells }: Filing,
  path: string,
): Promise<Pick<FoundFile, 'owner' | 'mode'>> {
  if (about === undefined || tells === undefined) return { owner: null, mode: null };
  const { text, refused } = await session.run(filled(about, { path }));
  const found = refused === undefined ? compilePattern(tells).find(text.trim().split('\n')[0] ?? '') : undefined;
  return { owner: found?.owner ?? null, mode: found?.mode?.replace(/^0+(?=[0-7]{3})/, '') ?? null };
}

export async function readHostFiles(
  session: Session,
  dialect: Dialect,
  paths: readonly string[],
): Promise<Map<string, FoundFile | null>> {
  const out = new Map<string, FoundFile | null>();
  const { filing } = dialect.sheet;
  if (filing) for (const path of paths) out.set(path, await readHostFile(session, filing, path));
  return out;
}

const STANDARD_MODE = '644';

/** Writes it beside, gives it owner and mode, moves it into place; what was written in vain goes again. */
export async function putHostFile(
  filing: Filing,
  wanted: WantedFile,
  found: FoundFile | null,
  say: Say,
): Promise<string | undefined> {
  const refused = await written(filing, wanted, found, say);
  if (refused === undefined || wanted.content === null) return refused;
  const remove = filled(filing.remove, { path: `${wanted.path}${NEW}` });
  await say(remove, remove);
  return refused;
}

async function written(
  filing: Filing,
  { path, owner, mode, content }: WantedFile,
  found: FoundFile | null,
  say: Say,
): Promise<string | undefined> {
  if (content === null) return say(filled(filing.remove, { path }), filled(filing.remove, { path }));
  const beside = `${path}${NEW}`;
  const plain = { path, beside, folder: folderOf(path) };
  // What nobody asked to be otherwise stays as it was.
  const [owns, may] = [owner ?? found?.owner ?? null, mode ?? found?.mode ?? STANDARD_MODE];
  const commands = [
    ...filing.begin.map((one) => filled(one, plain)),
    ...(owns !== null && filing.owner !== undefined ? [filled(filing.owner, { ...plain, owner: owns })] : []),
  ];
  for (const command of commands) {
    const refused = await say(command, command);
    if (refused !== undefined) return refused;
  }
  for (let at = 0; at < content.length; at += filing.pieceBytes) {
    const piece = content.subarray(at, at + filing.pieceBytes);
    const refused = await say(
      filled(filing.add, { ...plain, base64: piece.toString('base64') }),
      filled(filing.add, { ...plain, base64: `(${piece.length} bytes)` }),
    );
    if (refused !== undefined) return refused;
  }
  const last = [
    ...(filing.mode === undefined ? [] : [filled(filing.mode, { ...plain, mode: may })]),
    filled(filing.end, plain),
  ];
  for (const command of last) {
    const refused = await say(command, command);
    if (refused !== undefined) return refused;
  }
  return undefined;
}

/** The digest as the device works it out; undefined where it does not. */
export async function digestThere(session: Session, { digest }: Filing, path: string): Promise<string | undefined> {
  if (digest === undefined) return undefined;
  const { text, refused } = await session.run(filled(digest, { path }));
  return refused === undefined ? /\b[0-9a-f]{64}\b/.exec(text)?.[0] : undefined;
}

/** What is there of the files that an edition brings; undefined where nobody knows how to read them. */
export async function placedFiles(
  session: Session,
  dialect: Dialect,
  edition: { places: readonly { path: string }[] } | undefined,
): Promise<Map<string, FoundFile | null> | undefined> {
  if (!edition || edition.places.length === 0 || !dialect.sheet.filing) return undefined;
  return readHostFiles(
    session,
    dialect,
    edition.places.map(({ path }) => path),
  );
}
