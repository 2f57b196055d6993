/** Reads expressions. Precedence, tightest first: postfix, ??, unary minus, * / %, + -, comparisons and in, not, and, or, ?: */
import type { BinaryOp, Expr } from './ast.ts';
import { closingBrace } from './braces.ts';
import { MOST_DIGITS, parseNum } from './decimal.ts';
import { faultAt, type SourcePlace, type TemplateFault, TemplateStop } from './faults.ts';

type Token = { kind: 'number' | 'name' | 'word' | 'sign' | 'single' | 'double' | 'end'; text: string; at: number };

const words = new Set([
  'true',
  'false',
  'null',
  'and',
  'or',
  'not',
  'in',
  'where',
  'by',
  'down',
  'of',
  'given',
  'owned',
  'owns',
]);
const signs = [
  '??',
  '?.',
  '==',
  '!=',
  '<=',
  '>=',
  '+',
  '-',
  '*',
  '/',
  '%',
  '<',
  '>',
  '?',
  ':',
  '.',
  ',',
  '(',
  ')',
  '[',
  ']',
  '{',
  '}',
  '=',
];
const MOST_NESTED = 200;
const NUMBER = /[0-9]+(\.[0-9]+)?/y;
const NAME = /[A-Za-z_][A-Za-z0-9_]*/y;

export class ExpressionReader {
  private readonly source: string;
  private readonly base: Omit<SourcePlace, 'column'>;
  private at: number;
  private readonly end: number;
  private token: Token;
  private depth = 0;

  /** Reads inside `source` from `from` to `to`; places are columns of the whole line. */
  constructor(source: string, from: number, to: number, base: Omit<SourcePlace, 'column'>) {
    this.source = source;
    this.base = base;
    this.at = from;
    this.end = to;
    this.token = this.scan();
  }

  place(at = this.token.at): SourcePlace {
    return { ...this.base, column: at + 1 };
  }

  stop(code: string, message: string, hint?: string, at = this.token.at): never {
    throw new TemplateStop(faultAt(this.place(at), code, message, hint));
  }

  /** Where the next token begins. */
  get position(): number {
    return this.token.at;
  }

  atEnd(): boolean {
    return this.token.kind === 'end';
  }

  mustEnd(): void {
    if (!this.atEnd()) this.stop('syntax', `"${this.token.text}" does not belong here`);
  }

  takeWord(word: string): boolean {
    if (this.token.kind !== 'word' || this.token.text !== word) return false;
    this.next();
    return true;
  }

  takeSign(sign: string): boolean {
    if (this.token.kind !== 'sign' || this.token.text !== sign) return false;
    this.next();
    return true;
  }

  mustSign(sign: string): void {
    if (!this.takeSign(sign)) this.stop('syntax', `"${sign}" is expected here, not ${this.shown()}`);
  }

  mustWord(word: string): void {
    if (!this.takeWord(word)) this.stop('syntax', `"${word}" is expected here, not ${this.shown()}`);
  }

  mustName(): string {
    if (this.token.kind !== 'name') this.stop('syntax', `a name is expected here, not ${this.shown()}`);
    const { text } = this.token;
    this.next();
    return text;
  }

  /** A quoted text without anything to compute in it. */
  mustFixedText(): string {
    const expr = this.primary();
    if (expr.kind === 'literal' && typeof expr.value === 'string') return expr.value;
    this.stop('syntax', 'a fixed text in quotes is expected here', undefined, expr.at.column - 1);
  }

  private shown(): string {
    return this.token.kind === 'end' ? 'the end of the line' : `"${this.token.text}"`;
  }

  expression(): Expr {
    this.depth += 1;
    if (this.depth > MOST_NESTED) this.stop('too-deep', `expressions nest at most ${MOST_NESTED} levels`);
    const at = this.place();
    const condition = this.either();
    let expr = condition;
    if (this.takeSign('?')) {
      const yes = this.expression();
      this.mustSign(':');
      expr = { kind: 'choice', at, condition, yes, no: this.expression() };
    }
    this.depth -= 1;
    return expr;
  }

  /** Links of a chain lie inside each other, the first one deepest. */
  private link(count: number): number {
    if (count >= MOST_NESTED)
      this.stop('too-deep', `a chain has at most ${MOST_NESTED} links`, 'take it apart with @let');
    return count + 1;
  }

  private either(): Expr {
    let left = this.both();
    for (let n = 0; this.takeWord('or'); n = this.link(n))
      left = { kind: 'binary', op: 'or', at: left.at, left, right: this.both() };
    return left;
  }

