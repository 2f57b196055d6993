/** What a device says about its images, and whether it is after an upgrade what it was before. */
import type { Dialect } from '../dialect/dialect.ts';
import { compilePattern } from '../text/pattern.ts';
import type { DialectSheet } from '../dialect/sheet.ts';

export type ImageWords = NonNullable<DialectSheet['images']>;
type Rows = readonly Readonly<Record<string, string>>[];

/** In which file it runs, and in which it would start. */
export interface Starts {
  now: string | undefined;
  next: string | undefined;
}

const lineIn = (pattern: string, text: string): Readonly<Record<string, string | undefined>> => {
  const compiled = compilePattern(pattern);
  for (const line of text.split('\n')) {
    const found = compiled.find(line.trimEnd());
    if (found) return found;
  }
  return {};
};

export const startsIn = ({ starts }: ImageWords, text: string): Starts => ({
  now: lineIn(starts.now, text).file,
  next: lineIn(starts.next, text).file,
});

/** In bytes; undefined where it does not say. */
export function roomIn({ room }: ImageWords, text: string): number | undefined {
  const said = room && lineIn(room.free, text).bytes;
  return said === undefined || !/^\d{1,15}$/.test(said) ? undefined : Number(said);
}

export interface Digests {
  bytes: number;
  sha256: string;
  sha512: string;
}

/** How a file in its store is: what is wanted, another one of that name, or not there. */
export function fileAmong(rows: Rows, file: string, { bytes, sha256, sha512 }: Digests): 'right' | 'other' | 'none' {
  const row = rows.find((one) => one.file === file);
  if (!row) return 'none';
  const digest = row.sha512 ?? row.sha256;
  const wanted = row.sha512 === undefined ? sha256 : sha512;
  if (digest !== undefined) return digest.toLowerCase() === wanted ? 'right' : 'other';
  return Number(row.bytes) === bytes ? 'right' : 'other';
}

/** Interfaces that had link before, and have none now. */
export function darkSince(dialect: Dialect, was: Rows, is: Rows): string[] {
  const now = new Map(is.map((row) => [row.interface, row.state]));
  return was.flatMap(({ interface: name = '', state }) => {
    if (state === undefined || !dialect.isLive(state)) return [];
    const after = now.get(name);
    if (after !== undefined && dialect.isLive(after)) return [];
    return [`${name} was ${state} before, and is ${after ?? 'gone'}`];
  });
}

const MIB = 1024 * 1024;

/** 20971520 bytes as people say them: 20.0 MiB. */
export const sizeWords = (bytes: number): string =>
  bytes < MIB
    ? `${Math.ceil(bytes / 1024)} KiB`
    : bytes < 10_000 * MIB
      ? `${(bytes / MIB).toFixed(1)} MiB`
      : `${(bytes / MIB / 1024).toFixed(1)} GiB`;
