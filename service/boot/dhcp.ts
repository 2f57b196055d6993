/** The DHCP listener: packets in, packets out. What is answered is decided in app/boot. */
import { type Socket, type RemoteInfo } from 'node:dgram';
import { dial, dialled, type DialRow } from '@zpine/core/addressing/dial';
import { decodeMessage, type Message } from '@zpine/core/dhcp/message';
import { problemOf, Refusal } from '@zpine/contract/errors';
import { answerDhcp, type Outgoing } from '../app/boot/answer.ts';
import { noteBoot } from '../app/boot/records.ts';
import { run, type Actor, type Store } from '../store/tx.ts';
import { bound, closed, Queue, type Log } from './sockets.ts';
import { Faults } from '../store/faults.ts';

const actor: Actor = { name: 'boot', via: 'service' };
const SERVER_PORT = 67;
const AT_ONCE = 12;
const DEPTH = 2000;
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
  private readonly queue = new Queue(AT_ONCE, DEPTH);
  private sockets: Socket[] = [];

  constructor(store: Store, options: BootOptions, log: Log) {
    this.store = store;
    this.options = options;
    this.log = log;
    this.faults = new Faults(log);
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
    await this.queue.idle();
    await Promise.all(sockets.map(closed));
  }

  private heard(bytes: Uint8Array, from: RemoteInfo): void {
    const taken = this.queue.add(() => this.answer(bytes, from));
    if (!taken && this.queue.dropped % 1000 === 1)
      this.log.warn({ dropped: this.queue.dropped }, 'more DHCP packets than can be answered');
  }

  private async answer(bytes: Uint8Array, from: RemoteInfo): Promise<void> {
    try {
      const message = decodeMessage(bytes);
      if (!message.ok) {
        const { detail } = problemOf(new Refusal(message.fault.code, message.fault.params));
        const address = dialled(this.options.dialMap, VRF, from.address);
        await run(this.store, actor, 'dhcp', (tx) =>
          noteBoot(tx, { protocol: 'dhcp', what: 'packet', outcome: 'dropped', address, detail }),
        );
        return;
      }
      if (message.value.op !== 'request') return;
      const out = await run(this.store, actor, 'dhcp', (tx) => answerDhcp(tx, message.value));
      if (out) await this.send(out, message.value);
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
