/** A signed-in session with a device, by its dialect: commands in, answers out. */
import { StringDecoder } from 'node:string_decoder';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { type Pattern, compilePattern } from '@zpine/core/text/pattern';
import type { Client, ClientChannel } from 'ssh2';
import { withLimit } from './limit.ts';
import { NotReached } from './notReached.ts';

export interface Answer {
  text: string;
  /** The device's own words, where it did not take the command. */
  refused: string | undefined;
  /** Only the beginning was read. */
  cut: boolean;
}

export interface Session {
  run: (command: string) => Promise<Answer>;
  close: () => void;
  /** More rights were asked for and given. */
  raised: boolean;
}

/** As much of an answer is kept. */
const MOST_BYTES = 8 * 1024 * 1024;
/** So much is listened to behind what is kept of an answer, for the prompt at its end. */
const MOST_BEYOND = 4 * 1024 * 1024;
/** A prompt that was not seen before must stand for so long: it may be the middle of a line of the answer. */
const NEW_PROMPT_MS = 40;

export interface Limits {
  answerMs: number;
  mostBytes?: number;
}

export async function openSession(
  client: Client,
  dialect: Dialect,
  limits: Limits,
  second: string | undefined,
): Promise<Session> {
  if (dialect.sheet.channel === 'exec') return execSession(client, dialect, limits);
  const channel = await withLimit(
    new Promise<ClientChannel>((resolve, reject) => {
      client.shell({ term: 'dumb', cols: 500, rows: 1000 }, (error, opened) =>
        error ? reject(error) : resolve(opened),
      );
    }),
    limits.answerMs,
    `no terminal was opened within ${limits.answerMs / 1000} s`,
  ).catch((error: unknown) => {
    throw new NotReached('dialect', error instanceof Error ? error.message : String(error));
  });
  const terminal = new Terminal(client, channel, dialect, limits);
  try {
    await terminal.begin();
  } catch (error) {
    terminal.close();
    throw new NotReached('dialect', error instanceof Error ? error.message : String(error));
  }
  try {
    for (const off of dialect.sheet.paging.off) await terminal.run(off);
    if (second !== undefined && dialect.sheet.raise) await terminal.raise(second);
  } catch (error) {
    terminal.close();
    throw new NotReached('privilege', error instanceof Error ? error.message : String(error));
  }
  return terminal;
}

/** Every command by itself: its exit status says whether it was taken (RFC 4254, section 6.10). */
function execSession(client: Client, dialect: Dialect, limits: Limits): Session {
  const most = limits.mostBytes ?? MOST_BYTES;
  return {
    raised: false,
    close: () => void client.end(),
    run: (command) =>
      new Promise<Answer>((resolve, reject) => {
        const timer = setTimeout(() => {
          reject(new Error(`"${command}" did not end within ${limits.answerMs / 1000} s`));
          client.end();
        }, limits.answerMs);
        const failed = (error: Error) => {
          clearTimeout(timer);
          reject(error);
        };
        const gone = () => failed(new Error('the device closed the session'));
        client.once('close', gone);
        client.exec(command, (error, channel) => {
          if (error) return failed(error);
          const out = new Gathered(most);
          const wrong = new Gathered(64 * 1024);
          let status: number | null = null;
          channel.on('data', (bytes: Buffer) => {
            if (out.add(bytes)) return;
            channel.close();
          });
          channel.stderr.on('data', (bytes: Buffer) => void wrong.add(bytes));
          channel.on('exit', (code: number | null) => (status = code));
          channel.on('close', () => {
            clearTimeout(timer);
            client.removeListener('close', gone);
            const said = wrong.text();
            const text = out.text();
            const failedWith = status !== null && status !== 0 && !out.cut;
            const refused =
              dialect.refusal(said) ??
              dialect.refusal(text) ??
              (failedWith ? (said.trim().split('\n')[0] ?? '') || `it ended with status ${status}` : undefined);
            resolve({ text: text === '' && failedWith ? said : text, refused, cut: out.cut });
          });
        });
      }),
  };
}

/** Text that comes in pieces, up to a limit. */
class Gathered {
  cut = false;
  private readonly most: number;
  private readonly pieces: string[] = [];
  private readonly decoder = new StringDecoder('utf8');
  private size = 0;

  constructor(most: number) {
    this.most = most;
  }

  /** False when there is enough. */
  add(bytes: Buffer): boolean {
    if (this.cut) return false;
    const left = this.most - this.size;
    this.size += bytes.length;
    this.pieces.push(this.decoder.write(bytes.length > left ? bytes.subarray(0, left) : bytes));
    this.cut = bytes.length > left;
    return !this.cut;
  }

  text(): string {
    const whole = this.pieces.join('');
    return whole.includes('\r') ? whole.replace(/\r+\n/g, '\n').replaceAll('\r', '\n') : whole;
  }
}

// Escape sequences of terminals (ECMA-48): colours, cursor moves, titles.
const escapes = /\u001b(?:\[[0-9;?]*[A-Za-z]|\][^\u0007]*\u0007|[()][A-Z0-9]|[=>])/g;

/** The line that is being written: what stands behind the last line break. */
const lastLine = (tail: string): string =>
  tail.slice(Math.max(tail.lastIndexOf('\n'), tail.lastIndexOf('\r')) + 1).replace(escapes, '');

