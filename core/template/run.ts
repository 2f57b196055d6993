/** What one rendering carries along: data, bounds, and the files that it gathers with secret spans, parts, and a trace. */
import { utf8Length } from '../text/utf8.ts';
import { MOST_BYTES, MOST_ITEMS, MOST_SIGNS, MOST_STEPS } from './bounds.ts';
import type { Node } from './ast.ts';
import { faultAt, type SourcePlace, TemplateStop } from './faults.ts';
import type { Host } from './functions.ts';
import { MOST_DIGITS, tooManyDigits, type Num } from './decimal.ts';
import { Marked, SIGNS_A_STEP, type Piece, type Val } from './values.ts';

/** The values of a template's own names. */
export type Frame = Val[];

/** A part of a text by offsets: `[from, to)`, in UTF-16 units. */
export type Span = [from: number, to: number];

interface RenderedPart {
  name: string;
  owned: boolean;
  /** Beginnings of lines that are its own, even where it renders none; left out where none are named. */
  owns?: string[];
  from: number;
  to: number;
}

export interface RenderedFile {
  /** Empty for the main file of an edition. */
  name: string;
  text: string;
  /** What was made from secrets. */
  secrets: Span[];
  parts: RenderedPart[];
  /** One entry a line, when a trace was asked for. */
  trace?: LineTrace[];
}

/** Where a line of the output comes from. */
export interface LineTrace {
  template: string;
  line: number;
  /** The inserts on the way, outermost first. */
  inserts: { template: string; line: number; fragment: string }[];
  /** The loops around it, outermost first, with what they stood at. */
  loops: { name: string; value: string }[];
  /** Names of settings that its values come from. */
  settings: string[];
}

export interface RenderInput {
  data: Record<string, Val>;
  host: Omit<Host, 'spend'>;
  /** Secrets by name, for `secret("...")`. */
  secrets: Record<string, Val>;
  trace?: boolean;
}

/** Everything that one rendering carries along. */
export class Run implements Host {
  readonly data: Record<string, Val>;
  readonly secrets: Record<string, Val>;
  readonly traced: boolean;
  /** The directive or line at work: named when a bound is passed. */
  at: SourcePlace | undefined;
  frame: Frame = [];
  depth = 0;
  indent = '';
  readonly inserts: LineTrace['inserts'] = [];
  readonly loops: LineTrace['loops'] = [];
  readonly sha256: Host['sha256'];
  readonly sha512crypt: Host['sha512crypt'];
  private steps = 0;
  /** At least as many bytes as there are: three for every unit, until that comes near the bound. */
  private bytes = 0;
  private readonly files = new Map<string, FileWriter>();
  private file: FileWriter;

  constructor(input: RenderInput) {
    this.data = input.data;
    this.secrets = input.secrets;
    this.traced = input.trace ?? false;
    this.sha256 = input.host.sha256;
    this.sha512crypt = input.host.sha512crypt;
    this.file = new FileWriter('', this.traced);
    this.files.set('', this.file);
  }

  /** Counts the work; a function of its own, since it is handed on. */
  readonly spend = (steps: number): void => {
    this.steps += steps;
    if (this.steps > MOST_STEPS) this.stop('too-much', `the rendering takes more than ${MOST_STEPS} steps`);
  };

  /** Pays for a value that was made, and refuses one that is larger than values may be. */
  made<V extends Val>(value: V): V {
    const size =
      typeof value === 'string'
        ? value.length
        : value instanceof Marked
          ? value.pieces.reduce((sum, piece) => sum + piece.text.length, 0)
          : 0;
    if (size > 0) {
      if (size > SIGNS_A_STEP) this.spend(size / SIGNS_A_STEP);
      if (size > MOST_SIGNS) this.stop('too-large', 'a text is longer than 1 MiB');
    } else if (Array.isArray(value)) {
      this.spend(value.length);
      if (value.length > MOST_ITEMS) this.stop('too-large', `a list has more than ${MOST_ITEMS} items`);
    } else if (tooManyDigits(value as Num)) this.stop('too-large', `a number has more than ${MOST_DIGITS} digits`);
    return value;
  }

  stop(code: string, message: string, hint?: string, at = this.at): never {
    throw new TemplateStop(faultAt(at ?? { template: '', line: 1, column: 1, source: '' }, code, message, hint));
  }

  /** One line of a template; its values may hold further line ends. */
  emit(text: string, secrets: readonly Span[], at: SourcePlace, settings: readonly string[]): void {
    this.bytes += 3 * (text.length + (this.indent === '' ? 0 : this.indent.length * text.split('\n').length));
    if (this.bytes > MOST_BYTES) {
      this.bytes = this.size() + utf8Length(text);
      if (this.bytes > MOST_BYTES) this.stop('too-large', 'the output is larger than 1 MiB', undefined, at);
    }
    const origin: LineTrace | undefined = this.traced
      ? {
          template: at.template,
          line: at.line,
          inserts: [...this.inserts],
          loops: [...this.loops],
          settings: [...settings],
        }
      : undefined;
    this.file.write(text, secrets, this.indent, origin);
  }

  /** Plain text where nothing is traced and nothing indented. */
  put(text: string, at: SourcePlace): void {
    if (this.traced || this.indent !== '') return this.emit(text, [], at, []);
    this.bytes += 3 * text.length;
    if (this.bytes > MOST_BYTES) {
      this.bytes = this.size() + utf8Length(text);
      if (this.bytes > MOST_BYTES) this.stop('too-large', 'the output is larger than 1 MiB', undefined, at);
    }
    this.file.text += text;
  }

