/** What is odd about the lines of an errand, each with its line and a guess: nothing of it is sure to be wrong. */
import type { ConfigLine } from '../config/tree.ts';
import type { Dialect } from '../dialect/dialect.ts';
import { nearest } from '../naming/names.ts';
import { AWAY } from './errand.ts';

const MOST = 20;

/** `running`: words that stand there are known, whatever the sheet says. */
export function errandWarnings(dialect: Dialect, lines: string, running: string): string[] {
  const out = [...indentWarnings(dialect, lines)];
  const said = dialect.parse(lines);
  const has = dialect.parse(running);
  out.push(...wordWarnings(dialect, said, has), ...blockWarnings(dialect, said, has, []));
  return out.slice(0, MOST);
}

const bare = (text: string): string => text.replace(/^(- |exactly )/, '').trim();
const firstWord = (text: string): string => bare(text).split(/\s/)[0] ?? '';

/** First words that neither the sheet nor the device knows. */
function wordWarnings(dialect: Dialect, said: readonly ConfigLine[], has: readonly ConfigLine[]): string[] {
  const { heads, title } = dialect.sheet;
  if (heads.length === 0) return [];
  const known = new Set([...heads, ...has.map(({ text }) => text)].map(firstWord));
  const told = new Set<string>();
  return said.flatMap(({ text, line }) => {
    const word = firstWord(text);
    if (word === '' || known.has(word) || word === '~' || told.has(word)) return [];
    told.add(word);
    const meant = nearest(word, known);
    return [
      `line ${line}: no line of ${title} that is known here begins with "${word}"${meant === undefined ? '' : `; did you mean "${meant}"?`}`,
    ];
  });
}

/** Lines below one that opens no block, by the sheet and by what runs. */
function blockWarnings(
  dialect: Dialect,
  said: readonly ConfigLine[],
  has: readonly ConfigLine[],
  above: string[],
): string[] {
  if (dialect.sheet.opens.length === 0) return [];
  return said.flatMap((node): string[] => {
    const [first] = node.children;
    if (!first || node.text.startsWith(AWAY)) return [];
    const path = [...above, bare(node.text)];
    const standing = has.find(({ text }) => text === bare(node.text));
    if (dialect.opens(path) || (standing?.children.length ?? 0) > 0)
      return blockWarnings(dialect, node.children, standing?.children ?? [], path);
    return [
      `line ${first.line}: it stands deeper than "${bare(node.text)}", which opens no block that is known here: move it to the left`,
    ];
  });
}

/** Only where indentation means something. */
function indentWarnings({ sheet }: Dialect, lines: string): string[] {
  if (sheet.blocks !== 'indent') return [];
  const out: string[] = [];
  const open: number[] = [];
  let [tabs, blanks] = [false, false];
  let mixed: number | undefined;
  for (const [i, line] of lines.split('\n').entries()) {
    if (line.trim() === '') continue;
    const lead = /^[ \t]*/.exec(line)?.[0] ?? '';
    tabs ||= lead.includes('\t');
    blanks ||= lead.includes(' ');
    if (tabs && blanks) mixed ??= i + 1;
    const indent = lead.replaceAll('\t', '        ').length;
    const before = open.at(-1) ?? 0;
    while ((open.at(-1) ?? -1) > indent) open.pop();
    // Back to a place where no line above stands.
    if (indent < before && open.at(-1) !== indent)
      out.push(`line ${i + 1}: it is indented by ${indent}, and no line above it is: which block does it belong to?`);
    if (open.at(-1) !== indent) open.push(indent);
  }
  if (mixed !== undefined)
    out.unshift(`line ${mixed}: tabs and blanks are mixed at the beginning of lines; a tab counts as eight blanks`);
  return out;
}
