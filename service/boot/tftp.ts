/** The TFTP listener: a socket for requests, one more for each transfer. Which file is given is decided in app/boot. */
import type { Socket, RemoteInfo } from 'node:dgram';
import { dial, dialledBy } from '@zpine/core/addressing/dial';
import { decodePacket, encodePacket, errorCodes, type Packet } from '@zpine/core/tftp/packet';
import { begin, sentBytes, step, type Event, type Sending, type Step } from '@zpine/core/tftp/sending';
import { problemOf, Refusal } from '@zpine/contract/errors';
import type { GivenFile } from '../app/boot/fileAnswer.ts';
import type { BootOptions, BootParts } from './dhcp.ts';
import { CountedNotes } from './counted.ts';
import { endTransfer, giveFile } from './giving.ts';
import { bound, closed, PacketTurns, type Log } from './sockets.ts';

const PORT = 69;
const BOUNDS = { running: 12, runningPerLane: 4, waiting: 500, waitingPerLane: 100 };
const MOST_TRANSFERS = 500;
/** Of one client: loaders that fetch several files at once have a handful. */
const MOST_OF_CLIENT = 8;
/** A transfer ends after that, however little is left: what is served here goes through in a fraction of it. */
const LONGEST_MS = 30 * 60_000;
const VRF = 'default';

type ReadRequest = Extract<Packet, { kind: 'read' | 'write' }>;

export class TftpListener {
  private readonly parts: BootParts;
  private readonly options: BootOptions;
  private readonly log: Log;
  private readonly turns = new PacketTurns(BOUNDS);
  private readonly counted: CountedNotes;
  /** By the client's address and port: a request that comes again belongs to the transfer that is under way. */
  private readonly transfers = new Map<string, { client: string; stop: (why: string) => void; began: () => boolean }>();
  private socket: Socket | undefined;
  private own = '';

  constructor(parts: BootParts, options: BootOptions, log: Log) {
    this.parts = parts;
    this.options = options;
    this.log = log;
    this.counted = new CountedNotes('tftp', parts.account, parts.clock, options.dialMap);
  }

  async start(): Promise<void> {
    const own = dial(this.options.dialMap, VRF, { address: this.options.address, port: PORT });
    this.own = own.address;
    this.socket = await bound(own.address, own.port);
    this.socket.on('message', (bytes, from) => this.heard(bytes, from));
    this.socket.on('error', (error) => this.log.warn({ err: error }, 'TFTP socket'));
    this.log.info({ ...own }, 'TFTP listens');
  }

  async stop(): Promise<void> {
    const { socket } = this;
    this.socket = undefined;
    for (const transfer of this.transfers.values()) transfer.stop('the service was stopped');
    await this.turns.idle();
    this.counted.stop();
    if (socket) await closed(socket);
  }

  private heard(bytes: Uint8Array, from: RemoteInfo): void {
    const key = `${from.address} ${from.port}`;
    const before = this.transfers.get(key);
    // What comes again before anything was acknowledged is the same request. A loader that lost its power begins anew
    // from the same port.
    if (before && !before.began()) return;
    before?.stop('the client began anew');
    this.turns.add(from.address, key, async () => {
      try {
        await this.request(bytes, from, key);
      } catch (error) {
        this.transfers.delete(key);
        this.refuse(from, errorCodes.undefined, 'the service cannot answer just now');
        this.parts.faults.say(error, 'a TFTP request was not answered');
      }
    });
  }

  private refuse(to: RemoteInfo, code: number, message: string): void {
    this.socket?.send(encodePacket({ kind: 'error', code, message }), to.port, to.address);
  }

