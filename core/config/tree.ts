/** A configuration as a tree of lines, whatever way its blocks are written. */
export interface ConfigLine {
  text: string;
  /** From 1. */
  line: number;
  children: ConfigLine[];
}

export interface Blocks {
  blocks: 'indent' | 'brace' | 'flat';
  /** What begins a comment. */
  comment?: string;
}

export function parseConfig(text: string, { blocks, comment }: Blocks): ConfigLine[] {
  const bare =
    comment === undefined
      ? text
      : text
          .split(/\r?\n/)
          .map((line) => (line.trimStart().startsWith(comment) ? '' : line))
          .join('\n');
  if (blocks === 'brace') return parseBraces(bare);
  if (blocks === 'indent') return parseIndented(bare);
  return bare
    .split(/\r?\n/)
    .map((line, i) => ({ text: line.trim(), line: i + 1, children: [] }))
    .filter(({ text: line }) => line !== '');
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

/**
 * `word word;` is a line, `word { ... }` a block; text in double quotes is left alone. A bracket too many closes nothing,
 * one that is missing is closed by the end.
 */
export function parseBraces(text: string): ConfigLine[] {
  const top: ConfigLine[] = [];
  const open: ConfigLine[] = [];
  let [word, begin, line, quoted] = ['', 1, 1, false];
  const put = (): ConfigLine | undefined => {
    const said = word.trim();
    word = '';
    if (said === '') return undefined;
    const node: ConfigLine = { text: said, line: begin, children: [] };
    (open.at(-1)?.children ?? top).push(node);
    return node;
  };
  for (const char of text) {
    if (char === '\n') line += 1;
    if (char === '"') quoted = !quoted;
    if (!quoted && char === ';') put();
    else if (!quoted && char === '{') {
      const node = put();
      if (node) open.push(node);
    } else if (!quoted && char === '}') {
      put();
      open.pop();
    } else {
      // Outside of quotes, any run of blanks and line breaks is one blank.
      const blank = !quoted && /\s/.test(char);
      if (word === '' && !blank) begin = line;
      if (!blank) word += char;
      else if (word !== '' && !word.endsWith(' ')) word += ' ';
    }
  }
  put();
  return top;
}

/** All lines with the blocks that they stand in, outermost first. */
export function* walk(nodes: ConfigLine[], above: string[] = []): Generator<{ node: ConfigLine; above: string[] }> {
  for (const node of nodes) {
    yield { node, above };
    yield* walk(node.children, [...above, node.text]);
  }
}
