/** What the listeners share: UDP sockets, and turns for whoever sends. */
import { createSocket, type Socket } from 'node:dgram';
import { FairQueue, type FairBounds } from '@zpine/core/queue/fair';

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

/** The same, once what was sent last has gone: what is still in its queue would be lost. */
export const closedSoon = (socket: Socket): void => {
  socket.removeAllListeners('message');
  setTimeout(() => void closed(socket), LAST_WORDS_MS);
};
const LAST_WORDS_MS = 50;

/** Does work for packets, a bounded number at a time, each lane in its turn. */
export class PacketTurns {
  private readonly queue: FairQueue<() => Promise<void>>;

  constructor(bounds: FairBounds) {
    this.queue = new FairQueue(bounds);
  }

  get dropped(): number {
    return this.queue.dropped;
  }

  /** `client`: of several packets of one client the newest is answered. */
  add(lane: string, client: string, work: () => Promise<void>): boolean {
    const taken = this.queue.offer(lane, client, work);
    this.next();
    return taken;
  }

  /** Resolves when nothing is under way any more. */
  async idle(): Promise<void> {
    while (!this.queue.idle) await new Promise((resolve) => setTimeout(resolve, 10));
  }

  private next(): void {
    for (let taken = this.queue.take(); taken; taken = this.queue.take()) {
      const { lane, work } = taken;
      void work().finally(() => {
        this.queue.done(lane);
        this.next();
      });
    }
  }
}
