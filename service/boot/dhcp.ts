/**
 * The DHCP listener: packets in, packets out. What is answered is decided in core, by what is held in memory; promises
 * that nothing else stands for wait until they are on disk.
 */
import type { Socket, RemoteInfo } from 'node:dgram';
import { dial, type DialRow, type Endpoint } from '@zpine/core/addressing/dial';
import { Ways } from '@zpine/core/addressing/ways';
import { decide, type Decision, type Outgoing } from '@zpine/core/dhcp/decide';
import { ipv4Number } from '@zpine/core/dhcp/ipv4';
import type { BootMemory } from '@zpine/core/dhcp/memory';
import { decodeMessage, typeOfMessage, type Message } from '@zpine/core/dhcp/message';
import { problemOf, Refusal } from '@zpine/contract/errors';
import type { Kept } from '../app/boot/leases.ts';
import type { BootNote } from '../app/boot/records.ts';
import type { Store } from '../store/store.ts';
import type { Faults } from '../store/faults.ts';
import type { Account } from './account.ts';
import type { BootClock } from './clock.ts';
import { CountedNotes } from './counted.ts';
import type { KeptFiles } from './keptFiles.ts';
import type { Ledger } from './ledger.ts';
import { bound, closed, type Log } from './sockets.ts';
import { boundToWire, interfaceOf } from './wire.ts';

const SERVER_PORT = 67;
const VRF = 'default';
/** An offer is held for so long. */
const OFFER_MS = 60_000;
/** An address at which somebody else was found is left alone for so long. */
const DECLINED_MS = 3_600_000;

export interface BootOptions {
  /** As devices know it. */
  address: string;
  dialMap: readonly DialRow[];
  /** Listen for broadcasts on the own wire, too. */
  broadcast: boolean;
}

/** What a boot service consists of, beside its sockets. */
export interface BootParts {
  store: Store;
  memory: BootMemory;
  clock: BootClock;
  ledger: Ledger;
  account: Account;
  kept: KeptFiles;
  faults: Faults;
}

/** A packet, with the address of the socket that it came from. */
type Heard = { from: string; packets: NonNullable<BootNote['packets']> };

export class DhcpListener {
  private readonly parts: BootParts;
  private readonly options: BootOptions;
  private readonly log: Log;
  private readonly counted: CountedNotes;
  private sockets: Socket[] = [];
  /** Relays and clients are dialled again and again. */
  private readonly ways: Ways;

  constructor(parts: BootParts, options: BootOptions, log: Log) {
    this.parts = parts;
    this.options = options;
    this.log = log;
    this.ways = new Ways(options.dialMap);
    this.counted = new CountedNotes('dhcp', parts.account, parts.clock, options.dialMap);
  }

  async start(): Promise<void> {
    const own = dial(this.options.dialMap, VRF, { address: this.options.address, port: SERVER_PORT });
    // A socket on an address receives no broadcasts, one on all addresses cannot choose where it sends from: both are
    // needed, and share the port, where clients hang on the same wire.
    const shared = this.options.broadcast;
    this.hears(await bound(own.address, own.port, { broadcast: true, shared }), false);
    if (shared) this.hears(await this.wire(own), true);
    this.log.info({ ...own }, 'DHCP listens');
  }

  async stop(): Promise<void> {
    const { sockets } = this;
    this.sockets = [];
    this.counted.stop();
    await this.parts.ledger.stop();
    await Promise.all(sockets.map(closed));
  }

  /** Broadcasts of the own wire: those of other wires of this machine are nobody's business here. */
  private async wire(own: Endpoint): Promise<Socket> {
    const name = interfaceOf(own.address);
    try {
      if (name !== undefined) return await boundToWire(name, own.port);
      this.log.warn({ ...own }, 'the boot address is on no interface: broadcasts of all wires are answered');
    } catch (error) {
      this.log.warn({ err: error }, 'broadcasts of all wires are answered: one alone cannot be heard here');
    }
    return bound('0.0.0.0', own.port, { broadcast: true, shared: true });
  }

  private hears(socket: Socket, broadcast: boolean): void {
    this.sockets.push(socket);
    socket.on('message', (bytes, from) => {
      try {
        this.heard(bytes, from, broadcast);
      } catch (error) {
        this.parts.faults.say(error, 'a DHCP packet was not answered');
      }
    });
    socket.on('error', (error) => this.log.warn({ err: error }, 'DHCP socket'));
  }

  private heard(bytes: Uint8Array, from: RemoteInfo, broadcast: boolean): void {
    const message = decodeMessage(bytes);
    if (!message.ok) {
      const { detail } = problemOf(new Refusal(message.fault.code, message.fault.params));
      return this.counted.note(from.address, detail, macIn(bytes));
    }
    if (message.value.op !== 'request') return;
    const { memory, clock } = this.parts;
    const source = this.ways.from(from.address);
    const now = clock.now();
    const decision = decide(memory, message.value, { source, broadcast }, now);
    const { out } = decision;
    const packets = { request: Uint8Array.from(bytes), reply: out?.bytes, source, broadcast };
    this.carryOut(decision, message.value, { from: from.address, packets }, now);
  }

