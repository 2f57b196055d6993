/** The script of a Quill router: a tree of lines, changed by paths, printed with brackets. */
import { parseBrackets, type ConfigLine } from '@zpine/core/config/tree';

interface Row {
  /** A line with the blocks that it stands in, joined by ` / `; a block by itself ends in ` /`. */
  form: RegExp;
  /** What is left of the line when another of its kind takes its place. */
  single?: (match: RegExpExecArray) => string;
  refuse?: (match: RegExpExecArray) => string | undefined;
}

const octets = (text: string): string | undefined =>
  text
    .split(/[./]/)
    .slice(0, 4)
    .every((part) => Number(part) <= 255)
    ? undefined
    : `${text} is no address`;

const IP = '(\\d{1,3}(?:\\.\\d{1,3}){3})';
/** Copper and fibre, and the port that is the router itself. */
const PORTS: Record<string, readonly [from: number, to: number]> = { cu: [1, 6], fi: [1, 2], self: [0, 0] };
const port = (match: RegExpExecArray): string | undefined => {
  const [from, to] = PORTS[match[1] ?? ''] ?? [1, 0];
  const n = Number(match[2]);
  return n >= from && n <= to ? undefined : 'ports are cu1 to cu6, fi1, fi2 and self0';
};
const PORT = 'port (cu|fi|self)(\\d+)';

const grammar: Row[] = [
  { form: /^host \/ (name|domain) [A-Za-z0-9._-]+$/, single: (m) => m[1] ?? '' },
  { form: new RegExp(`^clock / server ${IP}$`), refuse: (m) => octets(m[1] ?? '') },
  { form: /^clock \/ (zone) \S+$/, single: () => 'zone' },
  { form: new RegExp(`^log / server ${IP}$`), refuse: (m) => octets(m[1] ?? '') },
  { form: /^account [a-z][a-z0-9._-]* \/ word (plain|sealed) \S+$/, single: () => 'word' },
  { form: /^account [a-z][a-z0-9._-]* \/ key [a-z0-9@.-]+ [A-Za-z0-9+/]+=*$/ },
  { form: new RegExp(`^${PORT} / note ".*"$`), single: () => 'note', refuse: port },
  { form: new RegExp(`^${PORT} / link (up|off)$`), single: () => 'link', refuse: port },
  {
    form: new RegExp(`^${PORT} / (?:vlan \\d+ / )?address ${IP}/\\d+$`),
    refuse: (m) => port(m) ?? octets(m[3] ?? ''),
  },
  {
    form: new RegExp(`^route ${IP}/\\d+ / by ${IP}$`),
    single: () => 'by',
    refuse: (m) => octets(m[1] ?? '') ?? octets(m[2] ?? ''),
  },
  { form: /^door \/ ssh (on|off)$/, single: () => 'ssh' },
  { form: /^door \/ bare (on|off)$/, single: () => 'bare' },
  { form: /^report \/ to \S+$/, single: () => 'to' },
];

export class Script {
  private top: ConfigLine[] = [];

  static from(text: string): Script {
    const script = new Script();
    script.top = parseBrackets(text);
    return script;
  }

  copy(): Script {
    return Script.from(this.print());
  }

  /** Why the line of a path is unfit, if it is. */
  write(path: readonly string[]): string | undefined {
    const text = path.join(' / ');
    for (const row of grammar) {
      const match = row.form.exec(text);
      if (!match) continue;
      const why = row.refuse?.(match);
      if (why !== undefined) return why;
      let level = this.top;
      for (const block of path.slice(0, -1)) {
        let node = level.find((one) => one.text === block);
        if (!node) level.push((node = { text: block, line: 0, children: [] }));
        level = node.children;
      }
      const line = path.at(-1) ?? '';
      const word = row.single?.(match);
      const before = word === undefined ? -1 : level.findIndex((one) => one.text.split(' ')[0] === word);
      const node = { text: line, line: 0, children: [] };
      if (before >= 0) level[before] = node;
      else if (!level.some((one) => one.text === line)) level.push(node);
      return undefined;
    }
    return `"${path.at(-1) ?? ''}" has no place here`;
  }

  /** Whether there was such a line. Blocks that are empty then go with it. */
  blot(path: readonly string[]): boolean {
    const away = (level: ConfigLine[], depth: number): boolean => {
      const at = level.findIndex((one) => one.text === path[depth]);
      const node = level[at];
      if (!node) return false;
      if (depth < path.length - 1) {
        if (!away(node.children, depth + 1)) return false;
        if (node.children.length > 0) return true;
      }
      level.splice(at, 1);
      return true;
    };
    return away(this.top, 0);
  }

  print(): string {
    const out: string[] = [];
    const write = (nodes: ConfigLine[], indent: string): void => {
      for (const { text, children } of nodes) {
        if (children.length === 0) out.push(`${indent}${text}`);
        else {
          out.push(`${indent}${text} [`);
          write(children, `${indent}  `);
          out.push(`${indent}]`);
        }
      }
    };
    write(this.top, '');
    return out.map((line) => `${line}\n`).join('');
  }

  /** Every line with the blocks that it stands in. */
  paths(): string[] {
    const out: string[] = [];
    const walk = (nodes: ConfigLine[], above: string): void => {
      for (const { text, children } of nodes) {
        if (children.length === 0) out.push(`${above}${text}`);
        else walk(children, `${above}${text} / `);
      }
    };
    walk(this.top, '');
    return out;
  }

  first(form: RegExp): string | undefined {
    for (const path of this.paths()) {
      const found = form.exec(path)?.[1];
      if (found !== undefined) return found;
    }
    return undefined;
  }
}
