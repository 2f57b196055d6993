/** Packets of clients, made by hand and sent over real sockets. */
import { createSocket, type Socket } from 'node:dgram';
import { decodeMessage, encodeMessage, messageTypes, type Message, type MessageType } from '@zpine/core/dhcp/message';
import { ipv4Bytes } from '@zpine/core/dhcp/ipv4';
import { codeOf } from '@zpine/core/dhcp/options';
import { mustParse } from '@zpine/core/fault';
import type { Onboarding } from './bench.ts';

export interface Asking {
  mac?: string;
  serial?: string;
  relay?: string;
  type?: MessageType;
  wanted?: string;
  server?: string;
  client?: string;
  asked?: number[];
  more?: [number, Uint8Array][];
}

/** The relay of the site that most of it plays at. */
export const RELAY = '10.77.64.1';

/** A message of a client, behind a relay where nothing else is said. */
export function message({
  mac = '02:00:00:00:aa:01',
  serial,
  relay = RELAY,
  type = 'DISCOVER',
  wanted,
  server,
  client = '0.0.0.0',
  asked = [1, 3, 6, 12, 15, 42, 51, 54, 66, 67, 150],
  more = [],
}: Asking): Message {
  const options = new Map<number, Uint8Array>([
    [codeOf('message-type'), Uint8Array.of(messageTypes.indexOf(type))],
    [codeOf('parameter-request-list'), Uint8Array.from(asked)],
  ]);
  if (serial !== undefined) options.set(61, Uint8Array.of(0, ...new TextEncoder().encode(serial)));
  if (wanted !== undefined) options.set(50, ipv4Bytes(wanted) ?? new Uint8Array());
  if (server !== undefined) options.set(54, ipv4Bytes(server) ?? new Uint8Array());
  for (const [code, bytes] of more) options.set(code, bytes);
  return {
    op: 'request',
    hardwareType: 1,
    hops: 1,
    xid: 0x1234_5678,
    secs: 0,
    broadcast: false,
    clientAddress: client,
    yourAddress: '0.0.0.0',
    serverAddress: '0.0.0.0',
    relayAddress: relay,
    hardwareAddress: mac,
    serverName: '',
    file: '',
    options,
  };
}

export const kindOf = (m: Message | undefined): string =>
  m ? (messageTypes[m.options.get(53)?.[0] ?? 0] ?? '?') : 'silence';

/** An option of a message, in hexadecimal. */
export const hexOf = (m: Message | undefined, code: number): string =>
  Buffer.from(m?.options.get(code) ?? []).toString('hex');

const WAIT_MS = 700;

export class Packets {
  private readonly o: Pick<Onboarding, 'at' | 'client'>;

  constructor(o: Pick<Onboarding, 'at' | 'client'>) {
    this.o = o;
  }

  /** Sends bytes from an address, as a relay does, and waits for an answer there, or where `heardAt` says. */
  async tell(bytes: Uint8Array, from = RELAY, waitMs = WAIT_MS, heardAt = from): Promise<Message | undefined> {
    const socket = await this.bound(from, 67);
    const ears = heardAt === from ? socket : await this.bound(heardAt, 68);
    const server = this.o.at('10.77.0.10', 67);
    try {
      return await new Promise((resolve) => {
        const timer = setTimeout(() => resolve(undefined), waitMs);
        ears.on('message', (reply) => {
          clearTimeout(timer);
          const read = decodeMessage(reply);
          resolve(read.ok ? read.value : undefined);
        });
        socket.send(bytes, server.port, server.address);
      });
    } finally {
      socket.close();
      if (ears !== socket) ears.close();
    }
  }

  ask(asking: Asking): Promise<Message | undefined> {
    return this.tell(mustParse(encodeMessage(message(asking))), asking.relay);
  }

  /** Straight from the client, which has an address already. */
  askFrom(address: string, asking: Asking): Promise<Message | undefined> {
    const bytes = mustParse(encodeMessage({ ...message({ ...asking, relay: '0.0.0.0', client: address }), hops: 0 }));
    return this.straight(address, bytes);
  }

  private async straight(address: string, bytes: Uint8Array): Promise<Message | undefined> {
    const socket = await this.bound(address, 68);
    const server = this.o.at('10.77.0.10', 67);
    try {
      return await new Promise((resolve) => {
        const timer = setTimeout(() => resolve(undefined), WAIT_MS);
        socket.on('message', (reply) => {
          clearTimeout(timer);
          resolve(mustParse(decodeMessage(reply)));
        });
        socket.send(bytes, server.port, server.address);
      });
    } finally {
      socket.close();
    }
  }

  /** The last notes; they are written beside the answers. */
  async records(): Promise<
    {
      what: string;
      outcome: string;
      detail: string;
      address: string | null;
      device: string | null;
      mac: string | null;
    }[]
  > {
    await new Promise((resolve) => setTimeout(resolve, 80));
    return (await this.o.client.call('boot.records', { query: { limit: '20' } })).items;
  }

  private async bound(address: string, port: number): Promise<Socket> {
    const socket = createSocket('udp4');
    const own = this.o.at(address, port);
    await new Promise<void>((resolve) => socket.bind(own.port, own.address, () => resolve()));
    return socket;
  }
}
