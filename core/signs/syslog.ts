/**
 * Log lines over the network: RFC 5424, and what was sent before it (RFC 3164, which describes and binds nobody).
 *
 *   <PRI>1 TIMESTAMP HOSTNAME APP-NAME PROCID MSGID STRUCTURED-DATA [MSG]
 *   <PRI>Mmm dd hh:mm:ss HOSTNAME TAG: MSG
 */
export interface LogLine {
  /** 0 emergency to 7 debug; null where it says none. */
  severity: number | null;
  facility: number | null;
  host: string | null;
  /** Which program says it. */
  app: string | null;
  /** When, as the line has it. */
  time: string | null;
  text: string;
}

export const severities = ['emergency', 'alert', 'critical', 'error', 'warning', 'notice', 'info', 'debug'] as const;

/** RFC 5424, section 6: what may stand in the head, and `-` for what is not known. */
const NEW = /^1 (\S{1,64}) (\S{1,255}) (\S{1,48}) (\S{1,128}) (\S{1,32}) (-|\[)/;
const OLD = /^([A-Z][a-z]{2} [ 0-9]\d \d\d:\d\d:\d\d) (\S{1,255}) (.*)$/s;
/** A tag is at most 32 signs, and ends before what is none of its letters (RFC 3164, section 4.1.3). */
const TAG = /^([A-Za-z0-9_./-]{1,48})(?:\[\d+\])?: ?(.*)$/s;

const known = (word: string | undefined): string | null => (word === undefined || word === '-' ? null : word);

/** Whatever comes is a line: what is not understood is its text. Control characters become blanks. */
export function readLogLine(raw: string): LogLine {
  const [, pri, rest = raw] = /^<(0|[1-9]\d{0,2})>(.*)$/s.exec(raw) ?? [];
  const value = pri !== undefined && Number(pri) <= 191 ? Number(pri) : null;
  const line = value === null ? raw : rest;
  const head = { severity: value === null ? null : value & 7, facility: value === null ? null : value >> 3 };
  const found = value === null ? null : NEW.exec(line);
  if (found) {
    const [whole, time, host, app] = found;
    const text = behindData(line, whole.length - 1);
    return { ...head, time: known(time), host: known(host), app: known(app), text: clean(text) };
  }
  const [, time, host, said] = OLD.exec(line) ?? [];
  if (said === undefined) return { ...head, time: null, host: null, app: null, text: clean(line) };
  const [, app, text] = TAG.exec(said) ?? [];
  return { ...head, time: known(time), host: known(host), app: known(app), text: clean(text ?? said) };
}

/** What follows the structured data: elements in brackets, in whose values `"`, `\` and `]` stand behind a `\` (6.3.3). */
function behindData(line: string, from: number): string {
  let at = from;
  if (line[at] === '-') at += 1;
  else
    while (line[at] === '[') {
      let quoted = false;
      for (at += 1; at < line.length && (quoted || line[at] !== ']'); at += 1) {
        if (quoted && line[at] === '\\') at += 1;
        else if (line[at] === '"') quoted = !quoted;
      }
      at += 1;
    }
  const text = line.slice(at).replace(/^ /, '');
  // A byte order mark says that it is UTF-8 (6.4).
  return text.startsWith('\u{feff}') ? text.slice(1) : text;
}

const clean = (text: string): string => text.replace(/[\u0000-\u001f\u007f-\u009f]+/g, ' ').trim();

/** Lines within a stream: counted (`83 <34>1 …`) or ended by LF (RFC 6587, section 3.4). */
export class LogStream {
  private held = '';
  /** The rest of one that is longer than is taken. */
  private skipping = false;
  private readonly most: number;

  /** `most`: signs of one line; what is beyond is left out. */
  constructor(most: number) {
    this.most = most;
  }

  push(text: string): string[] {
    this.held += text;
    const out: string[] = [];
    for (;;) {
      if (this.skipping) {
        const end = this.held.indexOf('\n');
        if (end < 0) {
          this.held = '';
          return out;
        }
        this.held = this.held.slice(end + 1);
        this.skipping = false;
      }
      const [head = '', count] = /^([1-9]\d{0,5}) (?=<)/.exec(this.held) ?? [];
      const length = count === undefined ? undefined : Number(count);
      if (length !== undefined && length <= this.most) {
        if (this.held.length < head.length + length) return out;
        out.push(this.held.slice(head.length, head.length + length));
        this.held = this.held.slice(head.length + length).replace(/^\r?\n/, '');
        continue;
      }
      const end = this.held.indexOf('\n');
      if (end < 0 && this.held.length <= this.most) return out;
      const line = this.held.slice(0, end < 0 ? this.most : Math.min(end, this.most)).replace(/\r$/, '');
      if (line !== '') out.push(line);
      this.skipping = end < 0;
      this.held = end < 0 ? '' : this.held.slice(end + 1);
    }
  }
}
