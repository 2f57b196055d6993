/** What a transfer sends: a text that is in memory, or a content of any size, of which a stretch is. */
import { open, type FileHandle } from 'node:fs/promises';
import type { Content, Contents } from '../store/contents.ts';

/** So much of a large content is in memory for each transfer. */
const STRETCH = 128 * 1024;

export interface FileContent {
  length: number;
  /** The bytes from one place up to another; at once where they are in memory. */
  read: (from: number, to: number) => Uint8Array | Promise<Uint8Array>;
  close: () => void;
}

export const inMemory = (bytes: Uint8Array): FileContent => ({
  length: bytes.length,
  read: (from, to) => bytes.subarray(from, to),
  close: () => undefined,
});

export const isText = (content: Uint8Array | Content): content is Uint8Array => content instanceof Uint8Array;

export async function openedContent(contents: Contents, content: Uint8Array | Content): Promise<FileContent> {
  if (isText(content)) return inMemory(content);
  const file = await open(contents.path(content.sha256), 'r');
  return new Stretches(file, content.bytes);
}

/** The two stretches that were read last: a window of blocks may lie across the end of one. */
class Stretches implements FileContent {
  readonly length: number;
  private readonly file: FileHandle;
  private held: { at: number; bytes: Buffer }[] = [];
  private closed: Promise<void> | undefined;

  constructor(file: FileHandle, length: number) {
    this.file = file;
    this.length = length;
  }

  read(from: number, to: number): Uint8Array | Promise<Uint8Array> {
    const held = this.held.find(({ at, bytes }) => from >= at && to <= at + bytes.length);
    return held ? held.bytes.subarray(from - held.at, to - held.at) : this.fetch(from, to);
  }

  private async fetch(from: number, to: number): Promise<Uint8Array> {
    const bytes = Buffer.allocUnsafe(Math.min(Math.max(STRETCH, to - from), this.length - from));
    let got = 0;
    while (got < bytes.length) {
      const { bytesRead } = await this.file.read(bytes, got, bytes.length - got, from + got);
      if (bytesRead === 0) throw new Error('the content is shorter than it should be');
      got += bytesRead;
    }
    this.held = [...this.held.slice(-1), { at: from, bytes }];
    return bytes.subarray(0, to - from);
  }

  close(): void {
    this.closed ??= this.file.close().catch(() => undefined);
  }
}
