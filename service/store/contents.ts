/**
 * Contents that are too large for the database: files in a folder, each under its SHA-256. Several services may share the
 * folder. What stands there is whole: it comes under another name, and gets its own when all of it is on the disk.
 */
import { createHash, randomBytes } from 'node:crypto';
import { mkdir, open, readdir, rename, rm, stat, statfs, utimes } from 'node:fs/promises';
import { createReadStream } from 'node:fs';
import { join } from 'node:path';

export interface Content {
  sha256: string;
  bytes: number;
}

/** What has come in, and waits for somebody's word. */
export interface Coming extends Content {
  sha512: string;
  keep: () => Promise<void>;
  drop: () => Promise<void>;
}

export class NoRoom extends Error {}
export class TooLarge extends Error {}

const COMING = '.coming-';
const HOUR_MS = 3600_000;

const isFull = (error: unknown): boolean =>
  ['ENOSPC', 'EDQUOT'].includes((error as { code?: string } | null)?.code ?? '');

export class Contents {
  readonly folder: string;

  constructor(folder: string) {
    this.folder = folder;
  }

  path(sha256: string): string {
    return join(this.folder, sha256.slice(0, 2), sha256);
  }

  /** Whether it is there, as long as it should be. */
  async holds({ sha256, bytes }: Content): Promise<boolean> {
    const found = await stat(this.path(sha256)).catch(() => undefined);
    return found?.size === bytes;
  }

  /** Whether what is there is what it should be: all of it is read. */
  async isSound({ sha256, bytes }: Content): Promise<boolean> {
    if (!(await this.holds({ sha256, bytes }))) return false;
    const digest = createHash('sha256');
    for await (const piece of createReadStream(this.path(sha256))) digest.update(piece as Uint8Array);
    return digest.digest('hex') === sha256;
  }

  /** How many bytes there is room for. */
  async room(): Promise<number> {
    await mkdir(this.folder, { recursive: true });
    const { bavail, bsize } = await statfs(this.folder);
    return bavail * bsize;
  }

  /** Takes a stream in, a piece at a time. `most`: bytes. Whatever goes wrong, nothing of it is left. */
  async take(body: AsyncIterable<Uint8Array>, most: number): Promise<Coming> {
    await mkdir(this.folder, { recursive: true });
    const path = join(this.folder, `${COMING}${process.pid}-${randomBytes(8).toString('hex')}`);
    const [sha256, sha512] = [createHash('sha256'), createHash('sha512')];
    let bytes = 0;
    const file = await open(path, 'wx', 0o600);
    try {
      for await (const piece of body) {
        bytes += piece.byteLength;
        if (bytes > most) throw new TooLarge();
        sha256.update(piece);
        sha512.update(piece);
        await file.writeFile(piece);
      }
      await file.sync();
    } catch (error) {
      await file.close();
      await rm(path, { force: true });
      throw isFull(error) ? new NoRoom() : error;
    }
    await file.close();
    const digest = sha256.digest('hex');
    return {
      sha256: digest,
      sha512: sha512.digest('hex'),
      bytes,
      keep: async () => {
        await mkdir(join(this.folder, digest.slice(0, 2)), { recursive: true });
        await rename(path, this.path(digest));
      },
      drop: () => rm(path, { force: true }),
    };
  }

  /** It is wanted, or was a moment ago: nobody clears it away. */
  async touch(sha256: string): Promise<void> {
    const now = new Date();
    await utimes(this.path(sha256), now, now).catch(() => undefined);
  }

  /** Clears away what nobody names and nobody has touched for so long, and what never came to its end. */
  async clear(named: ReadonlySet<string>, olderThanMs: number): Promise<number> {
    let cleared = 0;
    const old = async (path: string, ms: number): Promise<boolean> => {
      const found = await stat(path).catch(() => undefined);
      return found !== undefined && found.isFile() && Date.now() - found.mtimeMs > ms;
    };
    for (const entry of await readdir(this.folder, { withFileTypes: true }).catch(() => [])) {
      const path = join(this.folder, entry.name);
      if (entry.name.startsWith(COMING) && (await old(path, 24 * HOUR_MS))) await rm(path, { force: true });
      if (!entry.isDirectory() || !/^[0-9a-f]{2}$/.test(entry.name)) continue;
      for (const name of await readdir(path)) {
        if (!/^[0-9a-f]{64}$/.test(name) || named.has(name) || !(await old(join(path, name), olderThanMs))) continue;
        await rm(join(path, name), { force: true });
        cleared += 1;
      }
    }
    return cleared;
  }
}
