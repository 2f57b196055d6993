/** Files that commands read and write: whatever is wrong with one is said in a sentence, with status 2. */
import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { UsageError } from './refusals.ts';

function unreadable(path: string, error: unknown): never {
  const { code = '', message } = error as NodeJS.ErrnoException;
  const words: Record<string, string> = {
    ENOENT: `there is no file ${path}`,
    EISDIR: `${path} is a folder, not a file`,
    ENOTDIR: `${path} leads through something that is not a folder`,
    EACCES: `${path} may not be read: its owner has to permit it`,
    EAGAIN: 'nothing comes on standard input',
  };
  throw new UsageError(words[code] ?? `${path} cannot be read: ${message}`);
}

/** The bytes of a file; `-` is standard input. */
function readBytes(path: string): Buffer {
  try {
    return readFileSync(path === '-' ? 0 : path);
  } catch (error) {
    return unreadable(path, error);
  }
}

/** A file that must be UTF-8, since it goes to devices letter by letter. A mark at its beginning is dropped. */
export function readText(path: string): string {
  const bytes = readBytes(path);
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new UsageError(
      `${path === '-' ? 'standard input' : path} is not UTF-8: line ${lineOfFault(bytes)} has letters in another encoding; save it as UTF-8`,
    );
  }
}

/** Tables may come from a spreadsheet that writes Windows-1252; who reads them says so. */
export function readTable(path: string): { text: string; windows: boolean } {
  const bytes = readBytes(path);
  if (bytes[0] === 0xff && bytes[1] === 0xfe)
    return { text: new TextDecoder('utf-16le').decode(bytes), windows: false };
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(bytes), windows: false };
  } catch {
    return { text: new TextDecoder('windows-1252').decode(bytes), windows: true };
  }
}

/** The first line that is not UTF-8, from 1. */
function lineOfFault(bytes: Buffer): number {
  for (let line = 1, at = 0; ; line += 1) {
    const end = bytes.indexOf(10, at);
    const one = bytes.subarray(at, end < 0 ? bytes.length : end);
    if (!Buffer.from(one.toString('utf8'), 'utf8').equals(one) || end < 0) return line;
    at = end + 1;
  }
}

export const isFolder = (path: string): boolean => {
  try {
    return path !== '-' && statSync(path).isDirectory();
  } catch (error) {
    return unreadable(path, error);
  }
};

export const filesIn = (folder: string): string[] => readdirSync(folder).sort();

export function writeText(path: string, text: string): void {
  try {
    writeFileSync(path, text);
  } catch (error) {
    const { code = '', message } = error as NodeJS.ErrnoException;
    const words: Record<string, string> = {
      ENOENT: `${path} cannot be written: there is no such folder`,
      EISDIR: `${path} is a folder; name a file in it`,
      EACCES: `${path} may not be written`,
      ENOSPC: `${path} cannot be written: the disk is full`,
    };
    throw new UsageError(words[code] ?? `${path} cannot be written: ${message}`);
  }
}
