/**
 * What is said at the prompt of a device, as an engine without I/O: it is given what came and the time, and says what is
 * to be sent, when it wants to be woken, and how the command ended. The words come from the dialect's sheet.
 */
import type { Dialect } from '../dialect/dialect.ts';
import { compilePattern, type Pattern } from '../text/pattern.ts';
import { Gathered } from './gathered.ts';

export type Answer = {
  text: string;
  /** The device's own words, where it did not take the command. */
  refused: string | undefined;
  /** Only the beginning was read. */
  cut: boolean;
};

export type TerminalLimits = { answerMs: number; mostBytes: number };

export type TerminalStep = {
  send?: string;
  /** When it wants to hear of the time again, unless something comes before; ms, by the caller's clock. */
  wakeAt?: number;
  /** Of a command, or of nothing where only a prompt was waited for. */
  ended?: Answer;
  failed?: string;
  /** The device is not listened to any more. */
  hangUp?: boolean;
};

/** So much is listened to behind what is kept of an answer, for the prompt at its end. */
const MOST_BEYOND = 4 * 1024 * 1024;
/** A prompt that was not seen before must stand for so long: it may be the middle of a line of the answer. */
export const NEW_PROMPT_MS = 40;
/** As much of what came last is looked at for a prompt. */
const TAIL = 600;

// Escape sequences of terminals (ECMA-48): colours, cursor moves, titles.
const escapes = /\u001b(?:\[[0-9;?]*[A-Za-z]|\][^\u0007]*\u0007|[()][A-Z0-9]|[=>])/g;

/** The line that is being written: what stands behind the last line break. */
/** What stands behind the last line break, without the signs that only move a cursor. */
export const lastLineOf = (tail: string): string =>
  tail.slice(Math.max(tail.lastIndexOf('\n'), tail.lastIndexOf('\r')) + 1).replace(escapes, '');

/** What is waited for: a prompt, or the question for the second password. */
type Wait = {
  command: string;
  since: number;
  until: number;
  limitMs: number;
  raising: boolean;
  asks: readonly Asked[];
  /** The device may end the session: that is how it does what it was told. */
  mayEnd: boolean;
};

/** A question that a device puts back, and what is typed then. */
type Asked = { pattern: Pattern; reply: string };

export class Terminal {
  /** More rights were asked for and given. */
  raised = false;
  private readonly dialect: Dialect;
  private readonly limits: TerminalLimits;
  private readonly more: Pattern | undefined;
  private readonly prompts = new Set<string>();
  private heard: Gathered;
  private tail = '';
  private wait: Wait | undefined;
  /** A line that looks like a prompt and was not seen before, and since when it stands. */
  private fresh: { line: string; at: number } | undefined;
  private over: string | undefined;
  private turned = false;
  /** Bytes behind those that are kept of an answer. */
  private beyond = 0;

  constructor(dialect: Dialect, limits: TerminalLimits) {
    this.dialect = dialect;
    this.limits = limits;
    const { more } = dialect.sheet.paging;
    this.more = more === undefined ? undefined : compilePattern(more);
    this.heard = new Gathered(limits.mostBytes);
  }

  /** The first prompt is waited for. */
  begin(now: number): TerminalStep {
    return this.expect('', now);
  }

  run(command: string, now: number): TerminalStep {
    this.listen();
    return { send: `${command}\n`, ...this.expect(command, now) };
  }

  /** Asks for more rights, where the dialect has a way to. */
  raise(second: string, now: number): TerminalStep {
    const { raise } = this.dialect.sheet;
    if (!raise || this.hasRights()) {
      this.raised = raise !== undefined;
      return { ended: { text: '', refused: undefined, cut: false } };
    }
    this.listen();
    const asks = [{ pattern: compilePattern(raise.ask), reply: second }];
    return { send: `${raise.command}\n`, ...this.expect(raise.command, now, { raising: true, asks }) };
  }

  /**
   * A command that asks something back, each question once; the session may end with it, which is no failure.
   *
   * @param answers patterns of what the device has written when it asks, with what is typed then
   */
  /** `limitMs`: how long it may take, where that is not as long as any other. */
  ask(
    command: string,
    answers: readonly { ask: string; say: string }[],
    now: number,
    limitMs: number = this.limits.answerMs,
  ): TerminalStep {
    this.listen();
    const asks = answers.map(({ ask, say }) => ({ pattern: compilePattern(ask), reply: say }));
    return { send: `${command}\n`, ...this.expect(command, now, { asks, mayEnd: true, limitMs }) };
  }

  hear(bytes: Uint8Array, now: number): TerminalStep {
    // What goes on talking costs nothing any more: the session is over, with the beginning of the answer.
    if (this.over !== undefined) return this.goOn(now);
    const { text, enough } = this.heard.add(bytes);
    if (enough && (this.beyond += bytes.length) > MOST_BEYOND) {
      this.over = 'the device did not stop talking';
      return { hangUp: true, ...this.goOn(now) };
    }
    this.tail = (this.tail + text).slice(-TAIL);
    return this.goOn(now);
  }

