/** A DHCP relay (RFC 1542, RFC 3046): hands packets of its wire to the server, and the answers back to who asked. */
import { createSocket, type Socket } from 'node:dgram';
import { decodeMessage, encodeMessage, type Message } from '@zpine/core/dhcp/message';
import type { Wire } from '../wire.ts';

export type Hears = (message: Message) => void;

export class Relay {
  readonly address: string;
  private readonly server: string;
  private readonly wire: Wire;
  private readonly listeners = new Map<string, Hears>();
  private socket: Socket | undefined;
  private starting: Promise<Socket> | undefined;

  constructor(address: string, server: string, wire: Wire) {
    this.address = address;
    this.server = server;
    this.wire = wire;
  }

  /** From now on answers for this hardware address come here. */
  plug(mac: string, hears: Hears): () => void {
    this.listeners.set(mac, hears);
    return () => {
      if (this.listeners.get(mac) === hears) this.listeners.delete(mac);
    };
  }

  async send(message: Message, circuit: string | undefined): Promise<void> {
    const socket = await this.open();
    const options = new Map(message.options);
    if (circuit !== undefined) {
      const text = new TextEncoder().encode(circuit).subarray(0, 250);
      options.set(82, Uint8Array.of(1, text.length, ...text));
    }
    const bytes = encodeMessage({ ...message, hops: message.hops + 1, relayAddress: this.address, options });
    if (!bytes.ok) throw new Error(bytes.fault.code);
    const { address, port } = this.wire.to(this.server, 67);
    await new Promise<void>((resolve) => socket.send(bytes.value, port, address, () => resolve()));
  }

  async close(): Promise<void> {
    const socket = this.socket;
    this.socket = undefined;
    this.starting = undefined;
    if (socket) await new Promise<void>((resolve) => socket.close(() => resolve()));
  }

  private open(): Promise<Socket> {
    this.starting ??= new Promise((resolve, reject) => {
      const socket = createSocket('udp4');
      socket.once('error', reject);
      socket.on('message', (bytes) => {
        const message = decodeMessage(bytes);
        if (!message.ok || message.value.op !== 'reply') return;
        this.listeners.get(message.value.hardwareAddress)?.(message.value);
      });
      const { address, port } = this.wire.to(this.address, 67);
      socket.bind(port, address, () => {
        this.socket = socket;
        resolve(socket);
      });
    });
    return this.starting;
  }
}