  private carryOut(decision: Decision, message: Message, heard: Heard, now: number): void {
    const { outcome, detail, client, link, device, stranger, refusedRelay, arrival = [] } = decision;
    const { account, memory } = this.parts;
    // Counted from this moment on: a flood lists no more of them while the first are being written down.
    if (link && stranger && !memory.strangers.has(client.word))
      memory.strangers.put(client.word, { prefix: link.id, settled: false });
    if (link && device && outcome === 'answered' && memory.strangers.waits(client.word)) {
      memory.strangers.put(client.word, { prefix: link.id, settled: true });
      account.known(device.id, client);
    }
    if (device && decision.vain)
      account.vain(device.id, { ...decision.vain, relay: client.relay, circuit: client.circuit });
    if (link && refusedRelay) account.relay(link, refusedRelay.relay, refusedRelay.source);
    if (outcome === 'counted') {
      if (device && device.window !== null) account.arrival(device.id, arrival);
      if (device && decision.overheard) memory.hears(decision.overheard, device.id, now);
      return this.counted.note(heard.from, detail);
    }
    const told = (said = detail, how: 'answered' | 'refused' | 'dropped' | 'broken' = outcome): void => {
      if (link && stranger) account.stranger({ client, link, ...stranger });
      if (device && device.window !== null) account.arrival(device.id, arrival);
      const type = typeOfMessage(message);
      const what = type.ok ? type.value : 'message';
      const note = {
        protocol: 'dhcp' as const,
        what,
        outcome: how,
        mac: client.mac,
        detail: said,
        packets: heard.packets,
      };
      account.note({ ...note, address: decision.address, device: device?.id }, now);
    };
    this.giveBack(decision, now);
    const row = rowOf(decision, now);
    if (!row || !decision.out || !decision.lease) {
      if (decision.out) this.send(decision.out, message);
      return told();
    }
    if (!decision.lease.acknowledged) {
      if (row.source !== 'fixed') this.parts.ledger.offer({ ...row, expires: now + OFFER_MS, acknowledged: false });
      this.send(decision.out, message);
      return told();
    }
    const { out } = decision;
    // The records promise a fixed address; of a lease that is on disk no more is promised while the database is away.
    if (row.source === 'fixed' || memory.away) {
      this.parts.ledger.keep(row);
      this.send(out, message);
      return told();
    }
    this.parts.ledger.keep(row, (how) => {
      if (how === 'kept') {
        this.send(out, message);
        return told();
      }
      const why = how === 'lost' ? 'another client was given it first' : 'it could not be written down';
      told(`no ACK of ${decision.address ?? ''}: ${why}`, 'dropped');
    });
  }

  private giveBack({ given, client, device }: Decision, now: number): void {
    if (!given) return;
    const address = ipv4Number(given.address) ?? 0;
    const { vrf, prefix } = given;
    const about = { vrf, prefix, address, acknowledged: false, mac: client.mac, heard: now };
    const { ledger } = this.parts;
    if (given.verb === 'declined')
      return ledger.keep({ ...about, source: 'declined', word: '', device: null, expires: now + DECLINED_MS });
    const source = given.source;
    ledger.keep({ ...about, source, word: client.word, device: device?.id ?? null, expires: now });
  }

  private send({ bytes, destination, vrf }: Outgoing, request: Message): void {
    const [socket] = this.sockets;
    if (!socket) return;
    const to =
      destination.to === 'broadcast'
        ? { address: '255.255.255.255', port: destination.port }
        : this.ways.to(vrf, destination.address, destination.port);
    socket.send(bytes, to.port, to.address, (error) => {
      if (error) this.log.warn({ err: error, to, mac: request.hardwareAddress }, 'a DHCP reply could not be sent');
    });
  }
}

/** The lease that a decision promises, as it is to be written down. */
function rowOf({ offer, lease, client, device }: Decision, now: number): Kept | undefined {
  if (!offer || !lease) return undefined;
  return {
    vrf: offer.link.vrf,
    prefix: offer.link.id,
    address: ipv4Number(offer.address) ?? 0,
    source: offer.source,
    word: client.word,
    mac: client.mac,
    device: device?.id ?? null,
    expires: now + lease.seconds * 1000,
    acknowledged: lease.acknowledged,
    heard: now,
  };
}

/** Of a message that cannot be read: its hardware address stands at a fixed place (RFC 2131, section 2). */
function macIn(bytes: Uint8Array): string | undefined {
  const length = bytes[2] ?? 0;
  if (length === 0 || length > 16 || bytes.length < 28 + length) return undefined;
  return Array.from(bytes.subarray(28, 28 + length), (byte) => byte.toString(16).padStart(2, '0')).join(':');
}
