/** An SSH server at one address, with a shell behind it. */
import ssh2, { type Connection, type ServerChannel } from 'ssh2';

const { Server, utils } = ssh2;

export interface ShellLike {
  prompt: () => string;
  line: (text: string) => string | undefined;
}

export interface DoorOptions {
  address: string;
  port: number;
  hostKey: string;
  admits: (user: string, password: string) => boolean;
  shell: () => ShellLike;
}

export const newHostKey = (): string => utils.generateKeyPairSync('ed25519').private;

export class SshDoor {
  private readonly options: DoorOptions;
  private readonly connections = new Set<Connection>();
  private server: InstanceType<typeof Server> | undefined;

  constructor(options: DoorOptions) {
    this.options = options;
  }

  open(): Promise<void> {
    const { address, port, hostKey } = this.options;
    const server = new Server({ hostKeys: [hostKey] }, (connection) => this.greet(connection));
    this.server = server;
    return new Promise((resolve, reject) => {
      server.once('error', reject);
      server.listen(port, address, () => resolve());
    });
  }

  async close(): Promise<void> {
    const { server } = this;
    this.server = undefined;
    for (const connection of this.connections) connection.end();
    this.connections.clear();
    if (server) await new Promise<void>((resolve) => server.close(() => resolve()));
  }

  private greet(connection: Connection): void {
    (connection as Connection & { setNoDelay?: (on: boolean) => void }).setNoDelay?.(true);
    this.connections.add(connection);
    connection.on('close', () => this.connections.delete(connection));
    connection.on('error', () => connection.end());
    connection.on('authentication', (context) => {
      if (context.method === 'password' && this.options.admits(context.username, context.password)) context.accept();
      else context.reject(['password']);
    });
    connection.on('session', (accept) => {
      const session = accept();
      session.on('pty', (acceptPty) => acceptPty?.());
      session.on('shell', (acceptShell) => this.serve(acceptShell()));
    });
  }

  /** Lines in, replies out, with the echo of a terminal. */
  private serve(channel: ServerChannel): void {
    const shell = this.options.shell();
    const write = (text: string) => channel.write(text.replaceAll('\n', '\r\n'));
    let typed = '';
    write(shell.prompt());
    channel.on('data', (bytes: Buffer) => {
      typed += bytes.toString('utf8').replaceAll('\r\n', '\n').replaceAll('\r', '\n');
      for (let end = typed.indexOf('\n'); end >= 0; end = typed.indexOf('\n')) {
        const line = typed.slice(0, end);
        typed = typed.slice(end + 1);
        write(`${line}\n`);
        const reply = shell.line(line);
        if (reply === undefined) {
          channel.exit(0);
          channel.end();
          return;
        }
        write(reply + shell.prompt());
      }
    });
    channel.on('error', () => channel.end());
  }
}
