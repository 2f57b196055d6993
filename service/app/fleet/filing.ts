/** Files that editions bring to hosts, held against what is there. No database, and no secret in what comes out. */
import { structuredPatch } from 'diff';
import { fileVerdict, type FilePlace, type FoundFile } from '@zpine/core/config/filing';
import type { FileDrift } from '@zpine/contract/driftShapes';
import { offTheWireAny, onTheWire, type Files } from '../editions/content.ts';

/** A file as it should be; without content it must not be there. */
export interface WantedFile extends FilePlace {
  content: Buffer | null;
}

/** By path: what was read, null where there is none. What is not in it was not read. */
export type FoundFiles = ReadonlyMap<string, FoundFile | null>;

interface Placed {
  files: Files;
  places: readonly FilePlace[];
}

/** `token`: what goes in place of the one-time part of URLs; left out, it stays as the edition has it. */
export const wantedFiles = ({ files, places }: Placed, token?: string): WantedFile[] =>
  places.map((place) => {
    const text = files.find(({ name }) => name === place.output)?.text;
    const sent = text === undefined || token === undefined ? text : onTheWire(text, token);
    return { ...place, content: sent === undefined ? null : Buffer.from(sent, 'utf8') };
  });

/** As long as it is text that people can read. */
function textIn(content: Uint8Array): string | undefined {
  try {
    const text = new TextDecoder('utf-8', { fatal: true }).decode(content);
    return /[\u0000-\u0008\u000e-\u001f]/.test(text) ? undefined : text;
  } catch {
    return undefined;
  }
}

/** What a device shows, with one-time parts as the edition has them. */
function asWanted(found: FoundFile | null, wanted: Buffer | null): FoundFile | null {
  const text = found && wanted && textIn(found.content);
  if (!found || !wanted || typeof text !== 'string') return found;
  return { ...found, content: Buffer.from(offTheWireAny(text, wanted.toString('utf8')), 'utf8') };
}

/** So many lines of a difference are shown. */
const MOST_LINES = 400;

/** What is not as it should be, in the order of the places. `hide` takes secrets out of lines. */
export function filesCompared(
  wanted: readonly WantedFile[],
  found: FoundFiles,
  hide: (lines: readonly string[]) => string[],
): FileDrift[] {
  return wanted.flatMap((want): FileDrift[] => {
    const raw = found.get(want.path);
    if (raw === undefined) return [];
    const is = asWanted(raw, want.content);
    const verdict = fileVerdict(want, want.content, is);
    if (!verdict) return [];
    const { owner, mode } = want;
    return [
      {
        path: want.path,
        ...verdict,
        owner: verdict.why.includes('owner') || verdict.deed === 'new' ? owner : null,
        mode: verdict.why.includes('mode') || verdict.deed === 'new' ? mode : null,
        ...linesBetween(is?.content, want.content, hide),
      },
    ];
  });
}

function linesBetween(
  from: Uint8Array | undefined,
  to: Uint8Array | null,
  hide: (lines: readonly string[]) => string[],
): Pick<FileDrift, 'binary' | 'lines' | 'more'> {
  const [was, is] = [from ? textIn(from) : '', to ? textIn(to) : ''];
  if (was === undefined || is === undefined) return { binary: true, lines: [], more: 0 };
  const patch = structuredPatch('', '', was, is, '', '', { context: 2 });
  const all = patch.hunks.flatMap((hunk, i) => [
    ...(i === 0 ? [] : [{ sign: ' ' as const, text: '…' }]),
    ...hunk.lines
      .filter((line) => !line.startsWith('\\'))
      .map((line) => ({ sign: (line[0] ?? ' ') as ' ' | '+' | '-', text: line.slice(1) })),
  ]);
  const shown = all.slice(0, MOST_LINES);
  const texts = hide(shown.map(({ text }) => text));
  return {
    binary: false,
    lines: shown.map(({ sign }, i) => ({ sign, text: texts[i] ?? '' })),
    more: all.length - shown.length,
  };
}

/** Lines that differ in a file; one at least, where it is only the owner or the mode. */
export const linesOfFiles = (files: readonly FileDrift[]): number =>
  files.reduce((sum, { lines, more }) => sum + Math.max(1, lines.filter(({ sign }) => sign !== ' ').length + more), 0);

/** `/etc/motd new, /etc/issue changed (mode)`. */
export const fileWords = (files: readonly Pick<FileDrift, 'path' | 'deed' | 'why'>[]): string =>
  files
    .map(({ path, deed, why }) => {
      const only = why.filter((one) => one !== 'text');
      return `${path} ${deed}${only.length > 0 && !why.includes('text') ? ` (${only.join(', ')})` : ''}`;
    })
    .join(', ');
