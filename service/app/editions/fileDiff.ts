/** What is different between the files of two editions, line by line within their parts. */
import { diffArrays } from 'diff';
import type { LineDiff, PartDiff } from '@zpine/contract/impactShapes';
import { maskedFiles, type Files } from './content.ts';

/** So many lines of a part are shown. */
const SHOWN_LINES = 40;

export const sameLines = (a: string[] = [], b: string[] = []): boolean =>
  a.length === b.length && a.every((line, i) => line === b[i]);

interface Line {
  /** With its secrets: compared, and not shown. */
  raw: string;
  shown: string;
  part: string;
}

/** Lines of a file with the part each stands in. A secret has no line break in it: both texts have the same lines. */
function linesIn(files: Files, name: string): Line[] {
  const file = files.find((one) => one.name === name);
  const [masked] = file ? maskedFiles([file]) : [];
  if (!file || !masked) return [];
  const raw = file.text.split('\n');
  const shown = masked.text.split('\n');
  const even = raw.length === shown.length;
  const lines = shown.map((text, i): Line => ({ raw: even ? (raw[i] ?? '') : text, shown: text, part: '' }));
  for (const { name: part, fromLine, toLine } of masked.parts)
    for (const line of lines.slice(fromLine - 1, toLine)) line.part = part;
  if (lines.at(-1)?.shown === '') lines.pop();
  return lines;
}

/** What is different between the files of two editions, part by part; secrets masked. */
export function partsOf(before: Files, after: Files): PartDiff[] {
  const names = [...new Set([...before, ...after].map((file) => file.name))];
  const out: PartDiff[] = [];
  for (const file of names) {
    const [was, is] = [linesIn(before, file), linesIn(after, file)];
    const byPart = new Map<string, PartDiff>();
    const into = (part: string): PartDiff => {
      const made = byPart.get(part) ?? { file, part, removed: [], added: [], more: 0, secret: false };
      byPart.set(part, made);
      return made;
    };
    const same = (a: Line, b: Line): boolean => a.raw === b.raw && a.part === b.part;
    for (const part of diffArrays(was, is, { comparator: same }))
      if (part.added || part.removed)
        for (const line of part.value) put(into(line.part), part.added ? 'added' : 'removed', line.shown);
    for (const diff of byPart.values()) {
      diff.secret = diff.removed.length > 0 && sameLines(diff.removed, diff.added);
      out.push(diff);
    }
  }
  return out;
}

function put(diff: LineDiff, to: 'added' | 'removed', line: string): void {
  if (diff[to].length < SHOWN_LINES) diff[to].push(line);
  else diff.more += 1;
}

/** Lines that went, and lines that came. */
export function linesOf(before: string[], after: string[]): LineDiff {
  const out: LineDiff = { removed: [], added: [], more: 0 };
  for (const part of diffArrays(before, after))
    if (part.added || part.removed) for (const line of part.value) put(out, part.added ? 'added' : 'removed', line);
  return out;
}