  /** The device, or the connection to it, went away. */
  lost(why: string, now: number): TerminalStep {
    this.over ??= why;
    return this.goOn(now);
  }

  tick(now: number): TerminalStep {
    return this.goOn(now);
  }

  private listen(): void {
    this.heard = new Gathered(this.limits.mostBytes);
    this.beyond = 0;
    this.tail = '';
    this.turned = false;
  }

  private hasRights(): boolean {
    const { raise } = this.dialect.sheet;
    return raise !== undefined && compilePattern(raise.raised).test(lastLineOf(this.tail));
  }

  private expect(
    command: string,
    now: number,
    more: Partial<Pick<Wait, 'raising' | 'asks' | 'mayEnd' | 'limitMs'>> = {},
  ): TerminalStep {
    const { limitMs = this.limits.answerMs } = more;
    const until = now + limitMs;
    this.wait = { command, since: now, until, raising: false, asks: [], mayEnd: false, ...more, limitMs };
    this.fresh = undefined;
    return this.goOn(now);
  }

  private goOn(now: number): TerminalStep {
    const { wait } = this;
    if (!wait) return {};
    let send = '';
    for (;;) {
      const line = lastLineOf(this.tail);
      const asked = line === '' ? undefined : wait.asks.find(({ pattern }) => pattern.test(line));
      if (asked) {
        send += `${asked.reply}\n`;
        this.tail = '';
        this.wait = { ...wait, until: now + wait.limitMs, asks: wait.asks.filter((one) => one !== asked) };
        return { ...this.goOn(now), send };
      }
      if (line !== '' && this.dialect.isPrompt(line)) {
        if (this.stands(line, now)) return { ...this.finish(line), ...(send === '' ? {} : { send }) };
        return { wakeAt: (this.fresh?.at ?? now) + NEW_PROMPT_MS, ...(send === '' ? {} : { send }) };
      }
      if (line === '' || !this.more?.test(line))
        return { ...this.pending(line, now), ...(send === '' ? {} : { send }) };
      this.tail = '';
      this.turned = true;
      this.heard.add(NEW_LINE);
      send += this.dialect.sheet.paging.next;
    }
  }

  /** Whether a prompt is one: known from before, or there for long enough. */
  private stands(line: string, now: number): boolean {
    if (this.prompts.has(line)) return true;
    if (this.fresh?.line !== line) this.fresh = { line, at: now };
    if (now < this.fresh.at + NEW_PROMPT_MS) return false;
    this.prompts.add(line);
    return true;
  }

  private pending(line: string, now: number): TerminalStep {
    const { wait } = this;
    if (!wait) return {};
    if (this.over === undefined && now < wait.until) return { wakeAt: wait.until };
    if (this.over !== undefined && wait.mayEnd) return this.end({ ended: this.answer(wait.command, '') });
    const why = this.over ?? this.silence(wait, line);
    // Of an answer that is too long to end in time, the beginning is worth something; the session is over with it.
    if (this.heard.cut && wait.command !== '') {
      this.over ??= `the answer to "${wait.command}" did not end`;
      return this.end({ ended: this.answer(wait.command, '') });
    }
    return this.end({ failed: why });
  }

  private finish(prompt: string): TerminalStep {
    const { command = '', raising = false } = this.wait ?? {};
    this.raised ||= raising && this.hasRights();
    if (!raising || this.raised) return this.end({ ended: this.answer(command, prompt) });
    const why =
      this.dialect.refusal(this.heard.text()) ??
      `the second password gave no more rights (the prompt is "${prompt.trim()}")`;
    return this.end({ failed: why });
  }

  private end(step: TerminalStep): TerminalStep {
    this.wait = undefined;
    return step;
  }

  private answer(command: string, prompt: string): Answer {
    const { cut } = this.heard;
    let text = this.heard.text();
    if (text.includes('\u001b')) text = text.replace(escapes, '');
    // The echo of what was typed comes first.
    const first = text.indexOf('\n');
    if (first >= 0 && text.slice(0, first).trim() === command.trim()) text = text.slice(first + 1);
    if (!cut && text.endsWith(prompt)) text = text.slice(0, text.length - prompt.length);
    if (this.turned) text = this.withoutPages(text);
    return { text, refused: this.dialect.refusal(text.slice(0, 20_000)), cut };
  }

  /** Without the lines at which it stopped, and the blank ones by which devices wipe them away. */
  private withoutPages(text: string): string {
    let turned = false;
    return text
      .split('\n')
      .filter((line) => {
        if (this.more?.test(line)) turned = true;
        else if (line.trim() !== '') turned = false;
        return !turned;
      })
      .join('\n');
  }

  private silence({ command, since, until }: Wait, line: string): string {
    const behind = command === '' ? 'after signing in' : `after "${command}"`;
    const last = line.trim() === '' ? 'nothing' : `"${line.trim().slice(0, 80)}"`;
    return `no prompt of ${this.dialect.sheet.title} came ${behind} for ${(until - since) / 1000} s; the last line is ${last}`;
  }
}

const NEW_LINE = Uint8Array.of(10);
