/** Devices boot while the database is away, and nothing that was promised is lost when anything is killed. */
import { execFile } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { promisify } from 'node:util';
import { expect } from 'chai';
import { dial, parseDialRow } from '@zpine/core/addressing/dial';
import { mustParse } from '@zpine/core/fault';
import type { Client } from '@zpine/contract/client';
import { startMariadb, type Mariadb } from '../../ops/mariadb.ts';
import {
  bootNet,
  clientFor,
  databaseEnv,
  makeUsers,
  startBuiltService,
  tokenFor,
  type TestService,
} from '../../ops/stack.ts';
import { eventually } from '../../trials/eventually.ts';
import { hexOf, kindOf, Packets } from './asking.ts';

const run = promisify(execFile);
const NAME = 'zpine_away';
const SERVER = '10.77.0.10';
const RELAY = '10.77.20.1';
const PREFIX = '10.77.20.0/22';
const hex = (n: number) => n.toString(16).padStart(2, '0');
const macOf = (n: number): string => `02:66:00:00:${hex(n >> 8)}:${hex(n & 255)}`;

describe('booting while something is away', function () {
  this.timeout(120_000);
  const folder = mkdtempSync(join(tmpdir(), 'zpine-away-'));
  const net = bootNet();
  const rows = net.dialMap.map((row) => mustParse(parseDialRow(row)));
  let database: Mariadb;
  let service: TestService;
  let api: Client;
  let packets: Packets;
  const env = () => ({ ...databaseEnv(database, NAME), ...net.env, ZPINE_LOG_LEVEL: 'silent' });
  const begin = async () => {
    service = await startBuiltService(env());
    api = await clientFor(service.url, 'engineer');
    packets = new Packets({ at: (address, port) => dial(rows, 'default', { address, port }), client: api });
  };

  before(async () => {
    database = await startMariadb({ folder, databases: [NAME] });
    await makeUsers(env(), ['engineer']);
    await begin();
    await api.add('vendor', { name: 'larkfield' });
    await api.add('model', { vendor: 'larkfield', name: 'lf-24' });
    await api.add('prefix', { cidr: PREFIX, gateway: RELAY, pool: '10.77.21.0-10.77.23.250', leaseSeconds: 120 });
    const numbers = Array.from({ length: 120 }, (_, n) => n);
    await api.addAll(
      'device',
      numbers.map((n) => ({ name: `d${n}` })),
    );
    await api.addAll(
      'box',
      numbers.map((n) => ({ serial: `LOAD-${n}`, mac: macOf(n), model: 'larkfield/lf-24', device: `d${n}` })),
    );
    // One of two has an address of its own; the others lease theirs.
    const fixed = numbers.filter((n) => n % 2 === 0);
    await api.addAll(
      'interface',
      fixed.map((n) => ({ device: `d${n}`, name: 'management', form: 'routed' })),
    );
    await api.addAll(
      'address',
      fixed.map((n) => ({ address: `10.77.20.${n + 10}`, interface: `d${n}:management` })),
    );
  });
  after(async () => {
    await service.stop('SIGKILL');
    await database.stop();
    rmSync(folder, { recursive: true, force: true });
  });

  const ask = (n: number, more: Parameters<Packets['ask']>[0] = {}) =>
    packets.ask({ mac: macOf(n), relay: RELAY, ...more });
  const leased = async (n: number): Promise<string> => {
    const offer = await ask(n);
    const wanted = offer?.yourAddress ?? '';
    const ack = await ask(n, { type: 'REQUEST', wanted, server: SERVER });
    expect(kindOf(ack), `d${n}`).to.equal('ACK');
    return wanted;
  };
  const held = async () =>
    (await api.call('lease.list', { query: { prefix: PREFIX, state: 'held', limit: '1000' } })).items;
  const seconds = (bytes: string): number => parseInt(bytes, 16);

  it('knows what was changed before the call returns, in another process', async () => {
    await api.edit('prefix', PREFIX, { domain: 'quay.brackwater.example' });
    const offer = await ask(0, { asked: [15] });
    expect(Buffer.from(hexOf(offer, 15), 'hex').toString()).to.equal('quay.brackwater.example');
    await api.edit('prefix', PREFIX, { domain: null });
    expect(hexOf(await ask(0, { asked: [15] }), 15)).to.equal('');
  });

  it('shows how far its memory is what the records say', async () => {
    const headers = { Authorization: `Bearer ${await tokenFor(service.url, 'engineer')}` };
    await eventually('some devices were compared', async () => {
      const text = await (await fetch(`${service.url}/metrics`, { headers })).text();
      const figure = (name: string) => Number(new RegExp(`^zpine_boot_${name} (\\d+)$`, 'm').exec(text)?.[1]);
      expect(figure('differences')).to.equal(0);
      return figure('devices') === 120 && figure('compared') >= 120;
    });
  });

  it('serves what the records promise, promises nothing new, and keeps leases only for the time that is left', async () => {
    const own = await leased(0);
    const pooled = await leased(1);
    await pause(1100);
    process.kill(database.pid, 'SIGKILL');
    await database.ended;
    expect(await leased(0)).to.equal(own);
    // A device that was never heard of, with an address of its own.
    expect(await leased(2)).to.equal('10.77.20.12');
    await eventually('it is known that the database is away', async () => {
      const ack = await ask(1, { type: 'REQUEST', client: pooled });
      return kindOf(ack) === 'ACK' && seconds(hexOf(ack, 51)) < 120;
    });
    expect(kindOf(await ask(3))).to.equal('silence');
    expect(kindOf(await ask(500))).to.equal('silence');
    database = await startMariadb({ folder, databases: [NAME] });
    await eventually('what was promised meanwhile is written down', async () => {
      const items = await held().catch(() => []);
      return items.some(({ device }) => device === 'd2') && items.some(({ address }) => address === pooled);
    });
    await eventually('new leases are given again', async () => kindOf(await ask(3)) === 'OFFER');
    const notes = await packets.records();
    expect(notes.some(({ device }) => device === 'd2')).to.equal(true);
  });

  it('gives files that it held before, and tells the arrival so when the database is back', async () => {
    await api.add('dialect', { name: 'furrow' });
    await api.add('template', {
      name: 'plain',
      dialect: 'furrow',
      source: 'name @{device.name}\nreport to @{boot.life}\n',
    });
    const ready = async (n: number): Promise<string> => {
      const ref = `d${n}`;
      await api.edit('device', ref, { dialect: 'furrow', template: 'plain' });
      const { number } = await api.call('edition.make', { params: { ref }, body: {} });
      const body = { openHours: 1, insist: true };
      await api.call('edition.publish', { params: { ref, number: String(number) }, body, reason: 'a try' });
      return leased(n);
    };
    const fetched = async (n: number, from: string): Promise<string> => {
      const to = dial(rows, 'default', { address: SERVER, port: 69 });
      const own = dial(rows, 'default', { address: from, port: 0 }).address;
      const url = `tftp://${to.address}:${to.port}/d${n}.furrow`;
      return run('curl', ['-sS', '--interface', own, url]).then(
        ({ stdout }) => stdout,
        (error: { stderr: string }) => `refused ${error.stderr}`,
      );
    };
    const [known, closed] = [await ready(8), await ready(10)];
    await api.call('arrival.close', { params: { ref: 'd10' } });
    // Files of open windows are held within a second or two.
    await pause(2500);
    process.kill(database.pid, 'SIGKILL');
    await database.ended;
    expect(await leased(8)).to.equal(known);
    expect(await fetched(8, known)).to.match(/^name d8\nreport to http:\/\/10\.77\.0\.10\S*\/life\/[\w-]{43}\n$/);
    // What nobody is given with the database is given to nobody without it.
    expect(await fetched(10, closed)).to.match(/^refused/);
    expect(await fetched(8, '10.77.20.200')).to.match(/^refused/);
    expect(await fetched(10, known)).to.match(/^refused/);
    database = await startMariadb({ folder, databases: [NAME] });
    await eventually('the arrival has heard of it', async () => {
      const items = await api.call('arrival.list', { query: { device: 'd8', limit: '1' } }).then(
        (page) => page.items,
        () => [],
      );
      const reached = items[0]?.milestones ?? [];
      const asked = reached.find(({ name }) => name === 'file asked');
      return reached.some(({ name }) => name === 'file complete') && typeof asked?.evidence.confirmed === 'string';
    });
    const notes = await packets.records();
    expect(notes.map(({ detail }) => detail).join('\n')).to.match(
      /d8\.furrow, \d+ bytes, from memory: the database is away/,
    );
  });

  it('goes on beside a database that stands still', async () => {
    process.kill(database.pid, 'SIGSTOP');
    try {
      expect(await leased(4)).to.equal('10.77.20.14');
      expect(kindOf(await ask(5))).to.be.oneOf(['OFFER', 'silence']);
    } finally {
      process.kill(database.pid, 'SIGCONT');
    }
    await eventually('it is as before', async () => (await leased(5)) !== '');
  });

  it('loses no acknowledged lease and gives none twice, whenever it is killed', async () => {
    const acknowledged = new Map<number, string>();
    for (let round = 0; round < 5; round += 1) {
      let stop = false;
      const worker = async (first: number) => {
        for (let n = first; !stop; n = 6 + ((n - 6 + 8) % 114)) {
          const offer = await ask(n).catch(() => undefined);
          if (!offer) continue;
          const wanted = offer.yourAddress;
          const ack = await ask(n, { type: 'REQUEST', wanted, server: SERVER }).catch(() => undefined);
          if (kindOf(ack) === 'ACK') acknowledged.set(n, wanted);
        }
      };
      // One socket of the relay at a time: its address is one.
      const work = worker(6 + round);
      await pause(700 + round * 130);
      stop = true;
      await service.stop('SIGKILL');
      await work;
      await begin();
      const rows = await held();
      const byDevice = new Map(rows.map(({ device, address }) => [device, address]));
      for (const [n, address] of acknowledged) {
        // A fixed address is promised by the records; its lease follows.
        if (n % 2 === 0) expect(address).to.equal(`10.77.20.${n + 10}`);
        else expect(byDevice.get(`d${n}`), `d${n} after ${round + 1} kills`).to.equal(address);
      }
      const pooled = [...acknowledged].filter(([n]) => n % 2 === 1).map(([, address]) => address);
      expect(new Set(pooled).size).to.equal(pooled.length);
    }
    expect(acknowledged.size).to.be.greaterThan(20);
  });
});
