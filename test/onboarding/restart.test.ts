import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { milestones } from '@zpine/core/arrival/arrival';
import type { Client } from '@zpine/contract/client';
import { loadDemo } from '@zpine/demo/load';
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
import { openStore } from '../../service/stores.ts';
import { readOnly, transact } from '../../service/store/transact.ts';
import { declareSwitch, prepareSwitch } from '../../trials/booter.ts';
import { actor, emptyDatabase, testConfig } from '../service.ts';
import { ardle, newLab, reachedIn, serves, until } from './bench.ts';

describe('a service that is killed in the middle of an arrival', () => {
  const folder = mkdtempSync(join(tmpdir(), 'zpine-lab-'));
  let service: TestService;
  let client: Client;
  let lab: Lab;
  let env: Record<string, string>;

  before(async function () {
    this.timeout(60_000);
    const net = bootNet();
    env = {
      ZPINE_DATABASE_SOCKET: process.env.ZPINE_TEST_SOCKET ?? '',
      ZPINE_DATABASE_PASSWORD: process.env.ZPINE_TEST_PASSWORD ?? '',
      ZPINE_DATABASE_NAME: await emptyDatabase(),
      ZPINE_KEY_FILE: keyFile,
      ZPINE_IMAGE_FOLDER: imageFolder,
      ZPINE_WAIT_PROBE: '1',
      ...net.env,
    };
    await makeUsers(env, ['admin']);
    await start();
    await loadDemo(client, () => undefined);
    // A restart with an image is a story of its own.
    await client.call('value.remove', { body: { setting: 'image.wanted', layer: 'site', of: 'cob' } });
    const { number } = await client.call('edition.make', { params: { ref: 'cob-acc-1' }, body: {} });
    const published = { ref: 'cob-acc-1', number: String(number) };
    await client.call('edition.publish', { params: published, body: { openHours: 72 } });
    lab = newLab(net, folder);
  });
  after(async () => {
    await lab.stop();
    await service.stop();
    rmSync(folder, { recursive: true, force: true });
  });

  const start = async () => {
    service = await startBuiltService(env);
    client = await clientFor(service.url, 'admin');
  };

  for (const [n, [name, stone]] of (
    [
      ['behind its lease', 'leased'],
      ['behind its file', 'file complete'],
    ] as const
  ).entries()) {
    it(`${name}: started again, it goes on, and loses no milestone`, async function () {
      this.timeout(40_000);
      const device = n === 0 ? 'ard-acc-1' : 'cob-acc-1';
      const box =
        n === 0
          ? ardle
          : {
              name: 'cobbleholm',
              model: 'LF-24' as const,
              serial: 'LF24-0188-02',
              mac: '00:00:5e:00:53:a6',
              relay: '10.77.33.1',
            };
      // So slow that there is time to kill.
      lab.add({ ...box, faults: ['slow', ...(n === 0 ? (['ignores-file'] as const) : (['silent'] as const))] });
      lab.device(box.name).on();
      const before = await until(client, device, (a) => a.milestones.some((m) => m.name === stone));
      await service.stop('SIGKILL');
      if (n === 0) lab.device(box.name).options.faults.delete('ignores-file');
      await start();
      const after = await serves(client, device);
      expect(after.id).to.equal(before.id);
      for (const milestone of before.milestones)
        expect(after.milestones.find((m) => m.name === milestone.name)).to.deep.equal(milestone);
      const reached = milestones.filter((m) => m !== 'image' && (n === 0 || m !== 'called home'));
      expect(reachedIn(after)).to.deep.equal(reached);
    });
  }

  it('while it is looked at: another look is taken when the claim of the dead one has ended', async function () {
    this.timeout(60_000);
    const { device, ...hardware } = await declareSwitch(client, 90);
    await prepareSwitch(client, device);
    lab.add({ ...hardware, faults: ['slow'] });
    lab.device(hardware.name).on();
    const before = await until(client, device, (a) => a.milestones.some((m) => m.name === 'called home'));
    const store = openStore(testConfig(env.ZPINE_DATABASE_NAME ?? ''));
    const claimed = () =>
      readOnly(store, actor, (tx) =>
        tx.one('SELECT id FROM arrival WHERE id = ? AND claimed_until IS NOT NULL', [before.id]),
      );
    while (!(await claimed())) await new Promise((done) => setTimeout(done, 20));
    await service.stop('SIGKILL');
    // As if that long had passed.
    await transact(store, actor, 'test', (tx) =>
      tx.execute(
        'UPDATE arrival SET probe_at = probe_at - INTERVAL 60 SECOND, claimed_until = claimed_until - INTERVAL 60 SECOND WHERE id = ?',
        [before.id],
      ),
    );
    await store.sequelize.close();
    await start();
    expect((await serves(client, device)).id).to.equal(before.id);
  });
});
