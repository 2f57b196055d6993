/** Reads a template line by line. Every fault is kept, and reading goes on behind it. */
import { nearest } from '../naming/names.ts';
import type { Expr, Node, Template } from './ast.ts';
import { closingBrace } from './braces.ts';
import { ExpressionReader, isFault } from './expressions.ts';
import { faultAt, type SourcePlace, type TemplateFault } from './faults.ts';

const keywords = ['remark', 'let', 'if', 'else', 'end', 'for', 'none', 'insert', 'part', 'output', 'require'];

/** Of blocks inside each other. */
const MOST_NESTED = 200;

interface Open {
  kind: 'if' | 'for' | 'part' | 'output';
  at: SourcePlace;
  /** Where lines go now. */
  body: Node[];
  node: Node;
  /** An @else without condition, or a @none, was met: no other branch may follow. */
  last: boolean;
}

export interface Parsed {
  template: Template;
  faults: TemplateFault[];
}

export function parseTemplate(name: string, source: string): Parsed {
  return new TemplateReader(name).read(source);
}

class TemplateReader {
  private readonly name: string;
  private readonly faults: TemplateFault[] = [];
  private readonly top: Node[] = [];
  private readonly open: Open[] = [];
  private readonly declared: Template['parts'] = [];
  private readonly inserts: string[] = [];

  constructor(name: string) {
    this.name = name;
  }

  read(source: string): Parsed {
    // Some editors put a mark before the first line: it is no part of it.
    const lines = source
      .replace(/^\ufeff/, '')
      .replaceAll('\r\n', '\n')
      .split('\n');
    // A line end at the very end begins no further line.
    const ended = lines.at(-1) === '';
    if (ended) lines.pop();
    for (const [i, line] of lines.entries()) {
      const base = { template: this.name, line: i + 1, source: line };
      try {
        this.line(line, base, ended || i < lines.length - 1);
      } catch (error) {
        if (!isFault(error)) throw error;
        this.faults.push(error.fault);
      }
    }
    for (const { kind, at } of this.open)
      this.faults.push(faultAt(at, 'unclosed', `this @${kind} is never closed`, '@end is missing'));
    this.faults.sort((a, b) => a.line - b.line || a.column - b.column);
    return {
      template: { name: this.name, body: this.top, parts: this.declared, inserts: this.inserts },
      faults: this.faults,
    };
  }

  private get body(): Node[] {
    return this.open.at(-1)?.body ?? this.top;
  }

  private line(line: string, base: Omit<SourcePlace, 'column'>, ended: boolean): void {
    const match = /^([ \t]*)@([A-Za-z]+)/.exec(line);
    if (!match) {
      this.body.push({ kind: 'line', at: { ...base, column: 1 }, parts: this.parts(line, base), ended });
      return;
    }
    const [, indent = '', word = ''] = match;
    const at: SourcePlace = { ...base, column: indent.length + 1 };
    if (!keywords.includes(word)) {
      const near = nearest(word, keywords);
      const hint = near
        ? `did you mean @${near}? A line that begins with @ as text is written @@${word}`
        : `as text it is written @@${word}`;
      this.faults.push(faultAt(at, 'directive-unknown', `there is no directive @${word}`, hint));
      return;
    }
    const reader = new ExpressionReader(line, word === 'remark' ? line.length : match[0].length, line.length, base);
    this.directive(word, reader, at, indent);
  }

  /** A line of text: literal parts and what stands between @{ and }. */
  private parts(line: string, base: Omit<SourcePlace, 'column'>): (string | Expr)[] {
    const parts: (string | Expr)[] = [];
    let text = '';
    for (let i = 0; i < line.length; i += 1) {
      if (line[i] !== '@') text += line[i];
      else if (line[i + 1] === '@') {
        text += '@';
        i += 1;
      } else if (line[i + 1] === '{') {
        const close = closingBrace(line, i + 2, line.length);
        if (close < 0) {
          this.faults.push(
            faultAt(
              { ...base, column: i + 1 },
              'unclosed',
              '"@{" is never closed on this line',
              'as text it is written @@{',
            ),
          );
          return parts;
        }
        if (text) parts.push(text);
        text = '';
        const reader = new ExpressionReader(line, i + 2, close, base);
        parts.push(reader.expression());
        reader.mustEnd();
        i = close;
      } else text += '@';
    }
    return text || parts.length === 0 ? [...parts, text] : parts;
  }

  private directive(word: string, r: ExpressionReader, at: SourcePlace, indent: string): void {
    switch (word) {
      case 'remark':
        return;
      case 'let': {
        const name = r.mustName();
        r.mustSign('=');
        const value = r.expression();
        r.mustEnd();
        this.body.push({ kind: 'let', at, name, value });
        return;
      }
      case 'if':
        return this.begin('if', at, () => {
          const condition = r.expression();
          r.mustEnd();
          const body: Node[] = [];
          return { node: { kind: 'if', at, arms: [{ condition, body }], otherwise: [] }, body };
        });
      case 'else':
        return this.otherwise(r, at);
      case 'for':
        return this.begin('for', at, () => this.loop(r, at));
      case 'none':
        return this.none(r, at);
      case 'part':
        return this.begin('part', at, () => {
          const name = r.mustFixedText();
          const owned = !r.takeWord('not');
          if (!owned) r.mustWord('owned');
          const owns: string[] = [];
          if (owned && r.takeWord('owns'))
            do owns.push(r.mustFixedText());
            while (r.takeSign(','));
          r.mustEnd();
          this.checkPart(name, at);
          this.checkOwns(owns, at);
          this.declared.push({ name, owned, owns });
          const body: Node[] = [];
          return { node: { kind: 'part', at, name, owned, owns, body }, body };
        });
      case 'output':
        return this.begin('output', at, () => {
          const name = r.expression();
          r.mustEnd();
          if (this.open.some((o) => o.kind === 'output'))
            this.faults.push(faultAt(at, 'nested', 'an @output inside another'));
          const body: Node[] = [];
          return { node: { kind: 'output', at, name, body }, body };
        });
      case 'insert':
        return this.insert(r, at, indent);
      case 'require': {
        const value = r.expression();
        r.mustSign(',');
        const message = r.expression();
        r.mustEnd();
        this.body.push({ kind: 'require', at, value, message });
        return;
      }
      default:
        return this.end(r, at);
    }
  }

