/** What one rendering carries along: data, bounds, and the files that it gathers with secret spans, sections, and a trace. */
import { utf8Length } from '../text/utf8.ts';
import { faultAt, type Place, TemplateStop } from './faults.ts';
import { type Host } from './functions.ts';
import { type Piece, type Val } from './values.ts';

/** The values of a template's own names. */
export type Frame = Val[];

export const MOST_BYTES = 1024 * 1024;
export const MOST_STEPS = 1_000_000;
export const MOST_NESTED = 32;

/** A part of a text by offsets: `[from, to)`, in UTF-16 units. */
export type Span = [from: number, to: number];

export interface RenderedSection {
  name: string;
  owned: boolean;
  from: number;
  to: number;
}

export interface RenderedFile {
  /** Empty for the main file of an edition. */
  name: string;
  text: string;
  /** What was made from secrets. */
  secrets: Span[];
  sections: RenderedSection[];
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
  at: Place | undefined;
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

  spend(steps: number): void {
    this.steps += steps;
    if (this.steps > MOST_STEPS) this.stop('too-much', `the rendering takes more than ${MOST_STEPS} steps`);
  }

  stop(code: string, message: string, hint?: string, at = this.at): never {
    throw new TemplateStop(faultAt(at ?? { template: '', line: 1, column: 1, source: '' }, code, message, hint));
  }

  /** One line of a template; its values may hold further line ends. */
  emit(text: string, secrets: readonly Span[], at: Place, settings: readonly string[]): void {
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

  private size(): number {
    let size = 0;
    for (const file of this.files.values()) size += utf8Length(file.text);
    return size;
  }

  /** Inserted text always ends with a line end. */
  endLine(): void {
    this.file.endLine();
  }

  section(name: string, owned: boolean, at: Place, body: () => void): void {
    const { file } = this;
    if (file.open) this.stop('nested', `section "${name}" begins inside section "${file.open}"`, undefined, at);
    if (file.sections.some((s) => s.name === name))
      this.stop('twice', `section "${name}" stands twice in this file`, undefined, at);
    const from = file.text.length;
    file.open = name;
    const entry: RenderedSection = { name, owned, from, to: from };
    file.sections.push(entry);
    body();
    entry.to = file.text.length;
    file.open = undefined;
  }

  output(name: string, at: Place, body: () => void): void {
    if (!/^[A-Za-z0-9._-]{1,100}$/.test(name)) {
      this.stop('output-name', `"${name}" is no name of a file`, 'letters, digits, ". _ -"', at);
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
  readonly sections: RenderedSection[] = [];
  private readonly secrets: Span[] = [];
  private readonly trace: LineTrace[] | undefined;

  constructor(name: string, traced: boolean) {
    this.name = name;
    this.trace = traced ? [] : undefined;
  }

  write(text: string, secrets: readonly Span[], indent: string, origin: LineTrace | undefined): void {
    if (origin)
      for (let n = text.split('\n').length - (text.endsWith('\n') ? 1 : 0); n > 0; n -= 1) this.trace?.push(origin);
    if (indent === '') {
      for (const [from, to] of secrets) this.secrets.push([this.text.length + from, this.text.length + to]);
      this.text += text;
      return;
    }
    let at = 0;
    while (at < text.length) {
      const end = text.indexOf('\n', at);
      const next = end < 0 ? text.length : end + 1;
      if (end !== at) this.text += indent;
      const shift = this.text.length - at;
      for (const [from, to] of secrets) {
        if (to > at && from < next) this.secrets.push([shift + Math.max(from, at), shift + Math.min(to, next)]);
      }
      this.text += text.slice(at, next);
      at = next;
    }
  }

  endLine(): void {
    if (this.text !== '' && !this.text.endsWith('\n')) this.text += '\n';
  }

  result(): RenderedFile {
    const { name, text, sections, trace } = this;
    return { name, text, secrets: joinSpans(this.secrets), sections, ...(trace ? { trace } : {}) };
  }
}

function joinSpans(spans: Span[]): Span[] {
  const out: Span[] = [];
  for (const [from, to] of spans) {
    const last = out.at(-1);
    if (last?.[1] === from) last[1] = to;
    else if (to > from) out.push([from, to]);
  }
  return out;
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
