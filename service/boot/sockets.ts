/** What the listeners share: UDP sockets, and a queue with a bound. */
import { createSocket, type Socket } from 'node:dgram';

export interface Log {
  info: (what: object, text: string) => void;
  warn: (what: object, text: string) => void;
  debug: (what: object, text: string) => void;
}

const BUFFER_BYTES = 4 * 1024 * 1024;

/** A bound UDP socket; a port that is taken is an error at once. */
export function bound(
  address: string,
  port: number,
  options: { broadcast?: boolean; shared?: boolean } = {},
): Promise<Socket> {
  const socket = createSocket({ type: 'udp4', reuseAddr: options.shared ?? false, recvBufferSize: BUFFER_BYTES });
  return new Promise((resolve, reject) => {
    socket.once('error', reject);
    socket.bind(port, address, () => {
      socket.off('error', reject);
      if (options.broadcast) socket.setBroadcast(true);
      resolve(socket);
    });
  });
}

export const closed = (socket: Socket): Promise<void> => new Promise((resolve) => socket.close(() => resolve()));

/** Does work for packets, a bounded number at a time; what comes when too much waits is dropped and counted. */
export class Queue {
  dropped = 0;
  private running = 0;
  private readonly waiting: (() => Promise<void>)[] = [];
  private readonly most: number;
  private readonly depth: number;

  constructor(most: number, depth: number) {
    this.most = most;
    this.depth = depth;
  }

  add(work: () => Promise<void>): boolean {
    if (this.waiting.length >= this.depth) {
      this.dropped += 1;
      return false;
    }
    this.waiting.push(work);
    this.next();
    return true;
  }

  /** Resolves when nothing is under way any more. */
  async idle(): Promise<void> {
    while (this.running > 0 || this.waiting.length > 0) await new Promise((resolve) => setTimeout(resolve, 10));
  }

  private next(): void {
    if (this.running >= this.most) return;
    const work = this.waiting.shift();
    if (!work) return;
    this.running += 1;
    void work().finally(() => {
      this.running -= 1;
      this.next();
    });
  }
}
