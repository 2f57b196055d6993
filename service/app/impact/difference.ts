/** What is different about one device, before and after: lines of its configuration by part, boot answers, troubles. */
import { createHash } from 'node:crypto';
import { diffArrays } from 'diff';
import { faultText, TemplateStop } from '@zpine/core/template/faults';
import { type DeviceDiff, type LineDiff, type PartDiff } from '@zpine/contract/impactShapes';
import { renderWith, shownFiles, type Files } from '../editions/content.ts';
import { wayBackFaults } from '../editions/wayBack.ts';
import { type DeviceState } from './state.ts';

/** So many lines of a part are shown. */
const SHOWN_LINES = 40;

/** Two states in which nothing that counts is different. */
export const alike = (before: DeviceState | undefined, after: DeviceState | undefined): boolean =>
  before?.digest === after?.digest && before?.why === after?.why && sameLines(before?.boot, after?.boot);

const sameLines = (a: string[] = [], b: string[] = []): boolean =>
  a.length === b.length && a.every((line, i) => line === b[i]);

/** Null where, for all that went into it, the texts are the same. */
export function differenceOf(
  before: DeviceState | undefined,
  after: DeviceState | undefined,
  digest: (text: string) => string,
): DeviceDiff | null {
  const [was, is] = [rendered(before, digest), rendered(after, digest)];
  const diff: DeviceDiff = {
    is: before ? (after ? 'changed' : 'gone') : 'new',
    parts: is.files && (was.files || !before) ? partsOf(was.files ?? [], is.files) : [],
    boot: sameLines(before?.boot, after?.boot) ? null : linesOf(before?.boot ?? [], after?.boot ?? []),
    troubles: is.troubles.filter((trouble) => !was.troubles.includes(trouble)),
    mended: before && after ? was.troubles.filter((trouble) => !is.troubles.includes(trouble)) : [],
  };
  const nothing = diff.parts.length + diff.troubles.length + diff.mended.length === 0 && diff.boot === null;
  return nothing && diff.is === 'changed' ? null : diff;
}

interface Rendered {
  files: Files | null;
  troubles: string[];
}

function rendered(state: DeviceState | undefined, digest: (text: string) => string): Rendered {
  if (!state) return { files: null, troubles: [] };
  if (!state.inputs) return { files: null, troubles: [state.why ?? 'no template'] };
  // Five thousand rounds each would be for nothing: what is masked has only to differ when the password does.
  const crypt = (password: string): string => `$6$impact$${sealOf(digest, String(state.context.device.id), password)}`;
  try {
    const files = renderWith(state.inputs, crypt);
    const opens = (password: string, sealed: string): boolean => sealed === crypt(password);
    const faults = wayBackFaults(state.context, files, opens);
    return { files, troubles: faults.map((fault) => `the service would not get in: ${fault.detail}`) };
  } catch (error) {
    if (!(error instanceof TemplateStop)) throw error;
    return { files: null, troubles: [`the template stops: ${faultText(error.fault)}`] };
  }
}

const sealOf = (digest: (text: string) => string, device: string, password: string): string =>
  createHash('sha512')
    .update(digest(`${device} ${password}`))
    .digest('base64')
    .replace(/[+/=]/g, '.')
    .slice(0, 86);

interface Line {
  /** With its secrets: compared, and not shown. */
  raw: string;
  shown: string;
  part: string;
}

/** Lines of a file with the part each stands in. A secret has no line break in it: both texts have the same lines. */
function linesIn(files: Files, name: string): Line[] {
  const file = files.find((one) => one.name === name);
  const [masked] = file ? shownFiles([file]) : [];
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

function partsOf(before: Files, after: Files): PartDiff[] {
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

function linesOf(before: string[], after: string[]): LineDiff {
  const out: LineDiff = { removed: [], added: [], more: 0 };
  for (const part of diffArrays(before, after))
    if (part.added || part.removed) for (const line of part.value) put(out, part.added ? 'added' : 'removed', line);
  return out;
}
