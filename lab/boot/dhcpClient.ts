/** The DHCP client of a booting device (RFC 2131, section 4.4), behind a relay. */
import { randomInt } from 'node:crypto';
import { ipv4Bytes, ipv4Text } from '@zpine/core/dhcp/ipv4';
import { usuallyAsked } from '@zpine/core/dhcp/options';
import { type Message, type MessageType, messageTypes } from '@zpine/core/dhcp/message';
import { utf8Text } from '@zpine/core/text/utf8';
import { sleep } from '../sleep.ts';
import type { Relay } from './relay.ts';

export interface Identity {
  mac: string;
  /** Sent as client identifier of type 0 where there is one. */
  serial: string | undefined;
  vendorClass: string;
}

export interface Lease {
  address: string;
  server: string;
  seconds: number;
  router: string | undefined;
  hostName: string | undefined;
  /** Where the first file lies, if one is told. */
  bootServer: string | undefined;
  bootFile: string | undefined;
  /** Of the option that Linux switches take (224, for use at a site): where their first script lies. */
  script: string | undefined;
}

/** RFC 3942: 224 to 254 are a site's own. */
const SCRIPT = 224;

export class DhcpClient {
  private readonly identity: Identity;
  private readonly relay: Relay;
  private readonly circuit: string | undefined;
  private readonly firstWaitMs: number;

  constructor(identity: Identity, relay: Relay, circuit: string | undefined, firstWaitMs: number) {
    this.identity = identity;
    this.relay = relay;
    this.circuit = circuit;
    this.firstWaitMs = firstWaitMs;
  }

  /** DISCOVER, OFFER, REQUEST, ACK; undefined when nobody answered, or the answer was no. */
  async lease(signal: AbortSignal): Promise<Lease | undefined> {
    const xid = randomInt(2 ** 32);
    const offer = await this.ask(xid, 'DISCOVER', ['OFFER'], new Map(), signal);
    if (!offer) return undefined;
    const wanted = new Map<number, Uint8Array>([
      [50, ipv4Bytes(offer.yourAddress) ?? new Uint8Array()],
      [54, offer.options.get(54) ?? new Uint8Array()],
    ]);
    const answer = await this.ask(xid, 'REQUEST', ['ACK', 'NAK'], wanted, signal);
    return answer && typeOf(answer) === 'ACK' ? leaseFrom(answer) : undefined;
  }

  /** Sends, and sends again with doubled waiting, until one of the wanted answers comes. */
  private async ask(
    xid: number,
    type: MessageType,
    wanted: MessageType[],
    more: Map<number, Uint8Array>,
    signal: AbortSignal,
  ): Promise<Message | undefined> {
    let heard: Message | undefined;
    let wake: (() => void) | undefined;
    const unplug = this.relay.plug(this.identity.mac, (message) => {
      const kind = typeOf(message);
      if (message.xid !== xid || kind === undefined || !wanted.includes(kind)) return;
      heard = message;
      wake?.();
    });
    try {
      for (let attempt = 0; attempt < 4 && !heard && !signal.aborted; attempt += 1) {
        await this.relay.send(this.message(xid, type, more), this.circuit);
        const answered = new AbortController();
        wake = () => answered.abort();
        if (heard) wake();
        await sleep(this.firstWaitMs * 2 ** attempt, signal, answered.signal);
      }
      return heard;
    } finally {
      unplug();
    }
  }

  private message(xid: number, type: MessageType, more: Map<number, Uint8Array>): Message {
    const { mac, serial, vendorClass } = this.identity;
    const encoder = new TextEncoder();
    const options = new Map<number, Uint8Array>([[53, Uint8Array.of(messageTypes.indexOf(type))]]);
    if (serial !== undefined) options.set(61, Uint8Array.of(0, ...encoder.encode(serial)));
    for (const [code, bytes] of more) options.set(code, bytes);
    options.set(55, Uint8Array.from([...usuallyAsked, SCRIPT]));
    options.set(57, Uint8Array.of(5, 220));
    options.set(60, encoder.encode(vendorClass));
    return {
      op: 'request',
      hardwareType: 1,
      hops: 0,
      xid,
      secs: 0,
      broadcast: true,
      clientAddress: '0.0.0.0',
      yourAddress: '0.0.0.0',
      serverAddress: '0.0.0.0',
      relayAddress: '0.0.0.0',
      hardwareAddress: mac,
      serverName: '',
      file: '',
      options,
    };
  }
}

const typeOf = (message: Message): MessageType | undefined =>
  messageTypes[message.options.get(53)?.[0] ?? 0] || undefined;

function leaseFrom(ack: Message): Lease {
  const ip = (code: number): string | undefined => {
    const bytes = ack.options.get(code);
    return bytes && bytes.length >= 4 ? ipv4Text(bytes) : undefined;
  };
  const text = (code: number): string | undefined => utf8Text(ack.options.get(code) ?? new Uint8Array()) || undefined;
  const seconds = ack.options.get(51)?.reduce((sum, byte) => sum * 256 + byte, 0) ?? 0;
  return {
    address: ack.yourAddress,
    server: ip(54) ?? '',
    seconds,
    router: ip(3),
    hostName: text(12),
    bootServer: ip(150) ?? text(66) ?? (ack.serverAddress === '0.0.0.0' ? undefined : ack.serverAddress),
    bootFile: text(67) ?? (ack.file || undefined),
    script: text(SCRIPT),
  };
}
