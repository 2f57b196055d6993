/** A stand-in for a system that takes messages by HTTP, and keeps them. */
import { createServer, type IncomingHttpHeaders } from 'node:http';
import type { AddressInfo } from 'node:net';

export interface Message {
  path: string;
  headers: IncomingHttpHeaders;
  body: string;
}

export interface Reply {
  status: number;
  location?: string;
}

export class Receiver {
  readonly heard: Message[] = [];
  private readonly server;

  /** `answers`: what it says to a message, by its path. */
  constructor(answers: (path: string) => Reply) {
    this.server = createServer((request, response) => {
      let body = '';
      request.on('data', (chunk: Buffer) => (body += chunk.toString('utf8')));
      request.on('end', () => {
        const path = request.url ?? '';
        this.heard.push({ path, headers: request.headers, body });
        const { status, location } = answers(path);
        response.writeHead(status, location === undefined ? {} : { Location: location }).end();
      });
    });
  }

  /** Gives its port. */
  async open(): Promise<number> {
    await new Promise<void>((done) => this.server.listen(0, '127.0.0.1', done));
    return (this.server.address() as AddressInfo).port;
  }

  close(): void {
    this.server.close();
  }
}
