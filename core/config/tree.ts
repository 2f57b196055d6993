/** A configuration of indented lines as a tree. */
export interface ConfigLine {
  text: string;
  /** From 1. */
  line: number;
  children: ConfigLine[];
}

/** Deeper indentation belongs to the line above; empty lines are nothing. A tab counts as eight columns. */
export function parseIndented(text: string): ConfigLine[] {
  const top: ConfigLine[] = [];
  const open: { indent: number; node: ConfigLine }[] = [];
  for (const [i, line] of text.split(/\r?\n/).entries()) {
    if (line.trim() === '') continue;
    const indent = (/^[ \t]*/.exec(line)?.[0] ?? '').replaceAll('\t', '        ').length;
    while ((open.at(-1)?.indent ?? -1) >= indent) open.pop();
    const node: ConfigLine = { text: line.trim(), line: i + 1, children: [] };
    (open.at(-1)?.node.children ?? top).push(node);
    open.push({ indent, node });
  }
  return top;
}

/** All lines with the blocks that they stand in, outermost first. */
export function* walk(nodes: ConfigLine[], above: string[] = []): Generator<{ node: ConfigLine; above: string[] }> {
  for (const node of nodes) {
    yield { node, above };
    yield* walk(node.children, [...above, node.text]);
  }
}
