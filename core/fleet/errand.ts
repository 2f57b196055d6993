/** What an errand comes to: its steps as commands of a dialect, and the lines of the way back. */
import type { ConfigLine } from '../config/tree.ts';
import { PATH, type Dialect } from '../dialect/dialect.ts';

/** One thing to be done: a line that shall be there, or shall go, with the blocks that it stands in. */
export interface Step {
  above: string[];
  line: string;
  away: boolean;
  /** The line that it takes the place of, where a block has one of its kind. */
  instead: string | null;
  right: boolean;
}

/** What begins a line of an errand that shall go, whatever the dialect. */
export const AWAY = '- ';

/** The commands that bring the steps about; those that are right already are left out. */
export function commandsOf(dialect: Dialect, steps: readonly Step[]): { command: string; step: Step | undefined }[] {
  const { change } = dialect.sheet;
  if (!change) return [];
  const out: { command: string; step: Step | undefined }[] = [];
  let inside: string[] = [];
  /** Lines that others of the steps stand in. */
  const blocks = new Set(steps.flatMap(({ above }) => above.map((_, i) => above.slice(0, i + 1).join(PATH))));
  const leave = (to: number) => {
    while (inside.length > to) {
      if (change.out !== undefined) out.push({ command: change.out, step: undefined });
      inside = inside.slice(0, -1);
    }
  };
  for (const step of steps.filter((one) => !one.right)) {
    const form = step.away ? change.takeAway : change.take;
    if (change.nesting === 'path') {
      const path = [...step.above, step.line].join(change.join);
      out.push({ command: filled(form, path), step });
      continue;
    }
    let same = 0;
    while (same < inside.length && inside[same] === step.above[same]) same += 1;
    leave(same);
    for (const block of step.above.slice(same)) {
      out.push({ command: filled(change.take, block), step: undefined });
      inside = [...inside, block];
    }
    out.push({ command: filled(form, step.line), step });
    // A line that opens a block of its own is left again at once.
    const path = [...step.above, step.line];
    if (!step.away && change.out !== undefined && (blocks.has(path.join(PATH)) || dialect.opens(path)))
      out.push({ command: change.out, step: undefined });
  }
  leave(0);
  return out;
}

/** One word of a POSIX shell, whatever is in it. */
const quoted = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`;

const filled = (form: string, line: string): string =>
  form.replace(/\{(line|quoted)\}/g, (_, how: string) => (how === 'line' ? line : quoted(line)));

/** The lines that lead back: what is there now and was not, goes; what was there and is not, comes again. */
export function inverseLines(dialect: Dialect, before: string, after: string): string {
  const out: string[] = [];
  const level = (was: ConfigLine[], is: ConfigLine[], above: string[]): void => {
    const [stood, stands] = [byText(was), byText(is)];
    // What comes again takes the place of what a block can have one of.
    const heads = new Set(
      was.flatMap((node) => (stands.has(node.text) ? [] : (dialect.singleHead([...above, node.text]) ?? []))),
    );
    for (const node of is)
      if (!stood.has(node.text) && !heads.has(dialect.singleHead([...above, node.text]) ?? ''))
        put(out, dialect, above, `${AWAY}${node.text}`, []);
    for (const node of was) {
      const standing = stands.get(node.text);
      if (!standing) put(out, dialect, above, node.text, node.children);
      else if (node.children.length > 0 || standing.children.length > 0)
        level(node.children, standing.children, [...above, node.text]);
    }
  };
  level(dialect.parse(before), dialect.parse(after), []);
  return out.join('\n');
}

const byText = (level: readonly ConfigLine[]) => new Map(level.map((node) => [node.text, node]));

/** Writes a line with the blocks around it and the lines below it, in the way of the dialect. */
function put(out: string[], { sheet }: Dialect, above: string[], line: string, below: ConfigLine[]): void {
  if (sheet.blocks === 'bracket') {
    // One line by itself names its blocks from the top, which is how people type it.
    const away = line.startsWith(AWAY);
    const path = [...above, away ? line.slice(AWAY.length) : line].join(PATH);
    const write = (text: string, nodes: ConfigLine[], indent: string): void => {
      out.push(`${indent}${text}${nodes.length > 0 ? ' [' : ''}`);
      for (const node of nodes) write(node.text, node.children, `${indent}  `);
      if (nodes.length > 0) out.push(`${indent}]`);
    };
    write(`${away ? AWAY : ''}${path}`, below, '');
    return;
  }
  if (sheet.blocks === 'brace') {
    const inner = (nodes: ConfigLine[]): string =>
      nodes.map((n) => (n.children.length > 0 ? `${n.text} { ${inner(n.children)} }` : `${n.text};`)).join(' ');
    const body = below.length > 0 ? `${line} { ${inner(below)} }` : `${line};`;
    out.push(above.reduceRight((text, block) => `${block} { ${text} }`, body));
    return;
  }
  for (const [depth, block] of above.entries()) out.push(`${'  '.repeat(depth)}${block}`);
  const write = (text: string, nodes: ConfigLine[], depth: number): void => {
    out.push(`${'  '.repeat(depth)}${text}`);
    for (const node of nodes) write(node.text, node.children, depth + 1);
  };
  write(line, below, above.length);
}
