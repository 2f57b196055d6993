/** A signed-in session with a device, by its dialect: commands in, answers out. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import { Gathered } from '@zpine/core/fleet/gathered';
import { Terminal, type Answer, type TerminalStep } from '@zpine/core/fleet/terminal';
import type { ClientChannel } from 'ssh2';
import type { SignedIn } from './signedIn.ts';
import { withLimit } from './limit.ts';
import { NotReached } from './notReached.ts';

export interface Session {
  run: (command: string) => Promise<Answer>;
  /** A command that asks something back, and with which the device may end the session. */
  ask: (command: string, answers: readonly { ask: string; say: string }[], seconds?: number) => Promise<Answer>;
  /** The device, or the way to it, ended the session. */
  isOver: () => boolean;
  close: () => void;
  /** More rights were asked for and given. */
  raised: boolean;
}

/** As much of an answer is kept. */
const MOST_BYTES = 8 * 1024 * 1024;

export interface Limits {
  answerMs: number;
  mostBytes?: number;
}

export async function openSession(
  client: SignedIn,
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
  const terminal = new TerminalSession(client, channel, dialect, limits);
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
function execSession(client: SignedIn, dialect: Dialect, limits: Limits): Session {
  const most = limits.mostBytes ?? MOST_BYTES;
  let over = false;
  client.once('close', () => (over = true));
  const session: Session = {
    raised: false,
    isOver: () => over,
    close: () => void client.end(),
    // There is nobody to ask anything back; a device that goes at once takes its answer with it.
    ask: (command, _answers, seconds) =>
      execute(command, seconds === undefined ? limits.answerMs : seconds * 1000).catch((error: unknown) => {
        if (over) return { text: '', refused: undefined, cut: false };
        throw error;
      }),
    run: (command) => execute(command, limits.answerMs),
  };
  const execute = (command: string, limitMs: number): Promise<Answer> =>
    new Promise<Answer>((resolve, reject) => {
      const timer = setTimeout(() => {
        reject(new Error(`"${command}" did not end within ${limitMs / 1000} s`));
        client.end();
      }, limitMs);
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
          if (out.add(bytes).enough) channel.close();
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
    });
  return session;
}

/** The terminal's engine on a channel. One command at a time. */
class TerminalSession implements Session {
  private readonly client: SignedIn;
  private readonly channel: ClientChannel;
  private readonly terminal: Terminal;
  private waiting: { resolve: (answer: Answer) => void; reject: (error: Error) => void } | undefined;
  private timer: NodeJS.Timeout | undefined;
  private over = false;

  constructor(client: SignedIn, channel: ClientChannel, dialect: Dialect, limits: Limits) {
    this.client = client;
    this.channel = channel;
    this.terminal = new Terminal(dialect, { answerMs: limits.answerMs, mostBytes: limits.mostBytes ?? MOST_BYTES });
    const lost = (why: string) => () => {
      this.over = true;
      this.follow(this.terminal.lost(why, Date.now()));
    };
    channel.on('data', (bytes: Buffer) => this.follow(this.terminal.hear(bytes, Date.now())));
    channel.on('close', lost('the device closed the session'));
    client.on('close', lost('the connection to the device ended'));
  }

  get raised(): boolean {
    return this.terminal.raised;
  }

  async begin(): Promise<void> {
    await this.doing(() => this.terminal.begin(Date.now()));
  }

  isOver(): boolean {
    return this.over;
  }

  ask(command: string, answers: readonly { ask: string; say: string }[], seconds?: number): Promise<Answer> {
    const limit = seconds === undefined ? undefined : seconds * 1000;
    return this.doing(() => this.terminal.ask(command, answers, Date.now(), limit));
  }

  run(command: string): Promise<Answer> {
    return this.doing(() => this.terminal.run(command, Date.now()));
  }

  async raise(second: string): Promise<void> {
    await this.doing(() => this.terminal.raise(second, Date.now()));
  }

  close(): void {
    clearTimeout(this.timer);
    this.channel.end();
    this.client.end();
  }

  private doing(begin: () => TerminalStep): Promise<Answer> {
    return new Promise((resolve, reject) => {
      this.waiting = { resolve, reject };
      this.follow(begin());
    });
  }

  private follow({ send, wakeAt, ended, failed, hangUp }: TerminalStep): void {
    clearTimeout(this.timer);
    if (send !== undefined) this.channel.write(send);
    if (wakeAt !== undefined)
      this.timer = setTimeout(() => this.follow(this.terminal.tick(Date.now())), Math.max(1, wakeAt - Date.now()));
    if (hangUp) this.close();
    const { waiting } = this;
    if (ended === undefined && failed === undefined) return;
    this.waiting = undefined;
    if (ended) waiting?.resolve(ended);
    else waiting?.reject(new Error(failed));
  }
}
