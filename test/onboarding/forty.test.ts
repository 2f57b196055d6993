/** Forty switches in one window, some with faults, the service killed in the midst: each serves, or its arrival says why not. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import type { Client } from '@zpine/contract/client';
import type { Board } from '@zpine/contract/batchRoutes';
import { loadDemo } from '@zpine/demo/load';
import type { Fault } from '@zpine/lab/faults';
import type { Lab } from '@zpine/lab/lab';
import {
  bootNet,
  clientFor,
  imageFolder,
  keyFile,
  makeUsers,
  startBuiltService,
  type TestService,
} from '../../ops/stack.ts';
import { eventually } from '../../trials/eventually.ts';
import { emptyDatabase } from '../service.ts';
import { newLab } from './bench.ts';

const COUNT = 40;

/** What is wrong with every so many of them, and the words that their arrivals have for it. */
const planted: [fault: Fault, words: RegExp][] = [
  ['ignores-file', /^no file request/],
  ['rejects-line', /^line rejected/],
  ['other-password', /^(SSH|sign-in) refused/],
  ['no-room', /^not kept/],
];
const faultOf = (n: number): [Fault, RegExp] | undefined =>
  n % 5 === 0 ? planted[(n / 5) % planted.length] : undefined;

describe('forty switches at once', function () {
  this.timeout(240_000);
  const folder = mkdtempSync(join(tmpdir(), 'zpine-lab-'));
  let service: TestService;
  let client: Client;
  let lab: Lab;
  let env: Record<string, string>;
  const start = async () => {
    service = await startBuiltService(env);
    client = await clientFor(service.url, 'admin');
  };

  before(async () => {
    const net = bootNet();
    env = {
      ZPINE_DATABASE_SOCKET: process.env.ZPINE_TEST_SOCKET ?? '',
      ZPINE_DATABASE_PASSWORD: process.env.ZPINE_TEST_PASSWORD ?? '',
      ZPINE_DATABASE_NAME: await emptyDatabase(),
      ZPINE_KEY_FILE: keyFile,
      ZPINE_IMAGE_FOLDER: imageFolder,
      ZPINE_WAIT_PROBE: '1',
      ZPINE_WAIT_FILE: '10',
      ...net.env,
    };
    await makeUsers(env, ['admin']);
    await start();
    await loadDemo(client, () => undefined);
    lab = newLab(net, folder);
  });
  after(async () => {
    await lab.stop();
    await service.stop();
    rmSync(folder, { recursive: true, force: true });
  });

  const board = (): Promise<Board> => client.call('batch.board', { params: { ref: 'forty' } });

  it('all serve, or say why not, though the service is killed once', async () => {
    const rows = Array.from({ length: COUNT }, (_, i) => {
      const serial = `LF24-6000-${i + 1}`;
      return {
        n: i + 1,
        serial,
        mac: `02:00:00:04:00:${(i + 1).toString(16).padStart(2, '0')}`,
        name: `mos-acc-${500 + i}`,
      };
    });
    await client.add('batch', { name: 'forty' });
    const text = [
      'serial,mac,name,duty,model,site',
      ...rows.map(({ serial, mac, name }) => `${serial},${mac},${name},access,larkfield/lf-24,mos`),
    ].join('\n');
    const taken = await client.call('batch.table', { params: { ref: 'forty' }, body: { text, apply: true } });
    expect(taken.faults).to.deep.equal([]);
    for (const { name } of rows) {
      await client.edit('interface', `${name}:1/24`, { mode: 'trunk', tagged: '304' });
      await client.edit('interface', `${name}:1/1`, { description: 'desk 1/1', mode: 'access' });
    }
    const body = { devices: rows.map(({ name }) => name), apply: true };
    const { items } = await client.call('device.prepareMany', { body });
    expect(items.filter(({ fault }) => fault !== null)).to.deep.equal([]);
    await client.call('batch.open', { params: { ref: 'forty' }, body: { hours: 1 } });
    for (const { n, serial, mac } of rows) {
      const faults = faultOf(n);
      lab.add({
        name: `f-${n}`,
        model: 'LF-24',
        serial,
        mac,
        relay: '10.77.64.1',
        faults: faults ? [faults[0]] : [],
      });
    }
    for (const { n } of rows) lab.device(`f-${n}`).on();
    await eventually('some serve', async () => ((await board()).counts.serves ?? 0) >= 5, { limitMs: 60_000 });
    await service.stop('SIGKILL');
    await start();
    const healthy = rows.filter(({ n }) => faultOf(n) === undefined);
    // What does not get on for a moment may still serve.
    const wanted = new Map(rows.map(({ n, name }) => [name, faultOf(n) === undefined ? 'serves' : 'stuck']));
    const done = (seen: Board): boolean => seen.items.every(({ device, standing }) => standing === wanted.get(device));
    const seen = await eventually(
      'the healthy ones serve, and the others say why not',
      async () => {
        const now = await board();
        return done(now) && now;
      },
      { limitMs: 120_000, everyMs: 500 },
    );
    const of = new Map(seen.items.map((row) => [row.device, row]));
    for (const { name } of healthy) expect(of.get(name)?.standing, name).to.equal('serves');
    for (const { n, name } of rows) {
      const wrong = faultOf(n);
      if (wrong) expect(of.get(name)?.why ?? '', `${name} with ${wrong[0]}`).to.match(wrong[1]);
    }
    // Trouble stands before what is well.
    const standings = seen.items.map(({ standing }) => standing);
    expect(standings.indexOf('serves')).to.equal(standings.filter((one) => one === 'stuck').length);
  });
});
