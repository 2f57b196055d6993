/** Two services on one database, as two machines have them: what one promises the other knows, or leaves alone. */
import { expect } from 'chai';
import { dial, parseDialRow } from '@zpine/core/addressing/dial';
import { mustParse } from '@zpine/core/fault';
import { bootNet, clientFor, keyFile, startBuiltService, type TestService } from '../../ops/stack.ts';
import { eventually } from '../../trials/eventually.ts';
import { demoService, type TestBench } from '../service.ts';
import { kindOf, Packets } from './asking.ts';

const RELAY = '10.77.94.1';
const PREFIX = '10.77.94.0/24';
const SERVER = '10.77.0.10';
const ROUNDS = 8;
const mac = (n: number): string => `02:99:00:00:00:0${n}`;

describe('two services that answer booting devices', function () {
  this.timeout(60_000);
  let bench: TestBench;
  const services: TestService[] = [];
  const packets: Packets[] = [];
  before(async () => {
    bench = await demoService(bootNet().env);
    const { admin } = bench.clients;
    await admin.add('prefix', { cidr: PREFIX, gateway: RELAY, pool: '10.77.94.50' });
    for (const n of [1, 2]) {
      await admin.add('device', { name: `pair-${n}` });
      await admin.add('box', { serial: `PAIR-${n}`, mac: mac(n), model: 'larkfield/lf-24', device: `pair-${n}` });
    }
    const database = {
      ZPINE_DATABASE_SOCKET: process.env.ZPINE_TEST_SOCKET ?? '',
      ZPINE_DATABASE_PASSWORD: process.env.ZPINE_TEST_PASSWORD ?? '',
      ZPINE_DATABASE_NAME: bench.databaseName,
      ZPINE_KEY_FILE: keyFile,
    };
    for (let n = 0; n < 2; n += 1) {
      // Each on a stretch of loopback of its own: the same addresses, two hosts.
      const net = bootNet();
      const rows = net.dialMap.map((row) => mustParse(parseDialRow(row)));
      const service = await startBuiltService({ ...database, ...net.env });
      const client = await clientFor(service.url, 'engineer');
      services.push(service);
      packets.push(new Packets({ at: (address, port) => dial(rows, 'default', { address, port }), client }));
    }
  });
  after(async () => {
    for (const service of services) await service.stop();
    await bench.stop();
  });

  const ask = (n: number, more: Parameters<Packets['ask']>[0] = {}) =>
    packets[n]?.ask({ mac: mac(n + 1), relay: RELAY, ...more }) ?? Promise.reject(new Error('no such service'));

  it('promise the last address of a pool to one of two that ask at the same moment', async () => {
    const won = new Set<number>();
    for (let round = 0; round < ROUNDS; round += 1) {
      await eventually('both have it to offer', async () => {
        const offers = await Promise.all([ask(0), ask(1)]);
        return offers.every((one) => one?.yourAddress === '10.77.94.50');
      });
      const request = { type: 'REQUEST' as const, wanted: '10.77.94.50', server: SERVER };
      const answers = await Promise.all([ask(0, request), ask(1, request)]);
      const acknowledged = answers.flatMap((one, n) => (kindOf(one) === 'ACK' ? [n] : []));
      expect(acknowledged.length, `round ${round + 1}: ${answers.map(kindOf).join(', ')}`).to.equal(1);
      won.add(acknowledged[0] ?? -1);
      const { items } = await bench.clients.admin.call('lease.list', { query: { prefix: PREFIX, state: 'held' } });
      expect(items.map(({ device }) => device)).to.deep.equal([`pair-${(acknowledged[0] ?? 0) + 1}`]);
      await bench.clients.admin.call('lease.end', { body: { address: '10.77.94.50' } });
    }
    expect(won.size).to.be.greaterThan(0);
  });

  it('leave a client to the one whose offer it takes', async () => {
    const offers = await Promise.all([ask(0), ask(1)]);
    expect(offers.map(kindOf)).to.include('OFFER');
    // Both hear the broadcast; it names one of them.
    const request = { type: 'REQUEST' as const, wanted: '10.77.94.50', server: '10.77.0.11' };
    expect(kindOf(await ask(0, request))).to.equal('silence');
    const { items } = await bench.clients.admin.call('lease.list', { query: { prefix: PREFIX, state: 'held' } });
    expect(items).to.deep.equal([]);
  });
});
