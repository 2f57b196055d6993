/** The TFTP listener: a socket for requests, one more for each transfer. Which file is given is decided in app/boot. */
import type { Socket, RemoteInfo } from 'node:dgram';
import { dial, dialledBy } from '@zpine/core/addressing/dial';
import { decodePacket, encodePacket, errorCodes, toNetascii, type Packet } from '@zpine/core/tftp/packet';
import { begin, sentBytes, step, type Event, type Sending, type Step } from '@zpine/core/tftp/sending';
import { problemOf, Refusal } from '@zpine/contract/errors';
import type { GivenFile } from '../app/boot/fileAnswer.ts';
import type { BootOptions, BootParts } from './dhcp.ts';
import { inMemory, isText, openedContent, type FileContent } from './fileContent.ts';
import { deviceFrom } from './holder.ts';
import { takeFile } from './tftpWrite.ts';
import { CountedNotes } from './counted.ts';
import { endTransfer, giveFile } from './giving.ts';
import { bound, closed, closedSoon, PacketTurns, type Log } from './sockets.ts';

const PORT = 69;
const BOUNDS = { running: 12, runningPerLane: 4, waiting: 500, waitingPerLane: 100 };
const MOST_TRANSFERS = 500;
/** Of one client: loaders that fetch several files at once have a handful. */
const MOST_OF_CLIENT = 8;
/** Each of them is held in memory as a whole. */
const MOST_WRITES = 20;
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
  /** Devices that send something just now. */
  private readonly writing = new Set<number>();
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
    const packet = decodePacket(bytes);
    if (!packet.ok) {
      const { detail } = problemOf(new Refusal(packet.fault.code, packet.fault.params));
      this.refuse(from, errorCodes.illegal, detail);
      return this.counted.note(from.address, detail);
    }
    if (packet.value.kind !== 'read' && packet.value.kind !== 'write') {
      this.refuse(from, errorCodes.unknownTransfer, 'there is no such transfer');
      return;
    }
    const { name } = packet.value;
    if (this.transfers.has(key)) return;
    const theirs = [...this.transfers.values()].filter(({ client }) => client === from.address).length;
    if (this.transfers.size >= MOST_TRANSFERS || theirs >= MOST_OF_CLIENT)
      return this.refuse(from, errorCodes.undefined, 'too many transfers at once; try again');
    this.transfers.set(key, { client: from.address, stop: () => undefined, began: () => false });
    if (packet.value.kind === 'write') return this.write(packet.value, from, key, address);
    const file = await giveFile(this.parts, { name, from: address, transport: 'tftp' });
    if (!file.ok) {
      this.transfers.delete(key);
      const [code, words] =
        file.code === 'not-found'
          ? [errorCodes.notFound, 'there is no such file']
          : [errorCodes.access, 'it is not for you, or not now'];
      return this.refuse(from, code, words);
    }
    const { mode } = packet.value;
    if (mode === 'netascii' && !isText(file.content)) {
      this.transfers.delete(key);
      return this.refuse(from, errorCodes.illegal, 'an image is fetched in the mode octet');
    }
    const content =
      mode === 'netascii' && isText(file.content)
        ? inMemory(toNetascii(file.content))
        : await openedContent(this.parts.store.contents, file.content);
    await this.transfer(packet.value, { ...file, content }, from, key, file.confirmed);
  }

  private async write(request: ReadRequest, from: RemoteInfo, key: string, address: string): Promise<void> {
    const device = deviceFrom(this.parts, address);
    const refuse = (words: string, detail?: string): void => {
      this.transfers.delete(key);
      this.refuse(from, errorCodes.access, words);
      const note = { protocol: 'tftp', what: 'write', outcome: 'refused', address, device } as const;
      if (detail !== undefined) this.parts.account.note({ ...note, detail }, this.parts.clock.now());
    };
    // Whoever is nobody costs no look into the records.
    if (device === undefined)
      return refuse(
        'nothing is expected from you',
        `it wanted to write ${request.name}: ${address} is the address of no device`,
      );
    if (this.writing.has(device) || this.writing.size >= MOST_WRITES)
      return refuse('too many transfers at once; try again');
    this.writing.add(device);
    const writing = { device, from: address, name: request.name };
    const kept = () => void this.writing.delete(device);
    const ended = () => {
      this.transfers.delete(key);
      kept();
    };
    const taken = await takeFile(this.parts, { request, from, own: this.own, writing, kept, ended }).catch(
      (error: unknown) => {
        ended();
        throw error;
      },
    );
    if (typeof taken === 'string') {
      ended();
      return refuse('nothing is expected from you');
    }
    this.transfers.set(key, { client: from.address, ...taken });
  }

  /** Blocks of what is in memory go out at once; for others the content is read, and what comes behind them waits. */
  private sendAll(
    socket: Socket,
    to: RemoteInfo,
    content: FileContent,
    send: Step['send'],
    failed: (why: string) => void,
  ): void {
    for (const [i, one] of send.entries()) {
      if (one instanceof Uint8Array) {
        socket.send(one, to.port, to.address);
        continue;
      }
      const bytes = content.read(one.from, one.to);
      if (bytes instanceof Uint8Array) {
        socket.send([dataHead(one.block), bytes], to.port, to.address);
        continue;
      }
      bytes.then(
        () => this.sendAll(socket, to, content, send.slice(i), failed),
        (error: unknown) => failed(error instanceof Error ? error.message : String(error)),
      );
      return;
    }
  }

  /** Sends the file from a port of its own (RFC 1350, section 4). */
  private async transfer(
    request: ReadRequest,
    file: Omit<GivenFile, 'content'> & { content: FileContent },
    from: RemoteInfo,
    key: string,
    confirmed: number | undefined,
  ): Promise<void> {
    const socket = await bound(this.own, 0);
    const started = Date.now();
    const { content } = file;
    const first = begin(request, content.length);
    let state: Sending = first.state;
    let timer: NodeJS.Timeout | undefined;
    let over = false;
    const end = (how: { ok: true; seconds: number } | { ok: false; why: string }) => {
      clearTimeout(timer);
      clearTimeout(longest);
      this.transfers.delete(key);
      if (over) return;
      over = true;
      closedSoon(socket);
      content.close();
      const about = {
        device: file.device,
        name: request.name,
        bytes: how.ok ? file.shown.bytes : sentBytes(state),
        fingerprint: file.shown.fingerprint,
        leg: file.leg,
        image: file.image,
        further: file.further,
        transport: 'tftp' as const,
      };
      this.turns.add(from.address, `${key} ended`, () => endTransfer(this.parts, about, how, confirmed));
    };
    const follow = (done: Step) => {
      state = done.state;
      this.sendAll(socket, from, content, done.send, (why) => end({ ok: false, why }));
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

/** 03, and the number of the block: what a DATA packet begins with (RFC 1350, section 5). */
const dataHead = (block: number): Uint8Array => Uint8Array.of(0, 3, (block >> 8) & 255, block & 255);
