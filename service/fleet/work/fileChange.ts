/** The files that a change brings to a host: looked at, put, read back, and the way back kept. */
import { createHash } from 'node:crypto';
import type { Dialect } from '@zpine/core/dialect/dialect';
import type { FileDrift } from '@zpine/contract/driftShapes';
import { fileWords, filesCompared, type FoundFiles, type WantedFile } from '../../app/fleet/filing.ts';
import type { SealedFile } from '../../app/fleet/errands.ts';
import type { Session } from '../session.ts';
import { digestThere, putHostFile, readHostFiles, type Say } from './filing.ts';

export const asWanted = ({ base64, ...file }: SealedFile): WantedFile => ({
  ...file,
  output: '',
  content: base64 === null ? null : Buffer.from(base64, 'base64'),
});

export class FileChange {
  /** What has to be done, as it was found at first. */
  deeds: FileDrift[] = [];
  private readonly dialect: Dialect;
  private readonly session: Session;
  private readonly wanted: readonly WantedFile[];
  private readonly hide: (lines: readonly string[]) => string[];
  private found: FoundFiles = new Map();

  constructor(
    dialect: Dialect,
    session: Session,
    wanted: readonly WantedFile[],
    hide: (lines: readonly string[]) => string[],
  ) {
    this.dialect = dialect;
    this.session = session;
    this.wanted = wanted;
    this.hide = hide;
  }

  /** Reads them; gives why that is not possible. */
  async look(): Promise<string | undefined> {
    if (this.wanted.length === 0) return undefined;
    if (!this.dialect.sheet.filing)
      return `the sheet of ${this.dialect.sheet.title} does not say how files are read and put`;
    try {
      this.found = await this.read();
      this.deeds = filesCompared(this.wanted, this.found, this.hide);
      return undefined;
    } catch (error) {
      return error instanceof Error ? error.message : String(error);
    }
  }

  get words(): string {
    return fileWords(this.deeds);
  }

  /** As they were, for the way back; those that are right already are no part of it. */
  get before(): SealedFile[] {
    return this.toDo.map(({ path, changed }) => {
      const was = this.found.get(path) ?? null;
      return {
        path,
        changed,
        base64: was && Buffer.from(was.content).toString('base64'),
        owner: was?.owner ?? null,
        mode: was?.mode ?? null,
      };
    });
  }

  private get toDo(): WantedFile[] {
    const paths = new Set(this.deeds.map(({ path }) => path));
    return this.wanted.filter(({ path }) => paths.has(path));
  }

  private read(): Promise<FoundFiles> {
    return readHostFiles(
      this.session,
      this.dialect,
      this.wanted.map(({ path }) => path),
    );
  }

  /** Gives the file that was turned down, with the device's words. */
  async put(say: Say): Promise<string | undefined> {
    const { filing } = this.dialect.sheet;
    if (!filing) return undefined;
    for (const one of this.toDo) {
      const refused = await putHostFile(filing, one, this.found.get(one.path) ?? null, say);
      if (refused !== undefined) return `${one.path}: ${refused}`;
    }
    return undefined;
  }

  /** What is to be called when they are others than before: each once. */
  async callChanged(say: Say): Promise<string | undefined> {
    for (const command of new Set(this.toDo.flatMap(({ changed }) => changed ?? []))) {
      const refused = await say(command, command);
      if (refused !== undefined) return `"${command}": ${refused}`;
    }
    return undefined;
  }

  /** Reads them back, their digests by the device itself; gives what is not as it should be. */
  async missing(): Promise<string | undefined> {
    const { filing } = this.dialect.sheet;
    if (!filing || this.toDo.length === 0) return undefined;
    const [left] = filesCompared(this.wanted, await this.read(), this.hide);
    if (left) {
      const why = left.why.length > 0 ? ` (${left.why.join(', ')})` : '';
      return `${left.path} was taken without a word, and is ${left.deed === 'gone' ? 'still there' : `not as it should be${why}`}`;
    }
    for (const { path, content } of this.toDo) {
      const digest = content && (await digestThere(this.session, filing, path));
      if (digest && content && digest !== createHash('sha256').update(content).digest('hex'))
        return `${path} has another digest on the device than what was sent`;
    }
    return undefined;
  }

  /** As it was before; gives what could not be done. */
  async back(say: Say): Promise<string | undefined> {
    if (this.deeds.length === 0) return undefined;
    const way = new FileChange(this.dialect, this.session, this.before.map(asWanted), this.hide);
    const unread = await way.look();
    if (unread !== undefined) return unread;
    const refused = (await way.put(say)) ?? (await way.callChanged(say));
    return refused ?? (await way.missing());
  }
}
