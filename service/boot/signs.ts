/** Listens for signs of life: traps by UDP, log lines by UDP and TCP. Who is nobody's, and not in a prefix of ours, is not heard. */
import type { RemoteInfo, Socket } from 'node:dgram';
import { createServer, type Server, type Socket as TcpSocket } from 'node:net';
import { dial, dialledBy } from '@zpine/core/addressing/dial';
import { LogStream, readLogLine, type LogLine } from '@zpine/core/signs/syslog';
import type { SnmpAccess } from '../app/fleet/access.ts';
import { snmpAccessOf } from '../app/signs/access.ts';
import type { Actor } from '../store/store.ts';
import { readOnly } from '../store/transact.ts';
import { CountedNotes } from './counted.ts';
import type { BootOptions, BootParts } from './dhcp.ts';
import { deviceFrom } from './holder.ts';
import { SignGatherer } from './signGatherer.ts';
import { bound, closed, PacketTurns, type Log } from './sockets.ts';
import { TrapReader } from './trapReader.ts';

const actor: Actor = { name: 'boot', via: 'service' };
const TRAPS = 162;
const LOGS = 514;
const VRF = 'default';
/** RFC 5425, 4.3.1: 8192 octets should be taken; what is beyond is left out. */
const LONGEST_LINE = 8192;
const MOST_STREAMS = 500;
const STREAMS_OF_ONE = 4;
const STREAM_IDLE_MS = 10 * 60_000;
const BOUNDS = { running: 4, runningPerLane: 1, waiting: 500, waitingPerLane: 50 };
/** How long it is believed by which user a device speaks SNMP. */
const BELIEVED_MS = 60_000;
const MOST_BELIEVED = 5000;

export class SignListener {
  private readonly parts: BootParts;
  private readonly options: BootOptions;
  private readonly log: Log;
  private readonly gatherer: SignGatherer;
  private readonly counted: CountedNotes;
  private readonly turns = new PacketTurns(BOUNDS);
  private readonly users = new Map<number, { access: SnmpAccess | undefined; at: number }>();
  private readonly streams = new Map<TcpSocket, string>();
  private sockets: Socket[] = [];
  private server: Server | undefined;
  private seq = 0;

  constructor(parts: BootParts, options: BootOptions, log: Log) {
    this.parts = parts;
    this.options = options;
    this.log = log;
    this.gatherer = new SignGatherer(parts.store, parts.faults);
    this.counted = new CountedNotes('trap', parts.account, parts.clock, options.dialMap);
  }

  async start(): Promise<void> {
    const at = (port: number) => dial(this.options.dialMap, VRF, { address: this.options.address, port });
    const [traps, logs] = [at(TRAPS), at(LOGS)];
    const trapSocket = await bound(traps.address, traps.port);
    const logSocket = await bound(logs.address, logs.port);
    this.sockets = [trapSocket, logSocket];
    const reader = new TrapReader(trapSocket);
    trapSocket.on('message', (bytes, from) => this.trap(reader, bytes, from));
    logSocket.on('message', (bytes, from) => this.line(bytes.subarray(0, LONGEST_LINE).toString('utf8'), from.address));
    for (const socket of this.sockets) socket.on('error', (error) => this.log.warn({ err: error }, 'signs of life'));
    this.server = await this.openStreams(logs);
    this.gatherer.start();
    this.log.info({ traps: traps.port, logs: logs.port, address: traps.address }, 'signs of life are heard');
  }

  async stop(): Promise<void> {
    for (const stream of this.streams.keys()) stream.destroy();
    const { server } = this;
    if (server) await new Promise<void>((done) => server.close(() => done()));
    await Promise.all(this.sockets.map(closed));
    await this.turns.idle();
    this.counted.stop();
    await this.gatherer.stop();
  }

  private openStreams({ address, port }: { address: string; port: number }): Promise<Server> {
    return new Promise((resolve, reject) => {
      const server = createServer((stream) => this.stream(stream));
      server.once('error', reject);
      server.listen(port, address, () => resolve(server));
    });
  }

  private stream(stream: TcpSocket): void {
    const from = stream.remoteAddress ?? '';
    const theirs = [...this.streams.values()].filter((one) => one === from).length;
    if (this.streams.size >= MOST_STREAMS || theirs >= STREAMS_OF_ONE || !this.isOurs(from))
      return void stream.destroy();
    this.streams.set(stream, from);
    const lines = new LogStream(LONGEST_LINE);
    stream.setEncoding('utf8');
    stream.setTimeout(STREAM_IDLE_MS, () => stream.destroy());
    stream.on('data', (text: string) => {
      for (const line of lines.push(text)) this.line(line, from);
    });
    stream.on('error', () => stream.destroy());
    stream.on('close', () => void this.streams.delete(stream));
  }

  /** Whose it is, and where; undefined for nobody who concerns us. */
  private sender(
    from: string,
  ): { address: string; device: number | undefined; prefix: number | undefined } | undefined {
    const address = dialledBy(this.options.dialMap, from);
    const device = deviceFrom(this.parts, address);
    const prefix = this.parts.memory.linksAround(address)[0]?.id;
    return device === undefined && prefix === undefined ? undefined : { address, device, prefix };
  }

  private isOurs(from: string): boolean {
    return this.sender(from) !== undefined;
  }

  private line(raw: string, from: string): void {
    const sender = this.sender(from);
    if (!sender || raw.trim() === '') return;
    const line = readLogLine(raw);
    this.gatherer.add({
      ...sender,
      kind: 'log',
      severity: line.severity,
      text: lineText(line),
      at: this.parts.clock.now(),
    });
  }

  private trap(reader: TrapReader, bytes: Buffer, from: RemoteInfo): void {
    const sender = this.sender(from.address);
    if (!sender) return;
    const take = (access: SnmpAccess | undefined): void => {
      const read = reader.read(bytes, from, access);
      if (!read) return;
      if ('why' in read) return this.counted.note(from.address, `a trap that is not taken: ${read.why}`);
      this.gatherer.add({ ...sender, kind: 'trap', severity: null, text: read.text, at: this.parts.clock.now() });
    };
    const { device } = sender;
    // Only version 3 needs to know by whom.
    if (!reader.isSecure(bytes) || device === undefined) return take(undefined);
    this.turns.add(from.address, `${from.address} ${(this.seq += 1)}`, async () => {
      try {
        take(await this.userOf(device));
      } catch (error) {
        this.parts.faults.say(error, 'a trap could not be read');
      }
    });
  }

  private async userOf(device: number): Promise<SnmpAccess | undefined> {
    const now = this.parts.clock.now();
    const held = this.users.get(device);
    if (held && now - held.at < BELIEVED_MS) return held.access;
    const access = await readOnly(this.parts.store, actor, (tx) => snmpAccessOf(tx, device));
    if (this.users.size >= MOST_BELIEVED) this.users.clear();
    this.users.set(device, { access, at: now });
    return access;
  }
}

const lineText = ({ host, app, text }: LogLine): string =>
  [host, app && `${app}:`, text].filter((part) => part !== null && part !== '').join(' ') || '(nothing)';