  /** Opens a block. A faulty head opens it all the same, so that its @end has something to close. */
  private begin(kind: Open['kind'], at: SourcePlace, head: () => { node: Node; body: Node[] }): void {
    try {
      if (this.open.length === MOST_NESTED)
        this.faults.push(faultAt(at, 'too-deep', `blocks nest at most ${MOST_NESTED} levels`));
      if (this.open.length >= MOST_NESTED) {
        this.open.push({ kind, at, body: [], node: { kind: 'if', at, arms: [], otherwise: [] }, last: false });
        return;
      }
      const { node, body } = head();
      this.body.push(node);
      this.open.push({ kind, at, body, node, last: false });
    } catch (error) {
      if (!isFault(error)) throw error;
      this.faults.push(error.fault);
      this.open.push({ kind, at, body: [], node: { kind: 'if', at, arms: [], otherwise: [] }, last: false });
    }
  }

  private loop(r: ExpressionReader, at: SourcePlace): { node: Node; body: Node[] } {
    const first = r.mustName();
    const second = r.takeSign(',') ? r.mustName() : undefined;
    r.mustWord('of');
    const list = r.expression();
    const where = r.takeWord('where') ? r.expression() : undefined;
    const by: { key: Expr; down: boolean }[] = [];
    if (r.takeWord('by')) {
      do by.push({ key: r.expression(), down: r.takeWord('down') });
      while (r.takeSign(','));
    }
    r.mustEnd();
    const body: Node[] = [];
    const names = second === undefined ? { item: first } : { index: first, item: second };
    return { node: { kind: 'for', at, ...names, list, ...(where ? { where } : {}), by, body, none: [] }, body };
  }

  private otherwise(r: ExpressionReader, at: SourcePlace): void {
    const block = this.open.at(-1);
    const condition = r.atEnd() ? undefined : this.elseIf(r);
    if (block?.kind !== 'if' || block.last) {
      this.faults.push(faultAt(at, 'stray', block?.last ? 'an @else behind the last @else' : '@else stands in no @if'));
      return;
    }
    const body: Node[] = [];
    if (block.node.kind === 'if') {
      if (condition) block.node.arms.push({ condition, body });
      else block.node.otherwise = body;
    }
    block.last = condition === undefined;
    block.body = body;
  }

  private elseIf(r: ExpressionReader): Expr {
    const word = r.mustName();
    if (word !== 'if') r.stop('syntax', `"@else ${word}" means nothing`, 'write @else, or @else if');
    const condition = r.expression();
    r.mustEnd();
    return condition;
  }

  private none(r: ExpressionReader, at: SourcePlace): void {
    r.mustEnd();
    const block = this.open.at(-1);
    if (block?.kind !== 'for' || block.last) {
      this.faults.push(faultAt(at, 'stray', block?.last ? 'a second @none in this @for' : '@none stands in no @for'));
      return;
    }
    block.last = true;
    block.body = [];
    if (block.node.kind === 'for') block.node.none = block.body;
  }

  private checkPart(name: string, at: SourcePlace): void {
    if (this.open.some((o) => o.kind === 'part')) this.faults.push(faultAt(at, 'nested', 'a @part inside another'));
    if (this.declared.some((s) => s.name === name))
      this.faults.push(faultAt(at, 'twice', `there is a part "${name}" already`));
  }

  /** Of two beginnings one of which begins with the other, lines would have two owners. */
  private checkOwns(owns: readonly string[], at: SourcePlace): void {
    for (const beginning of owns) {
      if (beginning.trim() === '')
        this.faults.push(faultAt(at, 'syntax', 'a part cannot own lines that begin with nothing'));
      const other = this.declared.find((part) =>
        part.owns.some((one) => one.startsWith(beginning) || beginning.startsWith(one)),
      );
      if (other)
        this.faults.push(
          faultAt(at, 'two-owners', `lines that begin with "${beginning}" belong to part "${other.name}" already`),
        );
    }
  }

  private insert(r: ExpressionReader, at: SourcePlace, indent: string): void {
    const name = r.mustFixedText();
    const given: [string, Expr][] = [];
    if (r.takeWord('given')) {
      do {
        const field = r.mustName();
        r.mustSign('=');
        given.push([field, r.expression()]);
      } while (r.takeSign(','));
    }
    r.mustEnd();
    this.inserts.push(name);
    this.body.push({ kind: 'insert', at, name, indent, given });
  }

  /** @end, with or without the word that it closes. A wrong word is one fault and closes the innermost block. */
  private end(r: ExpressionReader, at: SourcePlace): void {
    const block = this.open.pop();
    const word = /@end\s+(\S+)/.exec(at.source)?.[1];
    if (!block) this.faults.push(faultAt(at, 'stray', '@end closes nothing'));
    else if (word !== undefined && word !== block.kind) {
      this.faults.push(
        faultAt(
          at,
          'end-word',
          `@end ${word} closes the @${block.kind} of line ${block.at.line}`,
          `write @end or @end ${block.kind}`,
        ),
      );
    } else if (word !== undefined) {
      r.mustName();
      r.mustEnd();
    }
  }
}
