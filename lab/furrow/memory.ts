/** The running configuration of a Furrow switch: takes lines, prints itself, lets go of lines. */
import { parseIndented } from '@zpine/core/config/tree';
import { isNeedless, ownOrder, ownSpelling } from './spelling.ts';
import { grammar, type GrammarRow, type Hardware } from './grammar.ts';

interface Entry {
  text: string;
  row: GrammarRow;
  below: Entry[];
}

export interface Rejected {
  line: string;
  why: string;
}

export class Memory {
  private top: Entry[] = [];
  private readonly hardware: Hardware;

  private readonly hasOwnSpelling: () => boolean;

  constructor(hardware: Hardware, hasOwnSpelling = () => false) {
    this.hardware = hardware;
    this.hasOwnSpelling = hasOwnSpelling;
  }

  clear(): void {
    this.top = [];
  }

  /** Takes one line in the block that `way` leads to; gives the block that follows, or why it is turned down. */
  take(way: string[], line: string): { way: string[] } | { why: string } {
    const block = this.find(way);
    const place = way.length === 0 ? '' : (block?.row.opens ?? '');
    const entries = way.length === 0 ? this.top : block?.below;
    if (!entries) return { why: 'there is no such block' };
    for (const row of grammar[place] ?? []) {
      const match = row.form.exec(line);
      if (!match) continue;
      const why = row.refuse?.(match, this.hardware);
      if (why !== undefined) return { why };
      if (row.repeats || !entries.some((e) => e.text === line)) {
        const before = row.single === undefined ? -1 : entries.findIndex((e) => e.row.single === row.single);
        const entry: Entry = { text: line, row, below: [] };
        if (before >= 0) entries[before] = entry;
        else entries.push(entry);
      }
      return { way: row.opens === undefined ? way : [...way, line] };
    }
    return { why: 'not understood' };
  }

  /** Lets go of a line, with what stands below it. */
  strike(way: string[], line: string): boolean {
    const entries = way.length === 0 ? this.top : this.find(way)?.below;
    const written = (text: string) => (this.hasOwnSpelling() ? ownSpelling(text) : text);
    const at = entries?.findIndex((e) => e.text === line || written(e.text) === line) ?? -1;
    if (!entries || at < 0) return false;
    entries.splice(at, 1);
    return true;
  }

  /** Takes a whole file, line by line: what is turned down is left out, the rest takes effect. */
  load(text: string, turnDown: (line: string) => string | undefined = () => undefined): Rejected[] {
    const rejected: Rejected[] = [];
    const walk = (nodes: ReturnType<typeof parseIndented>, way: string[]): void => {
      for (const node of nodes) {
        const forced = turnDown(node.text);
        const taken = forced === undefined ? this.take(way, node.text) : { why: forced };
        if ('why' in taken) {
          rejected.push({ line: node.text, why: taken.why });
          continue;
        }
        if (node.children.length === 0) continue;
        if (taken.way.length > way.length) walk(node.children, taken.way);
        else
          for (const child of node.children) rejected.push({ line: child.text, why: `"${node.text}" begins no block` });
      }
    };
    walk(parseIndented(text), []);
    return rejected;
  }

  print(): string {
    const out: string[] = [];
    const own = this.hasOwnSpelling();
    const write = (entries: Entry[], indent: string): void => {
      const told = own
        ? entries.filter(({ text }) => !isNeedless(text)).sort((a, b) => ownOrder(a.text, b.text))
        : entries;
      for (const { text, below } of told) {
        out.push(indent + (own ? ownSpelling(text) : text));
        write(below, `${indent}  `);
      }
    };
    write(this.top, '');
    return out.map((line) => `${line}\n`).join('');
  }

  /** The lines below blocks that begin so. */
  below(head: RegExp): { head: RegExpExecArray; lines: string[] }[] {
    return this.top.flatMap((entry) => {
      const match = head.exec(entry.text);
      return match ? [{ head: match, lines: entry.below.map((e) => e.text) }] : [];
    });
  }

  all(form: RegExp): string[] {
    return this.top.flatMap((entry) => form.exec(entry.text)?.[1] ?? []);
  }

  first(form: RegExp): string | undefined {
    for (const entry of this.top) {
      const found = form.exec(entry.text)?.[1];
      if (found !== undefined) return found;
    }
    return undefined;
  }

  private find(way: string[]): Entry | undefined {
    let entries = this.top;
    let found: Entry | undefined;
    for (const step of way) {
      found = entries.find((e) => e.text === step);
      if (!found) return undefined;
      entries = found.below;
    }
    return found;
  }
}