  private both(): Expr {
    let left = this.negation();
    for (let n = 0; this.takeWord('and'); n = this.link(n))
      left = { kind: 'binary', op: 'and', at: left.at, left, right: this.negation() };
    return left;
  }

  private negation(): Expr {
    const at = this.place();
    if (!this.takeWord('not')) return this.comparison();
    this.depth += 1;
    if (this.depth > MOST_NESTED) this.stop('too-deep', `expressions nest at most ${MOST_NESTED} levels`);
    const of = this.negation();
    this.depth -= 1;
    return { kind: 'unary', op: 'not', at, of };
  }

  private comparisonOp(): BinaryOp | undefined {
    for (const op of ['==', '!=', '<=', '>=', '<', '>'] as const) if (this.takeSign(op)) return op;
    if (this.takeWord('in')) return 'in';
    if (
      this.token.kind === 'word' &&
      this.token.text === 'not' &&
      /^not\s+in\b/.test(this.source.slice(this.token.at, this.end))
    ) {
      this.next();
      this.next();
      return 'not in';
    }
    return undefined;
  }

  private comparison(): Expr {
    const left = this.sum();
    const at = this.place();
    const op = this.comparisonOp();
    if (!op) return left;
    const expr: Expr = { kind: 'binary', op, at, left, right: this.sum() };
    const again = this.token.at;
    if (this.comparisonOp()) this.stop('chained', 'comparisons cannot be chained', 'join them with "and"', again);
    return expr;
  }

  private sum(): Expr {
    let left = this.product();
    for (let n = 0; ; n = this.link(n)) {
      const at = this.place();
      const op = this.takeSign('+') ? '+' : this.takeSign('-') ? '-' : undefined;
      if (!op) return left;
      left = { kind: 'binary', op, at, left, right: this.product() };
    }
  }

  private product(): Expr {
    let left = this.signed();
    for (let n = 0; ; n = this.link(n)) {
      const at = this.place();
      const op = this.takeSign('*') ? '*' : this.takeSign('/') ? '/' : this.takeSign('%') ? '%' : undefined;
      if (!op) return left;
      left = { kind: 'binary', op, at, left, right: this.signed() };
    }
  }

  private signed(): Expr {
    const at = this.place();
    if (!this.takeSign('-')) return this.fallback();
    this.depth += 1;
    if (this.depth > MOST_NESTED) this.stop('too-deep', `expressions nest at most ${MOST_NESTED} levels`);
    const of = this.signed();
    this.depth -= 1;
    return { kind: 'unary', op: '-', at, of };
  }

  private fallback(): Expr {
    let left = this.postfix();
    for (let n = 0; ; n = this.link(n)) {
      const at = this.place();
      if (!this.takeSign('??')) return left;
      const signAt = this.place();
      const right: Expr = this.takeSign('-')
        ? { kind: 'unary', op: '-', at: signAt, of: this.postfix() }
        : this.postfix();
      left = { kind: 'fallback', at, left, right };
    }
  }

  private postfix(): Expr {
    let expr = this.primary();
    for (let n = 0; ; n = this.link(n)) {
      const at = this.place();
      if (this.takeSign('.') || this.takeSign('?.')) {
        const guarded = this.source[at.column - 1] === '?';
        const nameAt = this.place();
        // A keyword is a name behind a point.
        if (this.token.kind !== 'name' && this.token.kind !== 'word')
          this.stop('syntax', `a name is expected here, not ${this.shown()}`);
        const name = this.token.text;
        this.next();
        expr = { kind: 'member', at: nameAt, of: expr, name, guarded };
      } else if (this.takeSign('[')) {
        const index = this.expression();
        this.mustSign(']');
        expr = { kind: 'index', at, of: expr, index };
      } else return expr;
    }
  }

  private primary(): Expr {
    const at = this.place();
    const { kind, text } = this.token;
    if (kind === 'number') {
      this.next();
      return { kind: 'literal', at, value: parseNum(text) ?? 0 };
    }
    if (kind === 'single' || kind === 'double') return this.quoted();
    if (kind === 'word' && (text === 'true' || text === 'false' || text === 'null')) {
      this.next();
      return { kind: 'literal', at, value: text === 'null' ? null : text === 'true' };
    }
    if (kind === 'name') {
      this.next();
      return this.takeSign('(')
        ? { kind: 'call', at, name: text, args: this.items(')') }
        : { kind: 'name', at, name: text };
    }
    if (this.takeSign('(')) {
      const inner = this.expression();
      this.mustSign(')');
      return inner;
    }
    if (this.takeSign('[')) return { kind: 'list', at, items: this.items(']') };
    if (this.takeSign('{')) return { kind: 'map', at, entries: this.entries() };
    return this.stop('syntax', `a value is expected here, not ${this.shown()}`);
  }

