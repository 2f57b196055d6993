/** An SSH server at one address: a shell with a prompt behind it, or commands one by one. */
import { createHash } from 'node:crypto';
import { connect as connectSocket } from 'node:net';
import ssh2, { type Algorithms, type Connection, type PublicKeyAuthContext, type ServerChannel } from 'ssh2';
import type { Guest } from './facts.ts';
import type { Fault } from './faults.ts';

const { Server, utils } = ssh2;

export interface ShellLike {
  prompt: () => string;
  /** The reply to a line; undefined ends the session. */
  line: (text: string) => string | undefined;
  /** Whether it waits for a single key: a pager. The reply to it comes without an echo. */
  pager?: () => boolean;
  /** What the last line began and has not come to its end; what it says then stands before the prompt. */
  pending?: () => Promise<string> | undefined;
}

/** What a command comes to where each stands for itself. */
export interface Ended {
  out: string;
  wrong: string;
  status: number;
  /** The session ends without an answer. */
  ends?: boolean;
}

export type DoorFault = Extract<Fault, 'old-algorithms' | 'other-key' | 'no-prompt' | 'floods' | 'goes-away'>;
const doorFaultNames: readonly string[] = ['old-algorithms', 'other-key', 'no-prompt', 'floods', 'goes-away'];

/** Those of a device's faults that show at its door; they may be switched on and off meanwhile. */
export const doorFaults =
  (faults: ReadonlySet<Fault>) =>
  (fault: DoorFault): boolean =>
    doorFaultNames.includes(fault) && faults.has(fault);

export interface DoorOptions {
  address: string;
  port: number;
  hostKey: string;
  faults: (fault: DoorFault) => boolean;
  admits: (user: string, password: string) => boolean;
  /** Whether a public key, as OpenSSH writes it, is one of a user. */
  knowsKey?: (user: string, key: string) => boolean;
  shell?: (user: string) => ShellLike;
  exec?: (command: string, user: string) => Ended | Promise<Ended>;
  /** Where a connection by way of this device goes; left out where none may. */
  forward?: (address: string, port: number) => { address: string; port: number };
}

/** A new key pair in OpenSSH's form. One in two hundred comes out of the library so that it cannot read it again itself. */
export function newKeyPair(): { private: string; public: string } {
  for (;;) {
    const pair = utils.generateKeyPairSync('ed25519');
    if (!(utils.parseKey(pair.private) instanceof Error)) return pair;
  }
}

/** `SHA256:…` (RFC 4716, section 4, with SHA-256 and base64 as OpenSSH writes it). */
export function fingerprintOf(privateKey: string): string {
  const key = utils.parseKey(privateKey);
  if (key instanceof Error) throw key;
  return `SHA256:${createHash('sha256').update(key.getPublicSSH()).digest('base64').replace(/=+$/, '')}`;
}

export const newHostKey = (): string => newKeyPair().private;

/** What devices of long ago had. */
const OLD: Algorithms = {
  kex: ['diffie-hellman-group14-sha1', 'diffie-hellman-group1-sha1'],
  cipher: ['aes128-cbc', '3des-cbc'],
  hmac: ['hmac-sha1'],
};

const FLOOD_BYTES = 50 * 1024 * 1024;

export class SshDoor {
  private readonly options: DoorOptions;
  /** Who is in, by the connection; nobody yet where no sign-in came through. */
  private readonly connections = new Map<Connection, Guest | undefined>();
  private server: InstanceType<typeof Server> | undefined;

  constructor(options: DoorOptions) {
    this.options = options;
  }

  guests(): Guest[] {
    return [...this.connections.values()].filter((guest) => guest !== undefined);
  }

  /** Another host key for those who come from now on. */
  rekey(hostKey: string): void {
    this.options.hostKey = hostKey;
    // A server that closes listens no more, and lets those go on who are in.
    this.server?.close();
    void this.open();
  }

  open(): Promise<void> {
    const { address, port, hostKey, faults } = this.options;
    const hostKeys = [faults('other-key') ? newHostKey() : hostKey];
    const server = new Server(
      { hostKeys, ...(faults('old-algorithms') ? { algorithms: OLD } : {}) },
      (connection, { ip }) => this.greet(connection, ip),
    );
    this.server = server;
    return new Promise((resolve, reject) => {
      server.once('error', reject);
      server.listen(port, address, () => resolve());
    });
  }

  async close(): Promise<void> {
    const { server } = this;
    this.server = undefined;
    for (const connection of this.connections.keys()) connection.end();
    this.connections.clear();
    if (server) await new Promise<void>((resolve) => server.close(() => resolve()));
  }

