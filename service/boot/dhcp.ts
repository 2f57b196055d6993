/** The DHCP listener: packets in, packets out. What is answered is decided in app/boot. */
import type { Socket, RemoteInfo } from 'node:dgram';
import { dial, dialled, type DialRow } from '@zpine/core/addressing/dial';
import type { Outgoing } from '@zpine/core/dhcp/decide';
import { decodeMessage, typeOfMessage, type Message } from '@zpine/core/dhcp/message';
import { problemOf, Refusal } from '@zpine/contract/errors';
import { answerDhcp } from '../app/boot/answer.ts';
import type { Actor, Store } from '../store/store.ts';
import { transact } from '../store/transact.ts';
import { CountedNotes } from './counted.ts';
import { bound, closed, PacketTurns, type Log } from './sockets.ts';
import { Faults } from '../store/faults.ts';

const actor: Actor = { name: 'boot', via: 'service' };
const SERVER_PORT = 67;
/** One relay may keep half of the places busy, and a fifth of the room. */
const BOUNDS = { running: 12, runningPerLane: 6, waiting: 2000, waitingPerLane: 400 };
const VRF = 'default';

export interface BootOptions {
  /** As devices know it. */
  address: string;
  dialMap: readonly DialRow[];
  /** Listen for broadcasts on the own wire, too. */
  broadcast: boolean;
}

export class DhcpListener {
  private readonly store: Store;
  private readonly options: BootOptions;
  private readonly log: Log;
  private readonly faults: Faults;
  private readonly turns = new PacketTurns(BOUNDS);
  private readonly counted: CountedNotes;
  private sockets: Socket[] = [];

  constructor(store: Store, options: BootOptions, log: Log) {
    this.store = store;
    this.options = options;
    this.log = log;
    this.faults = new Faults(log);
    this.counted = new CountedNotes('dhcp', store, options.dialMap, this.faults);
  }

  async start(): Promise<void> {
    const own = dial(this.options.dialMap, VRF, { address: this.options.address, port: SERVER_PORT });
    // A socket on an address receives no broadcasts, one on all addresses cannot choose where it sends from: both are
    // needed, and share the port, where clients hang on the same wire.
    const shared = this.options.broadcast;
    this.sockets = [await bound(own.address, own.port, { broadcast: true, shared })];
    if (shared) this.sockets.push(await bound('0.0.0.0', own.port, { broadcast: true, shared }));
    for (const socket of this.sockets) {
      socket.on('message', (bytes, from) => this.heard(bytes, from));
      socket.on('error', (error) => this.log.warn({ err: error }, 'DHCP socket'));
    }
    this.log.info({ ...own }, 'DHCP listens');
  }

  async stop(): Promise<void> {
    const { sockets } = this;
    this.sockets = [];
    await this.turns.idle();
    await this.counted.stop();
    await Promise.all(sockets.map(closed));
  }

  private heard(bytes: Uint8Array, from: RemoteInfo): void {
    const message = decodeMessage(bytes);
    if (!message.ok) {
      const { detail } = problemOf(new Refusal(message.fault.code, message.fault.params));
      return this.counted.note(from.address, detail);
    }
    if (message.value.op !== 'request') return;
    const type = typeOfMessage(message.value);
    const client = `${message.value.hardwareAddress} ${type.ok ? type.value : ''}`;
    const before = this.turns.dropped;
    this.turns.add(from.address, client, () => this.answer(message.value, from.address));
    // Said now and then, not for each.
    if (this.turns.dropped > before && this.turns.dropped % 1000 === 1)
      this.log.warn({ dropped: this.turns.dropped, from: from.address }, 'more DHCP packets than can be answered');
  }

  private async answer(message: Message, source: string): Promise<void> {
    try {
      const out = await transact(this.store, actor, 'dhcp', (tx) =>
        answerDhcp(tx, message, dialled(this.options.dialMap, VRF, source)),
      );
      if (out && 'counted' in out) this.counted.note(source, out.counted);
      else if (out) await this.send(out, message);
    } catch (error) {
      this.faults.say(error, 'a DHCP packet was not answered');
    }
  }

  private send({ bytes, destination }: Outgoing, request: Message): Promise<void> {
    const [socket] = this.sockets;
    if (!socket) return Promise.resolve();
    const to =
      destination.to === 'broadcast'
        ? { address: '255.255.255.255', port: destination.port }
        : dial(this.options.dialMap, VRF, { address: destination.address, port: destination.port });
    return new Promise((resolve) => {
      socket.send(bytes, to.port, to.address, (error) => {
        if (error) this.log.warn({ err: error, to, mac: request.hardwareAddress }, 'a DHCP reply could not be sent');
        resolve();
      });
    });
  }
}
