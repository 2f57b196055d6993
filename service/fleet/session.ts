/** One SSH session to a device, by its dialect's data: sign in, run commands at its prompt, read what comes. */
import { createHash } from 'node:crypto';
import { type DialectDescription } from '@zpine/core/config/dialects/description';
import { Client, type ClientChannel } from 'ssh2';

export interface Target {
  host: string;
  port: number;
  user: string;
  password: string;
  /** The fingerprint that must be shown; null takes any, and gives it back. */
  pinned: string | null;
}

export type Why = 'connect' | 'sign-in' | 'host-key' | 'algorithms';

/** Why a session did not come about. */
export class NotReached extends Error {
  readonly why: Why;
  constructor(why: Why, message: string) {
    super(message);
    this.name = 'NotReached';
    this.why = why;
  }
}

const CONNECT_MS = 8000;
const COMMAND_MS = 20_000;
const MOST_BYTES = 8 * 1024 * 1024;

export class Session {
  readonly fingerprint: string;
  readonly algorithm: string;
  private readonly client: Client;
  private readonly channel: ClientChannel;
  private readonly dialect: DialectDescription;
  private heard = '';
  private wake: (() => void) | undefined;
  private over: Error | undefined;

  private constructor(
    client: Client,
    channel: ClientChannel,
    dialect: DialectDescription,
    key: { fingerprint: string; algorithm: string },
  ) {
    this.client = client;
    this.channel = channel;
    this.dialect = dialect;
    this.fingerprint = key.fingerprint;
    this.algorithm = key.algorithm;
    const end = (error: Error) => {
      this.over ??= error;
      this.wake?.();
    };
    channel.on('data', (bytes: Buffer) => {
      this.heard += bytes.toString('utf8');
      if (this.heard.length > MOST_BYTES) end(new Error('more output than is read'));
      this.wake?.();
    });
    channel.on('close', () => end(new Error('the device closed the session')));
    client.on('error', end);
  }

  /** Signs in and waits for the first prompt. */
  static async open(target: Target, dialect: DialectDescription): Promise<Session> {
    const client = new Client();
    let key = { fingerprint: '', algorithm: '' };
    const channel = await new Promise<ClientChannel>((resolve, reject) => {
      client.on('ready', () =>
        client.shell({ term: 'dumb', cols: 500, rows: 1000 }, (error, opened) =>
          error ? reject(error) : resolve(opened),
        ),
      );
      client.on('error', (error) => reject(notReached(error, key.fingerprint, target)));
      client.on('close', () => reject(new NotReached('connect', 'the connection was closed')));
      client.connect({
        host: target.host,
        port: target.port,
        username: target.user,
        password: target.password,
        readyTimeout: CONNECT_MS,
        tryKeyboard: false,
        hostVerifier: (offered: Buffer) => {
          key = { fingerprint: fingerprintOf(offered), algorithm: algorithmOf(offered) };
          return target.pinned === null || target.pinned === key.fingerprint;
        },
      });
      setNoDelay(client);
    }).catch((error: unknown) => {
      client.end();
      throw error;
    });
    const session = new Session(client, channel, dialect, key);
    try {
      await session.prompt(COMMAND_MS);
    } catch (error) {
      session.close();
      throw new NotReached('connect', `no prompt came: ${error instanceof Error ? error.message : String(error)}`);
    }
    return session;
  }

  /** Runs one command; gives its output without the echo and the prompt. */
  async run(command: string): Promise<string> {
    this.heard = '';
    this.channel.write(`${command}\n`);
    const text = (await this.prompt(COMMAND_MS)).replaceAll('\r', '');
    const begin = text.startsWith(command) ? text.indexOf('\n') + 1 : 0;
    return text.slice(begin).replace(this.dialect.shell.prompt, '\n').replace(/\n+$/, '\n');
  }

  close(): void {
    this.channel.end();
    this.client.end();
  }

  /** What has come when the device is ready for the next command. */
  private async prompt(limitMs: number): Promise<string> {
    const until = Date.now() + limitMs;
    for (;;) {
      if (this.dialect.shell.prompt.test(this.heard.replaceAll('\r', ''))) return this.heard;
      if (this.over) throw this.over;
      const left = until - Date.now();
      if (left <= 0) throw new Error('the device did not answer in time');
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, left);
        this.wake = () => {
          clearTimeout(timer);
          resolve();
        };
      });
    }
  }
}

/** Small packets must not wait for one another: it makes a connect twenty times as fast. */
function setNoDelay(client: Client): void {
  (client as Client & { setNoDelay?: (on: boolean) => void }).setNoDelay?.(true);
}

/** As SSH tools write it: SHA256 and base64 without padding. */
export const fingerprintOf = (key: Buffer): string =>
  `SHA256:${createHash('sha256').update(key).digest('base64').replace(/=+$/, '')}`;

/** The name of the key's algorithm, the first string of its blob (RFC 4253, section 6.6). */
const algorithmOf = (key: Buffer): string => key.subarray(4, 4 + Math.min(60, key.readUInt32BE(0))).toString('ascii');

function notReached(error: Error & { level?: string; code?: string }, shown: string, target: Target): NotReached {
  if (target.pinned !== null && shown !== '' && shown !== target.pinned) {
    return new NotReached('host-key', `${shown} was shown, ${target.pinned} is pinned`);
  }
  if (error.level === 'client-authentication') return new NotReached('sign-in', `${target.user} was not let in`);
  if (/no matching|handshake failed.*(algorithm|cipher|exchange)/i.test(error.message))
    return new NotReached('algorithms', error.message);
  return new NotReached(
    'connect',
    error.code === undefined ? error.message : `${error.code} at ${target.host}:${target.port}`,
  );
}