  private items(close: string): Expr[] {
    const items: Expr[] = [];
    while (!this.takeSign(close)) {
      if (items.length > 0) this.mustSign(',');
      items.push(this.expression());
    }
    return items;
  }

  private entries(): [string, Expr][] {
    const entries: [string, Expr][] = [];
    const seen = new Set<string>();
    while (!this.takeSign('}')) {
      if (entries.length > 0) this.mustSign(',');
      const name = this.token.kind === 'name' || this.token.kind === 'word' ? this.token.text : undefined;
      const at = this.token.at;
      if (name !== undefined) this.next();
      const key = name ?? this.mustFixedText();
      if (seen.has(key)) this.stop('twice', `"${key}" stands twice in this map`, undefined, at);
      seen.add(key);
      this.mustSign(':');
      entries.push([key, this.expression()]);
    }
    return entries;
  }

  /** A quoted text; `"` interpolates. The token holds the opening quote only: what follows is read here. */
  private quoted(): Expr {
    const at = this.place();
    const quote = this.token.kind === 'double' ? '"' : "'";
    const start = this.token.at;
    const parts: (string | Expr)[] = [];
    let text = '';
    let i = start + 1;
    for (;;) {
      const sign = this.source[i];
      if (i >= this.end || sign === undefined)
        this.stop('unclosed', 'this text is never closed', `${quote} is missing`, start);
      if (sign === quote) break;
      if (sign === '\\') {
        const escape = this.source[i + 1] ?? '';
        const known: Record<string, string> =
          quote === '"' ? { n: '\n', t: '\t', '\\': '\\', '"': '"' } : { '\\': '\\', "'": "'" };
        const meant = known[escape];
        if (meant === undefined)
          this.stop('escape', `"\\${escape}" means nothing here`, `a backslash is written \\\\`, i);
        text += meant;
        i += 2;
      } else if (quote === '"' && sign === '@' && this.source[i + 1] === '@') {
        text += '@';
        i += 2;
      } else if (quote === '"' && sign === '@' && this.source[i + 1] === '{') {
        const close = closingBrace(this.source, i + 2, this.end);
        if (close < 0) this.stop('unclosed', '"@{" is never closed on this line', undefined, i);
        if (text) parts.push(text);
        text = '';
        const inner = new ExpressionReader(this.source, i + 2, close, this.base);
        inner.depth = this.depth + 1;
        parts.push(inner.expression());
        inner.mustEnd();
        i = close + 1;
      } else {
        text += sign;
        i += 1;
      }
    }
    this.at = i + 1;
    this.next();
    if (parts.length === 0) return { kind: 'literal', at, value: text };
    return { kind: 'text', at, parts: text ? [...parts, text] : parts };
  }

  private next(): void {
    this.token = this.scan();
  }

  private scan(): Token {
    while (this.at < this.end && /\s/.test(this.source[this.at] ?? '')) this.at += 1;
    const at = this.at;
    if (at >= this.end) return { kind: 'end', text: '', at };
    const number = this.found(NUMBER);
    if (number && number.length > MOST_DIGITS + 1)
      throw new TemplateStop(faultAt(this.place(at), 'too-large', `a number has at most ${MOST_DIGITS} digits`));
    if (number) return this.take('number', number);
    const name = this.found(NAME);
    if (name) return this.take(words.has(name) ? 'word' : 'name', name);
    const first = this.source[at] ?? '';
    if (first === '"' || first === "'") return { kind: first === '"' ? 'double' : 'single', text: first, at };
    const sign = signs.find((s) => this.source.startsWith(s, at));
    if (sign) return this.take('sign', sign);
    throw new TemplateStop(faultAt(this.place(at), 'syntax', `"${first}" means nothing here`));
  }

  /** What a sticky pattern finds where reading stands; nothing of the line is copied for it. */
  private found(pattern: RegExp): string | undefined {
    pattern.lastIndex = this.at;
    return pattern.exec(this.source)?.[0].slice(0, this.end - this.at);
  }

  private take(kind: Token['kind'], text: string): Token {
    const token = { kind, text, at: this.at };
    this.at += text.length;
    return token;
  }
}

export const isFault = (error: unknown): error is TemplateStop & { fault: TemplateFault } =>
  error instanceof TemplateStop;