  private size(): number {
    let size = 0;
    for (const file of this.files.values()) size += utf8Length(file.text);
    return size;
  }

  /** Inserted text always ends with a line end. */
  endLine(): void {
    this.file.endLine();
  }

  part({ name, owned, owns, at }: Extract<Node, { kind: 'part' }>, body: () => void): void {
    const { file } = this;
    if (file.open) this.stop('nested', `part "${name}" begins inside part "${file.open}"`, undefined, at);
    if (file.parts.some((s) => s.name === name))
      this.stop('twice', `part "${name}" stands twice in this file`, undefined, at);
    const from = file.text.length;
    file.open = name;
    const entry: RenderedPart = { name, owned, ...(owns.length > 0 ? { owns } : {}), from, to: from };
    file.parts.push(entry);
    body();
    entry.to = file.text.length;
    file.open = undefined;
  }

  output(name: string, at: SourcePlace, body: () => void): void {
    if (!/^[A-Za-z0-9._-]{1,100}$/.test(name)) {
      this.stop('output-name', `"${name}" is not a file name`, 'letters, digits, ". _ -"', at);
    }
    if (this.file.name !== '') this.stop('nested', 'an @output inside another', undefined, at);
    if (this.files.has(name)) this.stop('twice', `there is a file "${name}" already`, undefined, at);
    const [outer, indent] = [this.file, this.indent];
    this.file = new FileWriter(name, this.traced);
    this.indent = '';
    this.files.set(name, this.file);
    body();
    [this.file, this.indent] = [outer, indent];
  }

  result(): RenderedFile[] {
    return [...this.files.values()].map((file) => file.result());
  }
}

class FileWriter {
  readonly name: string;
  text = '';
  open: string | undefined;
  readonly parts: RenderedPart[] = [];
  private readonly secrets: Span[] = [];
  private readonly trace: LineTrace[] | undefined;

  constructor(name: string, traced: boolean) {
    this.name = name;
    this.trace = traced ? [] : undefined;
  }

  write(text: string, secrets: readonly Span[], indent: string, origin: LineTrace | undefined): void {
    if (origin) for (let n = linesShown(text, secrets); n > 0; n -= 1) this.trace?.push(origin);
    const shift = this.text.length;
    if (indent === '') {
      for (const [from, to] of secrets) this.secrets.push([shift + from, shift + to]);
      this.text += text;
      return;
    }
    let at = 0;
    // A line that begins with a secret counts as one with something in it, whatever the secret is.
    const whole = reindented(text, secrets, (line) => {
      const filled = line !== '' || secrets.some(([from]) => from === at);
      at += line.length + 1;
      return filled ? indent : '';
    });
    for (const [from, to] of whole.secrets) this.secrets.push([shift + from, shift + to]);
    this.text += whole.text;
  }

  /** Inserted text ends with a line end; one that lies in a secret is none that anybody sees. */
  endLine(): void {
    const hidden = this.secrets.at(-1)?.[1] === this.text.length;
    if (hidden || (this.text !== '' && !this.text.endsWith('\n'))) this.text += '\n';
  }

  result(): RenderedFile {
    const { name, text, parts, trace } = this;
    return { name, text, secrets: joinSpans(this.secrets), parts, ...(trace ? { trace } : {}) };
  }
}

/** Spans that touch are one. Empty ones stay: what was made from a secret is masked, also where nothing is left of it. */
function joinSpans(spans: Span[]): Span[] {
  const out: Span[] = [];
  for (const [from, to] of spans) {
    const last = out.at(-1);
    if (last?.[1] === from) last[1] = to;
    else out.push([from, to]);
  }
  return out;
}

/** How many lines a text has for those who see its secrets masked: the line ends inside of them are masked, too. */
function linesShown(text: string, secrets: readonly Span[]): number {
  let count = 0;
  let at = 0;
  let open = false;
  const plain = (from: number, to: number): void => {
    for (let i = text.indexOf('\n', from); i >= 0 && i < to; i = text.indexOf('\n', i + 1)) count += 1;
    open = to > from ? text[to - 1] !== '\n' : open;
  };
  for (const [from, to] of secrets) {
    plain(at, from);
    open = true;
    at = to;
  }
  plain(at, text.length);
  return count + (open ? 1 : 0);
}

/** A text with something before each of its lines; a secret that goes over several lines stays one span. */
export function reindented(
  text: string,
  secrets: readonly Span[],
  before: (line: string, index: number) => string,
): { text: string; secrets: Span[] } {
  let out = '';
  let [at, next] = [0, 0];
  const bounds = secrets.flatMap(([from, to]) => [from, to]);
  const moved: number[] = [];
  for (const [i, line] of text.split('\n').entries()) {
    if (i > 0) out += '\n';
    out += before(line, i);
    const shift = out.length - at;
    for (; next < bounds.length && (bounds[next] ?? 0) <= at + line.length; next += 1)
      moved.push((bounds[next] ?? 0) + shift);
    out += line;
    at += line.length + 1;
  }
  return { text: out, secrets: secrets.map((_, i): Span => [moved[2 * i] ?? 0, moved[2 * i + 1] ?? 0]) };
}

/** Pieces as one text with the spans of its secrets. */
export function spansOf(pieces: readonly Piece[]): { text: string; secrets: Span[] } {
  let text = '';
  const secrets: Span[] = [];
  for (const piece of pieces) {
    if (piece.secret) secrets.push([text.length, text.length + piece.text.length]);
    text += piece.text;
  }
  return { text, secrets };
}
