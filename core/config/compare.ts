/** What a device should run against what it runs: owned parts only; the rest is counted, shown and left alone. */
import type { ConfigLine } from './tree.ts';

export interface Intended {
  text: string;
  parts: { name: string; owned: boolean; from: number; to: number }[];
}

export interface Difference {
  part: string;
  /** The blocks that the line stands in, outermost first. */
  above: string[];
  line: string;
}

export interface Comparison {
  matches: boolean;
  missing: Difference[];
  extra: Difference[];
  /** Lines of the device that belong to no part of ours. */
  elsewhere: string[];
  /** How many owned lines are right already. */
  right: number;
}

/** The longest of a dialect's heads that a line begins with: lines with one head are one family. */
const headOf = (line: string, heads: readonly string[]): string =>
  heads.filter((head) => line === head || line.startsWith(`${head} `)).sort((a, b) => b.length - a.length)[0] ?? line;

/** What comparing has to know of a dialect. */
export interface Reader {
  parse: (text: string) => ConfigLine[];
  sheet: { heads: readonly string[] };
}

export function compareConfig(intended: Intended, actual: string, { parse, sheet: { heads } }: Reader): Comparison {
  const owned: { part: string; nodes: ConfigLine[] }[] = [];
  for (const { name, owned: ours, from, to } of intended.parts) {
    if (ours) owned.push({ part: name, nodes: parse(intended.text.slice(from, to)) });
  }
  const running = parse(actual);
  const out: Comparison = { matches: false, missing: [], extra: [], elsewhere: [], right: 0 };
  /** Families that we own, with the part that does. */
  const families = new Map<string, string>();
  const wanted = new Set<string>();
  for (const { part, nodes } of owned) {
    for (const node of nodes) {
      wanted.add(node.text);
      families.set(headOf(node.text, heads), part);
      block(
        part,
        [],
        [node],
        running.filter((other) => other.text === node.text),
        out,
      );
    }
  }
  for (const node of running) {
    if (wanted.has(node.text)) continue;
    const part = families.get(headOf(node.text, heads));
    if (part === undefined) out.elsewhere.push(...flat(node));
    else out.extra.push({ part, above: [], line: node.text });
  }
  out.matches = out.missing.length === 0 && out.extra.length === 0;
  return out;
}

/** Compares the lines of one block, in any order; a line that comes twice is wanted twice. */
function block(part: string, above: string[], wanted: ConfigLine[], actual: ConfigLine[], out: Comparison): void {
  const left = [...actual];
  for (const node of wanted) {
    const at = left.findIndex((other) => other.text === node.text);
    const found = at < 0 ? undefined : left.splice(at, 1)[0];
    if (!found) {
      out.missing.push({ part, above, line: node.text });
      // What stands in a missing block is missing with it.
      for (const child of node.children) block(part, [...above, node.text], [child], [], out);
      continue;
    }
    out.right += 1;
    block(part, [...above, node.text], node.children, found.children, out);
  }
  if (above.length > 0) for (const node of left) out.extra.push({ part, above, line: node.text });
}

const flat = (node: ConfigLine): string[] => [node.text, ...node.children.flatMap(flat)];
