/** A configuration as a tree of lines, whatever way its blocks are written. */
export interface ConfigLine {
  text: string;
  /** From 1. */
  line: number;
  children: ConfigLine[];
}

export interface Blocks {
  blocks: 'indent' | 'bracket' | 'brace' | 'flat';
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
  if (blocks === 'bracket') return parseBrackets(bare);
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

/**
 * One entry a line; `word word [` opens a block, a line that is `]` closes it. A line may name the blocks that it stands in
 * from the top, as in `clock / server 10.77.0.6`; text in double quotes is left alone. A bracket too many closes nothing,
 * one that is missing is closed by the end. Blocks of one name beside each other are one block.
 */
export function parseBrackets(text: string): ConfigLine[] {
  const top: ConfigLine[] = [];
  const open: ConfigLine[][] = [top];
  for (const [i, whole] of text.split(/\r?\n/).entries()) {
    const line = whole.trim();
    if (line === '') continue;
    if (line === ']') {
      if (open.length > 1) open.pop();
      continue;
    }
    const opens = /(^|\s)\[$/.test(line);
    const path = pathOf(opens ? line.slice(0, -1) : line);
    // Of a line that shall go, the mark belongs to what goes, not to the block that it stands in.
    const marked = path.length > 1 ? /^- +(.*)$/.exec(path[0] ?? '') : null;
    if (marked) {
      path[0] = marked[1] ?? '';
      path.push(`- ${path.pop() ?? ''}`);
    }
    let level = open.at(-1) ?? top;
    for (const [depth, word] of path.entries()) {
      const isBlock = depth < path.length - 1 || opens;
      let node = isBlock ? level.find((other) => other.text === word && other.children.length > 0) : undefined;
      if (!node) level.push((node = { text: word, line: i + 1, children: [] }));
      level = node.children;
    }
    if (opens) open.push(level);
  }
  return top;
}

/** The parts of a line between ` / `; what stands in double quotes is never parted. */
function pathOf(line: string): string[] {
  const parts: string[] = [];
  let [word, quoted] = ['', false];
  for (const piece of line.split(/("| \/ )/)) {
    if (piece === '"') quoted = !quoted;
    if (piece === ' / ' && !quoted) {
      parts.push(word);
      word = '';
    } else word += piece;
  }
  parts.push(word);
  return parts.map((part) => part.trim()).filter((part) => part !== '');
}

/** All lines with the blocks that they stand in, outermost first. */
export function* walk(
  nodes: readonly ConfigLine[],
  above: string[] = [],
): Generator<{ node: ConfigLine; above: string[] }> {
  for (const node of nodes) {
    yield { node, above };
    yield* walk(node.children, [...above, node.text]);
  }
}
