/**
 * Devices that lease from a pool, and clients that are nobody's, again and again. Each ACK that they saw has to
 * be in the records afterwards, and no address may be promised to two.
 */
import { createSocket, type Socket } from 'node:dgram';
import { decodeMessage, encodeMessage, messageTypes, typeOfMessage, type Message } from '@zpine/core/dhcp/message';
import { ipv4Bytes } from '@zpine/core/dhcp/ipv4';
import { codeOf } from '@zpine/core/dhcp/options';
import { mustParse } from '@zpine/core/fault';
import type { Attacked } from '../attacked.ts';
import type { Deed } from './deeds.ts';

/** The gateway of a prefix of the demo with a pool and a quarantine pool. */
const RELAY = '10.77.64.1';
const PREFIX = '10.77.64.0/24';
const SERVER = '10.77.0.10';
const CLIENTS = 24;
const WAIT_MS = 400;

const hex = (n: number): string => n.toString(16).padStart(2, '0');

/** Clients of a round have hardware addresses of their own. */
const macOf = (round: number, n: number): string => `02:77:${hex(round >> 8)}:${hex(round & 255)}:00:${hex(n)}`;

/** One socket, many clients: whose answer it is tells its hardware address. */
class Relay {
  private readonly waiting = new Map<string, (message: Message) => void>();
  private readonly socket: Socket = createSocket('udp4');
  private readonly a: Attacked;

  constructor(a: Attacked) {
    this.a = a;
    this.socket.on('message', (bytes) => {
      const read = decodeMessage(bytes);
      if (read.ok) this.waiting.get(read.value.hardwareAddress)?.(read.value);
    });
    // While the service is gone its port is nobody's, which a datagram socket hears of.
    this.socket.on('error', () => undefined);
  }

  open(): Promise<void> {
    const own = this.a.at(RELAY, 67);
    return new Promise((resolve) => this.socket.bind(own.port, own.address, resolve));
  }

  close(): void {
    this.socket.close();
  }

  ask(mac: string, type: 'DISCOVER' | 'REQUEST', more: [number, Uint8Array][] = []): Promise<Message | undefined> {
    const bytes = encodeMessage({
      op: 'request',
      hardwareType: 1,
      hops: 1,
      xid: Math.floor(Math.random() * 0xffff_ffff),
      secs: 0,
      broadcast: false,
      clientAddress: '0.0.0.0',
      yourAddress: '0.0.0.0',
      serverAddress: '0.0.0.0',
      relayAddress: RELAY,
      hardwareAddress: mac,
      serverName: '',
      file: '',
      options: new Map([[codeOf('message-type'), Uint8Array.of(messageTypes.indexOf(type))], ...more]),
    });
    const server = this.a.at(SERVER, 67);
    return new Promise((resolve) => {
      const timer = setTimeout(() => done(undefined), WAIT_MS);
      const done = (message: Message | undefined) => {
        clearTimeout(timer);
        this.waiting.delete(mac);
        resolve(message);
      };
      this.waiting.set(mac, done);
      this.socket.send(mustParse(bytes), server.port, server.address);
    });
  }
}

export async function leases(a: Attacked, round: number): Promise<Deed> {
  const numbers = Array.from({ length: CLIENTS }, (_, n) => n);
  const nameOf = (n: number) => `chaos-lease-${round}-${n}`;
  // Two of three are devices, which lease from the pool; the others are nobody's.
  const known = numbers.filter((n) => n % 3 > 0);
  await a.client.addAll(
    'device',
    known.map((n) => ({ name: nameOf(n) })),
  );
  await a.client.addAll(
    'box',
    known.map((n) => ({ serial: nameOf(n), mac: macOf(round, n), model: 'larkfield/lf-24', device: nameOf(n) })),
  );
  const relay = new Relay(a);
  await relay.open();
  const promised = new Map<string, string>();
  const state = { over: false, said: 0 };
  const client = async (n: number) => {
    const mac = macOf(round, n);
    while (!state.over) {
      const offer = await relay.ask(mac, 'DISCOVER');
      if (!offer) continue;
      const wanted: [number, Uint8Array][] = [
        [codeOf('requested-address'), ipv4Bytes(offer.yourAddress) ?? new Uint8Array()],
        [codeOf('server-identifier'), ipv4Bytes(SERVER) ?? new Uint8Array()],
      ];
      const answer = await relay.ask(mac, 'REQUEST', wanted);
      const type = answer && typeOfMessage(answer);
      if (!answer || !type?.ok || type.value !== 'ACK') continue;
      state.said += 1;
      promised.set(mac, answer.yourAddress);
    }
  };
  const all = numbers.map(client);
  return {
    stop: async () => {
      state.over = true;
      await Promise.all(all);
      relay.close();
    },
    acknowledged: () => state.said,
    faults: async () => {
      const faults: string[] = [];
      const { items } = await a.client.call('lease.list', { query: { prefix: PREFIX, state: 'held', limit: '1000' } });
      const held = new Map(items.map(({ mac, address }) => [mac, address]));
      for (const [mac, address] of promised)
        if (held.get(mac) !== address)
          faults.push(`${mac} was acknowledged ${address}, and ${held.get(mac) ?? 'nothing'} is kept of it`);
      const addresses = [...promised.values()];
      for (const address of new Set(addresses))
        if (addresses.filter((one) => one === address).length > 1) faults.push(`${address} was acknowledged to two`);
      // Room for the clients of the next round.
      for (const { address, mac } of items)
        if (mac.startsWith('02:77:'))
          await a.client.call('lease.end', { body: { address }, reason: 'the round is over' });
      return faults;
    },
  };
}