class Terminal implements Session {
  raised = false;
  private readonly client: Client;
  private readonly channel: ClientChannel;
  private readonly dialect: Dialect;
  private readonly limits: Limits;
  private readonly more: Pattern | undefined;
  private readonly prompts = new Set<string>();
  private heard: Gathered;
  private tail = '';
  private wake: (() => void) | undefined;
  private over: Error | undefined;
  private turned = false;
  /** Bytes behind those that are kept of an answer. */
  private beyond = 0;

  constructor(client: Client, channel: ClientChannel, dialect: Dialect, limits: Limits) {
    this.client = client;
    this.channel = channel;
    this.dialect = dialect;
    this.limits = limits;
    const { more } = dialect.sheet.paging;
    this.more = more === undefined ? undefined : compilePattern(more);
    this.heard = new Gathered(limits.mostBytes ?? MOST_BYTES);
    const end = (error: Error) => {
      this.over ??= error;
      this.wake?.();
    };
    channel.on('data', (bytes: Buffer) => {
      // What goes on talking costs nothing any more: the session is over, with the beginning of the answer.
      if (this.over) return;
      if (!this.heard.add(bytes) && (this.beyond += bytes.length) > MOST_BEYOND) {
        end(new Error(`the device did not stop talking`));
        return this.close();
      }
      this.tail = (this.tail + bytes.toString('utf8')).slice(-600);
      this.wake?.();
    });
    channel.on('close', () => end(new Error('the device closed the session')));
    client.on('close', () => end(new Error('the connection to the device ended')));
  }

  async begin(): Promise<void> {
    await this.prompt('', this.limits.answerMs);
  }

  async run(command: string): Promise<Answer> {
    this.heard = new Gathered(this.limits.mostBytes ?? MOST_BYTES);
    this.beyond = 0;
    this.tail = '';
    this.turned = false;
    this.channel.write(`${command}\n`);
    try {
      const prompt = await this.prompt(command, this.limits.answerMs);
      return this.answer(command, prompt);
    } catch (error) {
      // Of an answer that is too long to end in time, the beginning is worth something; the session is over with it.
      if (!this.heard.cut) throw error;
      this.over ??= new Error(`the answer to "${command}" did not end`);
      return this.answer(command, '');
    }
  }

  async raise(second: string): Promise<void> {
    const { raise } = this.dialect.sheet;
    if (!raise) return;
    const [ask, raisedPrompt] = [compilePattern(raise.ask), compilePattern(raise.raised)];
    if (raisedPrompt.test(lastLine(this.tail))) {
      this.raised = true;
      return;
    }
    this.heard = new Gathered(MOST_BYTES);
    this.tail = '';
    this.channel.write(`${raise.command}\n`);
    const asked = await this.until(
      raise.command,
      this.limits.answerMs,
      (line) => ask.test(line) || this.dialect.isPrompt(line),
    );
    if (ask.test(asked)) {
      this.tail = '';
      this.channel.write(`${second}\n`);
      await this.prompt(raise.command, this.limits.answerMs);
    }
    const line = lastLine(this.tail);
    this.raised = raisedPrompt.test(line);
    if (!this.raised)
      throw new Error(
        this.dialect.refusal(this.heard.text()) ??
          `the second password gave no more rights (the prompt is "${line.trim()}")`,
      );
  }

  close(): void {
    this.channel.end();
    this.client.end();
  }

  private answer(command: string, prompt: string): Answer {
    const { cut } = this.heard;
    let text = this.heard.text();
    if (text.includes('\u001b')) text = text.replace(escapes, '');
    // The echo of what was typed comes first.
    const first = text.indexOf('\n');
    if (first >= 0 && text.slice(0, first).trim() === command.trim()) text = text.slice(first + 1);
    if (!cut && text.endsWith(prompt)) text = text.slice(0, -prompt.length);
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

  private async prompt(command: string, limitMs: number): Promise<string> {
    const until = Date.now() + limitMs;
    for (;;) {
      const line = await this.until(command, Math.max(1, until - Date.now()), (last) => this.dialect.isPrompt(last));
      if (this.prompts.has(line)) return line;
      await new Promise((resolve) => setTimeout(resolve, NEW_PROMPT_MS));
      if (lastLine(this.tail) !== line) continue;
      this.prompts.add(line);
      return line;
    }
  }

  /** Waits until the line that is being written is as wanted; turns pages on the way. */
  private async until(command: string, limitMs: number, wanted: (line: string) => boolean): Promise<string> {
    const until = Date.now() + limitMs;
    for (;;) {
      const line = lastLine(this.tail);
      if (line !== '' && wanted(line)) return line;
      if (line !== '' && this.more?.test(line)) {
        this.tail = '';
        this.turned = true;
        this.heard.add(Buffer.from('\n'));
        this.channel.write(this.dialect.sheet.paging.next);
      }
      if (this.over) throw this.over;
      const left = until - Date.now();
      if (left <= 0) throw new Error(this.silence(command, limitMs, line));
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, left);
        this.wake = () => {
          clearTimeout(timer);
          resolve();
        };
      });
    }
  }

  private silence(command: string, limitMs: number, line: string): string {
    const behind = command === '' ? 'after signing in' : `after "${command}"`;
    const last = line.trim() === '' ? 'nothing' : `"${line.trim().slice(0, 80)}"`;
    return `no prompt of ${this.dialect.sheet.title} came ${behind} for ${limitMs / 1000} s; the last line is ${last}`;
  }
}
