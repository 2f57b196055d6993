/**
 * The selection expression: `site=ard duty=access stage!=retired name=ske-*`. Tests beside one another must all hold; `or`,
 * `not` and brackets join them otherwise. One parser for the command line, the API and the console.
 */
import { fail, ok, type Parsed } from '../fault.ts';

export const operators = ['=', '!=', '<=', '>=', '<', '>'] as const;
export type Operator = (typeof operators)[number];

export interface WhereValue {
  text: string;
  /** Stars in quotes are stars. */
  quoted: boolean;
  /** From 1. */
  at: number;
}

export type Where =
  | { kind: 'and' | 'or'; of: Where[] }
  | { kind: 'not'; of: Where }
  | { kind: 'test'; field: string; op: Operator; values: WhereValue[]; at: number };

interface Token {
  kind: 'word' | 'quoted' | 'op' | 'comma' | 'open' | 'close' | 'end';
  text: string;
  at: number;
}

export type WhereFault = 'where-syntax';

class Stop extends Error {
  readonly at: number;
  constructor(at: number, words: string) {
    super(words);
    this.at = at;
  }
}

function tokens(text: string): Token[] {
  const out: Token[] = [];
  let at = 0;
  const push = (kind: Token['kind'], length: number, held = text.slice(at, at + length)) => {
    out.push({ kind, text: held, at: at + 1 });
    at += length;
  };
  while (at < text.length) {
    const rest = text.slice(at);
    const blank = /^\s+/.exec(rest)?.[0].length;
    const op = operators.find((o) => rest.startsWith(o));
    if (blank) at += blank;
    else if (op) push('op', op.length);
    else if (rest.startsWith(',')) push('comma', 1);
    else if (rest.startsWith('(')) push('open', 1);
    else if (rest.startsWith(')')) push('close', 1);
    else if (rest.startsWith('"') || rest.startsWith("'")) {
      const end = rest.indexOf(rest[0] ?? '', 1);
      if (end < 0) throw new Stop(at + 1, 'this quote is never closed');
      push('quoted', end + 1, rest.slice(1, end));
    } else push('word', /^[^\s,()=!<>"']+|^./.exec(rest)?.[0].length ?? 1);
  }
  out.push({ kind: 'end', text: '', at: text.length + 1 });
  return out;
}

class Reader {
  private readonly all: Token[];
  private next = 0;

  constructor(text: string) {
    this.all = tokens(text);
  }

  read(): Where {
    const where = this.either(0);
    const { kind, text, at } = this.here;
    if (kind !== 'end') throw new Stop(at, `"${text}" does not belong here`);
    return where;
  }

  private get here(): Token {
    return this.all[this.next] ?? { kind: 'end', text: '', at: 0 };
  }

  private isWord(word: string): boolean {
    return this.here.kind === 'word' && this.here.text.toLowerCase() === word;
  }

  private take(): Token {
    const token = this.here;
    this.next += 1;
    return token;
  }

  private either(depth: number): Where {
    if (depth > 50) throw new Stop(this.here.at, 'brackets nest at most 50 deep');
    const of = [this.both(depth)];
    while (this.isWord('or')) {
      this.take();
      of.push(this.both(depth));
    }
    return of.length === 1 && of[0] ? of[0] : { kind: 'or', of };
  }

  private both(depth: number): Where {
    const of = [this.one(depth)];
    while (this.here.kind !== 'end' && this.here.kind !== 'close' && !this.isWord('or')) {
      if (this.isWord('and')) this.take();
      of.push(this.one(depth));
    }
    return of.length === 1 && of[0] ? of[0] : { kind: 'and', of };
  }

  private one(depth: number): Where {
    if (this.isWord('not')) {
      this.take();
      return { kind: 'not', of: this.one(depth + 1) };
    }
    if (this.here.kind === 'open') {
      this.take();
      const inner = this.either(depth + 1);
      const end = this.take();
      if (end.kind !== 'close') throw new Stop(end.at, '")" is missing');
      return inner;
    }
    return this.test();
  }

  private test(): Where {
    const field = this.take();
    if (field.kind !== 'word')
      throw new Stop(
        field.at,
        field.kind === 'end' ? 'a test is missing here: FIELD=VALUE' : `"${field.text}" is not a field`,
      );
    const op = this.take();
    if (op.kind !== 'op') throw new Stop(op.at, `behind "${field.text}" one of ${operators.join(' ')} is expected`);
    const values = [this.value()];
    while (this.here.kind === 'comma') {
      this.take();
      values.push(this.value());
    }
    if (values.length > 1 && op.text !== '=' && op.text !== '!=') throw new Stop(op.at, `"${op.text}" takes one value`);
    return { kind: 'test', field: field.text, op: op.text as Operator, values, at: field.at };
  }

  private value(): WhereValue {
    const { kind, text, at } = this.take();
    if (kind !== 'word' && kind !== 'quoted') throw new Stop(at, 'a value is missing here');
    return { text, quoted: kind === 'quoted', at };
  }
}

const MOST_SIGNS = 2000;

export function parseWhere(text: string): Parsed<Where, WhereFault> {
  if (text.length > MOST_SIGNS)
    return fail('where-syntax', { text: `${text.slice(0, 20)}…`, at: 1, words: `at most ${MOST_SIGNS} signs` });
  try {
    return ok(new Reader(text).read());
  } catch (error) {
    if (!(error instanceof Stop)) throw error;
    return fail('where-syntax', { text, at: error.at, words: error.message });
  }
}
