/** A door without encryption (RFC 854): it asks who is there and for the word, and has the same shell behind it. */
import { createServer, type Server, type Socket } from 'node:net';
import { BareLine } from '@zpine/core/fleet/bareLine';
import type { ShellLike } from './ssh.ts';

export interface BareOptions {
  address: string;
  port: number;
  admits: (user: string, password: string) => boolean;
  shell: (user: string) => ShellLike;
}

/** IAC WILL ECHO, IAC WILL SUPPRESS-GO-AHEAD, IAC DO TERMINAL-TYPE: what such doors say first. */
const GREETING = Buffer.from([255, 251, 1, 255, 251, 3, 255, 253, 24]);

export class BareDoor {
  private readonly options: BareOptions;
  private readonly sockets = new Set<Socket>();
  private server: Server | undefined;

  constructor(options: BareOptions) {
    this.options = options;
  }

  open(): Promise<void> {
    const server = createServer((socket) => this.greet(socket));
    this.server = server;
    return new Promise((resolve, reject) => {
      server.once('error', reject);
      server.listen(this.options.port, this.options.address, () => resolve());
    });
  }

  async close(): Promise<void> {
    const { server } = this;
    this.server = undefined;
    for (const socket of this.sockets) socket.destroy();
    if (server) await new Promise<void>((resolve) => server.close(() => resolve()));
  }

  private greet(socket: Socket): void {
    this.sockets.add(socket);
    socket.on('close', () => this.sockets.delete(socket));
    socket.on('error', () => socket.destroy());
    const line = new BareLine();
    const write = (text: string) => socket.write(text.replaceAll('\n', '\r\n'));
    socket.write(GREETING);
    write('\nzone of the ferries\n\nwho: ');
    let typed = '';
    let user: string | undefined;
    let shell: ShellLike | undefined;
    socket.on('data', (bytes: Buffer) => {
      // What the other end answers to the greeting is agreed to, and not answered again.
      typed += Buffer.from(line.hear(bytes).shown).toString('utf8').replaceAll('\r\n', '\n').replaceAll('\r', '\n');
      for (let end = typed.indexOf('\n'); end >= 0; end = typed.indexOf('\n')) {
        const said = typed.slice(0, end);
        typed = typed.slice(end + 1);
        if (user === undefined) {
          user = said;
          write(`${said}\nword: `);
        } else if (!shell) {
          if (!this.options.admits(user, said)) {
            user = undefined;
            write('\nno entry\n\nwho: ');
            continue;
          }
          shell = this.options.shell(user);
          write(`\n${shell.prompt()}`);
        } else {
          write(`${said}\n`);
          const reply = shell.line(said);
          if (reply === undefined) return void socket.end();
          write(reply + shell.prompt());
        }
      }
    });
  }
}
