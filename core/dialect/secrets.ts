/**
 * Finds what a sheet knows to be secret. Its patterns are about lines as they stand in their blocks; a device, or somebody
 * who types, may write several on one line, or put one into a comment: each of them is looked at in all these ways.
 */
import { parseConfig, walk, type Blocks, type ConfigLine } from '../config/tree.ts';
import { MASK } from '../secrets/masking.ts';
import type { Pattern } from '../text/pattern.ts';

export interface FoundSecrets {
  /** The text with dots where patterns found a secret. */
  masked: string;
  /** What stood there. */
  values: string[];
}

/** Stands between a block and a line in it. */
const PATH = ' / ';
/** What parts the lines of a block that stands on one line. */
const BETWEEN = /([;{}[\]]|\s\/\s)/;

export function secretFinder(patterns: readonly Pattern[], blocks: Blocks): { find: (text: string) => FoundSecrets } {
  return { find: (text) => findIn(text, patterns, blocks) };
}

function findIn(text: string, patterns: readonly Pattern[], blocks: Blocks): FoundSecrets {
  const values = new Set<string>();
  if (patterns.length === 0) return { masked: text, values: [] };
  const lines = text.split('\n').map((line) => maskedLine(line, patterns, blocks.comment, values));
  for (const { node, above } of walk(parsed(text, blocks))) maskByPath(node, above, patterns, lines, values);
  return { masked: lines.join('\n'), values: [...values] };
}

/** What is no configuration of this dialect has no blocks. */
function parsed(text: string, blocks: Blocks): ConfigLine[] {
  return parseConfig(text, blocks);
}

function maskedLine(
  line: string,
  patterns: readonly Pattern[],
  comment: string | undefined,
  values: Set<string>,
): string {
  const bare = line.trimStart();
  const said = comment !== undefined && bare.startsWith(comment) ? bare.slice(comment.length).trimStart() : bare;
  const begin = line.slice(0, line.length - said.length);
  const whole = maskText(said, patterns, values);
  if (!BETWEEN.test(whole)) return begin + whole;
  const parts = whole.split(BETWEEN).map((part) => {
    const inner = part.trim();
    return inner === '' ? part : part.replace(inner, () => maskText(inner, patterns, values));
  });
  return begin + parts.join('');
}

/** Every part named `secret` becomes dots. */
function maskText(text: string, patterns: readonly Pattern[], values: Set<string>): string {
  let out = text;
  for (const one of patterns) {
    for (let from = 0; ;) {
      const found = one.at(out, from, 'secret');
      if (!found || found.to <= found.from) break;
      const value = out.slice(found.from, found.to);
      if (value !== MASK) values.add(value);
      out = out.slice(0, found.from) + MASK + out.slice(found.to);
      from = found.from + MASK.length;
    }
  }
  return out;
}

/** A line of a block may go over a few lines of the text, where blocks are set in braces. */
const LINES = 6;

/** By the path of a line through its blocks; what is found is masked where the line stands. */
function maskByPath(
  { text, line, children }: ConfigLine,
  above: string[],
  patterns: readonly Pattern[],
  lines: string[],
  values: Set<string>,
): void {
  if (above.length === 0 || children.length > 0) return;
  const found = new Set<string>();
  maskText([...above, text].join(PATH), patterns, found);
  for (const value of found) {
    values.add(value);
    for (let i = line - 1; i < Math.min(lines.length, line - 1 + LINES); i += 1) {
      const before = lines[i] ?? '';
      lines[i] = tokensMasked(before, value);
      if (lines[i] !== before) break;
    }
  }
}

/** Where the value stands for itself, and not as a part of another word. */
function tokensMasked(line: string, value: string): string {
  let out = '';
  let at = 0;
  for (let next = line.indexOf(value); next >= 0; next = line.indexOf(value, next + value.length)) {
    const before = line[next - 1] ?? ' ';
    const behind = line[next + value.length] ?? ' ';
    const alone = /[\s"';,=:{}[\]()]/.test(before) && /[\s"';,{}[\]()]/.test(behind);
    out += line.slice(at, next) + (alone ? MASK : value);
    at = next + value.length;
  }
  return out + line.slice(at);
}