  private async request(bytes: Uint8Array, from: RemoteInfo, key: string): Promise<void> {
    const address = dialledBy(this.options.dialMap, from.address);
    const note = (detail: string) =>
      this.parts.account.note(
        { protocol: 'tftp', what: 'request', outcome: 'refused', address, detail },
        this.parts.clock.now(),
      );
    const packet = decodePacket(bytes);
    if (!packet.ok) {
      const { detail } = problemOf(new Refusal(packet.fault.code, packet.fault.params));
      this.refuse(from, errorCodes.illegal, detail);
      return this.counted.note(from.address, detail);
    }
    if (packet.value.kind === 'write') {
      this.refuse(from, errorCodes.access, 'nothing is written here');
      return note(`it wanted to write ${packet.value.name}`);
    }
    if (packet.value.kind !== 'read') {
      this.refuse(from, errorCodes.unknownTransfer, 'there is no such transfer');
      return;
    }
    const { name } = packet.value;
    if (this.transfers.has(key)) return;
    const theirs = [...this.transfers.values()].filter(({ client }) => client === from.address).length;
    if (this.transfers.size >= MOST_TRANSFERS || theirs >= MOST_OF_CLIENT)
      return this.refuse(from, errorCodes.undefined, 'too many transfers at once; try again');
    this.transfers.set(key, { client: from.address, stop: () => undefined, began: () => false });
    const file = await giveFile(this.parts, { name, from: address, transport: 'tftp' });
    if (!file.ok) {
      this.transfers.delete(key);
      const [code, words] =
        file.code === 'not-found'
          ? [errorCodes.notFound, 'there is no such file']
          : [errorCodes.access, 'it is not for you, or not now'];
      return this.refuse(from, code, words);
    }
    await this.transfer(packet.value, file, from, key, file.confirmed);
  }

  /** Sends the file from a port of its own (RFC 1350, section 4). */
  private async transfer(
    request: ReadRequest,
    file: GivenFile,
    from: RemoteInfo,
    key: string,
    confirmed: number | undefined,
  ): Promise<void> {
    const socket = await bound(this.own, 0);
    const started = Date.now();
    const first = begin(request, file.content);
    let state: Sending = first.state;
    let timer: NodeJS.Timeout | undefined;
    const end = (how: { ok: true; seconds: number } | { ok: false; why: string }) => {
      clearTimeout(timer);
      clearTimeout(longest);
      this.transfers.delete(key);
      void closed(socket);
      const about = {
        device: file.device,
        name: request.name,
        bytes: how.ok ? file.shown.bytes : sentBytes(state),
        fingerprint: file.shown.fingerprint,
        leg: file.leg,
        transport: 'tftp' as const,
      };
      this.turns.add(from.address, `${key} ended`, () => endTransfer(this.parts, about, how, confirmed));
    };
    const follow = (done: Step) => {
      state = done.state;
      for (const datagram of done.send) socket.send(datagram, from.port, from.address);
      if (done.ended)
        return end(
          done.ended.ok ? { ok: true, seconds: (Date.now() - started) / 1000 } : { ok: false, why: done.ended.detail },
        );
      if (done.send.length > 0) {
        clearTimeout(timer);
        timer = setTimeout(() => follow(step(state, 'timeout')), state.options.timeoutSeconds * 1000);
      }
    };
    const longest = setTimeout(() => end({ ok: false, why: 'it took longer than transfers may' }), LONGEST_MS);
    this.transfers.set(key, {
      client: from.address,
      stop: (why) => end({ ok: false, why }),
      began: () => state.acknowledged > 0,
    });
    socket.on('message', (bytes, peer) => {
      // RFC 1350, section 4: a stranger on this port is told so, and the transfer goes on.
      if (peer.port !== from.port || peer.address !== from.address) {
        socket.send(
          encodePacket({ kind: 'error', code: errorCodes.unknownTransfer, message: 'this transfer is not yours' }),
          peer.port,
          peer.address,
        );
        return;
      }
      const packet = decodePacket(bytes);
      if (packet.ok) follow(step(state, { packet: packet.value } satisfies Event));
    });
    socket.on('error', (error) => end({ ok: false, why: error.message }));
    follow(first);
  }
}
