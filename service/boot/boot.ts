/** The three listeners of booting devices, started and stopped together. */
import type { Store } from '../store/store.ts';
import { DhcpListener, type BootOptions } from './dhcp.ts';
import { BootHttp } from './http.ts';
import type { Log } from './sockets.ts';
import { TftpListener } from './tftp.ts';

export class Boot {
  private readonly parts: { start: () => Promise<void>; stop: () => Promise<void> }[];

  constructor(store: Store, options: BootOptions & { httpPort: number }, log: Log) {
    this.parts = [
      new DhcpListener(store, options, log),
      new TftpListener(store, options, log),
      new BootHttp(store, options, log),
    ];
  }

  async start(): Promise<void> {
    for (const part of this.parts) await part.start();
  }

  async stop(): Promise<void> {
    await Promise.all(this.parts.map((part) => part.stop()));
  }
}
