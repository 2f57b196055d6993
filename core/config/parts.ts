/** Parts of a configuration: what stands below a line, and lines that fit a pattern, with the blocks they stand in. */
import type { Dialect } from '../dialect/dialect.ts';
import { PATH } from '../dialect/path.ts';
import { compilePattern } from '../text/pattern.ts';
import { walk, type ConfigLine } from './tree.ts';

export interface PartWanted {
  /** The beginning of a line, or of the blocks that it stands in: `socket 1/5`, `account netops / phrase`. */
  part?: string | undefined;
  /** A pattern that a line has to fit. */
  lines?: string | undefined;
}

const folded = (text: string): string => text.trim().replace(/\s+/g, ' ').toLowerCase();

/** Whole words: `lane 30` is no beginning of `lane 304`. */
const beginsSo = (text: string, begin: string): boolean => text === begin || text.startsWith(`${begin} `);

/** The text of the part, indented by its blocks; empty where nothing fits. */
export function partOf(dialect: Dialect, text: string, { part, lines }: PartWanted): string {
  const begin = part === undefined ? undefined : folded(part);
  const pattern = lines === undefined ? undefined : compilePattern(lines);
  const all = [...walk(dialect.parse(text))];
  const inside = new Set<ConfigLine>();
  const wanted = new Set<ConfigLine>();
  const nodes = new Map<string, ConfigLine>();
  for (const { node, above } of all) {
    const path = [...above, node.text];
    nodes.set(path.join(PATH), node);
    const parent = nodes.get(above.join(PATH));
    const isPart =
      begin === undefined ||
      (parent !== undefined && inside.has(parent)) ||
      beginsSo(folded(node.text), begin) ||
      beginsSo(folded(path.join(PATH)), begin);
    if (!isPart) continue;
    inside.add(node);
    if (pattern && !pattern.test(node.text)) continue;
    wanted.add(node);
    for (let i = 1; i <= above.length; i += 1) {
      const block = nodes.get(above.slice(0, i).join(PATH));
      if (block) wanted.add(block);
    }
  }
  return all
    .filter(({ node }) => wanted.has(node))
    .map(({ node, above }) => `${'  '.repeat(above.length)}${node.text}`)
    .join('\n');
}
