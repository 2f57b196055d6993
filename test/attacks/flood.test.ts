/** One relay must not silence another: floods from one place, a device that boots in another. */
import { createSocket, type Socket } from 'node:dgram';
import { setTimeout as pause } from 'node:timers/promises';
import { expect } from 'chai';
import { encodeMessage, messageTypes } from '@zpine/core/dhcp/message';
import { codeOf } from '@zpine/core/dhcp/options';
import { mustParse } from '@zpine/core/fault';
import { encodePacket } from '@zpine/core/tftp/packet';
import { attacked, beside, type Attacked } from './bench.ts';

const MOSSNESS = '10.77.64.1';
const PER_SECOND = 2000;
const SECONDS = 5;

function discover(n: number): Uint8Array {
  const mac = `02:aa:00:${[n >> 16, n >> 8, n].map((b) => (b & 255).toString(16).padStart(2, '0')).join(':')}`;
  const message = encodeMessage({
    op: 'request',
    hardwareType: 1,
    hops: 1,
    xid: n,
    secs: 0,
    broadcast: false,
    clientAddress: '0.0.0.0',
    yourAddress: '0.0.0.0',
    serverAddress: '0.0.0.0',
    relayAddress: MOSSNESS,
    hardwareAddress: mac,
    serverName: '',
    file: '',
    options: new Map([[codeOf('message-type'), Uint8Array.of(messageTypes.indexOf('DISCOVER'))]]),
  });
  return mustParse(message);
}

describe('floods from one place', function () {
  this.timeout(120_000);
  let a: Attacked;
  before(async () => {
    a = await attacked();
  });
  after(() => a.end());

  async function bound(address: string, port: number): Promise<Socket> {
    const socket = createSocket('udp4');
    const own = a.at(address, port);
    await new Promise<void>((done) => socket.bind(own.port, own.address, () => done()));
    return socket;
  }

  async function flood(from: string, to: number, packet: (n: number) => Uint8Array): Promise<void> {
    const socket = await bound(from, 67);
    const server = a.at('10.77.0.10', to);
    const begun = Date.now();
    for (let sent = 0; sent < PER_SECOND * SECONDS;) {
      const due = Math.min(PER_SECOND * SECONDS, ((Date.now() - begun) / 1000) * PER_SECOND);
      for (; sent < due; sent += 1) socket.send(packet(sent), server.port, server.address);
      await pause(5);
    }
    socket.close();
  }

  const listed = async (): Promise<number> =>
    (await a.client.call('stranger.dismissMany', { body: { apply: false } })).count;

  it(`${PER_SECOND} clients a second that nobody knows: others get their offers, few are listed, all go at once`, async () => {
    const before = await listed();
    const seen = await beside(a, () => flood(MOSSNESS, 67, discover));
    // Less than a second is what is promised; ten times that with the sender on the same two cores.
    expect(seen.bootMs).to.be.lessThan(5000);
    expect(seen.healthMs).to.be.lessThan(5000);
    expect(seen.asked).to.be.greaterThan(2);
    const now = await listed();
    // So many, and those that were under way when the list was full.
    expect(now - before).to.be.within(1, 200 + 12);
    const { count } = await a.client.call('stranger.dismissMany', { body: { prefix: '10.77.64.0/24', apply: true } });
    expect(count).to.be.at.most(200 + 12);
    // What was under way meanwhile may have been listed after that.
    expect(await listed()).to.be.at.most(before + 12);
  });

  it('packets that cannot be read: counted, not written one by one', async () => {
    const seen = await beside(a, () => flood(MOSSNESS, 67, () => Uint8Array.of(1, 2, 3)));
    expect(seen.bootMs).to.be.lessThan(5000);
    await pause(11_000);
    const { items } = await a.client.call('boot.records', { query: { outcome: 'dropped', limit: '200' } });
    const rows = items.filter(
      ({ what, address, detail }) => what === 'packet' && address === MOSSNESS && !/strangers/.test(detail),
    );
    expect(rows.length).to.be.within(1, 5);
    const times = rows.reduce((sum, row) => sum + row.times, 0);
    expect(times).to.be.greaterThan((PER_SECOND * SECONDS) / 2);
    expect(times).to.be.at.most(PER_SECOND * SECONDS);
  });

  it('one client that asks for hundreds of files at once has a few, others have theirs', async () => {
    const sockets = await Promise.all(
      Array.from({ length: 60 }, async () => {
        const socket = createSocket('udp4');
        await new Promise<void>((done) => socket.bind(0, a.at('10.77.16.240', 69).address, () => done()));
        return socket;
      }),
    );
    const server = a.at('10.77.0.10', 69);
    const answers: number[] = [];
    for (const socket of sockets) {
      socket.on('message', (bytes) => answers.push(bytes[1] ?? 0));
      const request = { kind: 'read' as const, name: 'x', mode: 'octet' as const, options: { timeout: '255' } };
      socket.send(encodePacket(request), server.port, server.address);
    }
    const seen = await beside(a, () => pause(1500));
    for (const socket of sockets) socket.close();
    // Errors (5), for a file that is not theirs; nobody waits for a place.
    expect(answers.length).to.be.greaterThan(30);
    expect(answers.every((code) => code === 5)).to.equal(true);
    expect(seen.bootMs).to.be.lessThan(3000);
  });
});