  /** RFC 4252, section 7: first whether the key would do, then a signature by it. */
  private byKey({ username, key, blob, signature, hashAlgo }: PublicKeyAuthContext): boolean {
    const text = `${key.algo} ${key.data.toString('base64')}`;
    if (!this.options.knowsKey?.(username, text)) return false;
    const read = utils.parseKey(text);
    return (
      !(read instanceof Error) &&
      (signature === undefined || (blob !== undefined && read.verify(blob, signature, hashAlgo) === true))
    );
  }

  private greet(connection: Connection, from: string): void {
    (connection as Connection & { setNoDelay?: (on: boolean) => void }).setNoDelay?.(true);
    this.connections.set(connection, undefined);
    let user = '';
    connection.on('close', () => this.connections.delete(connection));
    connection.on('error', () => connection.end());
    connection.on('authentication', (context) => {
      user = context.username;
      if (context.method === 'password' && this.options.admits(context.username, context.password)) context.accept();
      else if (context.method === 'publickey' && this.byKey(context)) context.accept();
      else context.reject(['password', 'publickey']);
    });
    connection.on('ready', () => this.connections.set(connection, { user, from, since: new Date() }));
    connection.on('session', (accept) => {
      const session = accept();
      session.on('pty', (acceptPty) => acceptPty?.());
      session.on('shell', (acceptShell, reject) => {
        const shell = this.options.shell?.(user);
        if (shell) this.serve(acceptShell(), shell, connection);
        else reject?.();
      });
      session.on('exec', (acceptExec, reject, { command }) => {
        if (this.options.exec) this.execute(acceptExec(), command, user, connection);
        else reject?.();
      });
    });
    connection.on('tcpip', (accept, reject, { destIP, destPort }) => {
      const to = this.options.forward?.(destIP, destPort);
      if (!to) return reject();
      const socket = connectSocket({ host: to.address, port: to.port, noDelay: true });
      socket.once('connect', () => {
        const channel = accept();
        channel.on('error', () => socket.destroy());
        socket.on('error', () => channel.end());
        socket.pipe(channel).pipe(socket);
      });
      socket.once('error', () => reject());
    });
  }

  private execute(channel: ServerChannel, command: string, user: string, connection: Connection): void {
    const { faults, exec } = this.options;
    if (faults('no-prompt')) return;
    if (faults('floods')) return flood(channel, () => channel.end());
    if (faults('goes-away')) return void connection.end();
    const ended = exec?.(command, user) ?? { out: '', wrong: '', status: 127 };
    void Promise.resolve(ended).then(({ out, wrong, status, ends = false }) => {
      if (ends) return void connection.end();
      channel.write(out);
      if (wrong !== '') channel.stderr.write(wrong);
      channel.exit(status);
      channel.end();
    });
  }

  /** Lines in, replies out, with the echo of a terminal. */
  private serve(channel: ServerChannel, shell: ShellLike, connection: Connection): void {
    const { faults } = this.options;
    const write = (text: string) => channel.write(text.replaceAll('\n', '\r\n'));
    let typed = '';
    if (faults('no-prompt')) write('\nready\n');
    else write(shell.prompt());
    let busy = false;
    const work = (): void => {
      while (typed !== '' && shell.pager?.()) {
        const reply = shell.line(typed[0] ?? '') ?? '';
        typed = typed.slice(1);
        write(`\n${reply}${shell.prompt()}`);
      }
      for (let end = typed.indexOf('\n'); end >= 0; end = typed.indexOf('\n')) {
        const line = typed.slice(0, end);
        typed = typed.slice(end + 1);
        write(`${line}\n`);
        if (faults('no-prompt')) continue;
        if (faults('floods')) {
          flood(channel, () => write(shell.prompt()));
          continue;
        }
        const reply = shell.line(line);
        if (reply === undefined) {
          channel.exit(0);
          channel.end();
          return;
        }
        if (faults('goes-away') && reply.length > 20) {
          write(reply.slice(0, reply.length / 2));
          connection.end();
          return;
        }
        const pending = shell.pending?.();
        if (!pending) {
          write(reply + shell.prompt());
          continue;
        }
        write(reply);
        busy = true;
        void pending.then((said) => {
          busy = false;
          write(said + shell.prompt());
          work();
        });
        return;
      }
    };
    channel.on('data', (bytes: Buffer) => {
      typed += bytes.toString('utf8').replaceAll('\r\n', '\n').replaceAll('\r', '\n');
      if (!busy) work();
    });
    channel.on('error', () => channel.end());
  }
}

/** Fifty megabytes, as fast as they are taken; ends early when nobody listens any more. */
function flood(channel: ServerChannel, then: () => void): void {
  const line = `${'flood '.repeat(1300)}\r\n`;
  let left = FLOOD_BYTES;
  let gone = false;
  channel.once('close', () => (gone = true));
  const more = () => {
    while (left > 0 && !gone) {
      left -= line.length;
      if (!channel.write(line)) {
        channel.once('drain', more);
        return;
      }
    }
    if (!gone) then();
  };
  more();
}
