/** What is planned by settings is the same as what each device's layers say, although most devices are not read. */
import { expect } from 'chai';
import type { LayerKind } from '@zpine/core/settings/layers';
import { captureDue } from '../../service/app/fleet/captureDue.ts';
import { planWatch } from '../../service/app/fleet/watch.ts';
import { settingsOfMany } from '../../service/app/settings/effective.ts';
import { numbersOf } from '../../service/app/settings/numbers.ts';
import { putValue, removeValue } from '../../service/app/settings/values.ts';
import { find } from '../../service/store/records.ts';
import { readOnly, transact } from '../../service/store/transact.ts';
import type { Tx } from '../../service/store/tx.ts';
import { actor, demoService, type TestBench } from '../service.ts';
import { statementsOf } from '../statements.ts';

describe('numbers that settings plan', () => {
  let bench: TestBench;
  before(async () => {
    bench = await demoService();
    const { admin } = bench.clients;
    const [device] = (await admin.list('device', { where: 'dialect=quill', limit: 1 })).items;
    await admin.edit('device', device?.key ?? '', { labels: ['watched-closely'] });
    await admin.add('label', { name: 'watched-closely' });
  });
  after(() => bench.stop());

  const write = <T>(work: (tx: Tx) => Promise<T>) => transact(bench.store, actor, 'test', work);
  const put = (layer: LayerKind, of: string | undefined, value: number, setting = 'watch.minutes') =>
    write((tx) => putValue(tx, { setting, layer, mode: 'set', value, ...(of === undefined ? {} : { of }) }));

  /** Device by device, as the layers say. */
  const asked = (setting: string) =>
    readOnly(bench.store, actor, async (tx) => {
      const devices = await find(tx, 'device', {});
      const held = await settingsOfMany(tx, devices, [setting]);
      return new Map(devices.map((device) => [device.id, { device, every: Number(held.value(device, setting)) || 0 }]));
    });
  const same = async (setting: string) => {
    const wanted = await asked(setting);
    const numbers = await readOnly(bench.store, actor, (tx) => numbersOf(tx, setting));
    for (const [id, { device, every }] of wanted)
      expect(numbers?.own.get(id) ?? numbers?.everywhere ?? 0, device.key).to.equal(every);
    return wanted;
  };
  const watched = async () => {
    await write(planWatch);
    const wanted = [...(await same('watch.minutes')).values()]
      .filter(({ device, every }) => every > 0 && device.stage !== 'retired' && device.stage !== 'sketched')
      .map(({ device }) => device.id);
    const due = await readOnly(bench.store, actor, (tx) =>
      tx.select<{ device_id: number }>('SELECT device_id FROM watch_due'),
    );
    expect(due.map((row) => Number(row.device_id))).to.have.members(wanted);
    return wanted.length;
  };

  it('are those of the layers, whichever of them says something', async () => {
    expect(await watched()).to.equal(0);
    await put('site', 'cob', 5);
    expect(await watched()).to.be.greaterThan(0);
    await put('label', 'watched-closely', 1);
    await put('dialect', 'shale', 10);
    const some = await watched();
    await put('everywhere', undefined, 30);
    const all = await watched();
    expect(all).to.be.greaterThan(some);
    await put('site', 'cob', 0);
    expect(await watched()).to.be.lessThan(all);
    await put('device', 'cob-acc-1', 2);
    await put('duty', 'access', 7);
    await watched();
    await write((tx) => removeValue(tx, { setting: 'watch.minutes', layer: 'everywhere' }));
    await watched();
  });

  it('read the devices of those layers alone', async () => {
    const sent = await statementsOf(bench.store, () => write(planWatch));
    expect(sent.length).to.be.lessThan(30);
    for (const sql of sent) expect(sql).to.not.match(/SELECT \* FROM `device` ORDER/);
  });

  it('tell which captures are due', async () => {
    await put('everywhere', undefined, 24, 'capture.hours');
    await put('site', 'cob', 0, 'capture.hours');
    await put('device', 'cob-acc-1', 2, 'capture.hours');
    const now = Date.now();
    const devices = await readOnly(bench.store, actor, (tx) => find(tx, 'device', {}));
    await write(async (tx) => {
      for (const [i, device] of devices.entries())
        await tx.execute('REPLACE INTO capture_try (device_id, tried_at, detail) VALUES (?, ?, ?)', [
          device.id,
          new Date(now - (i % 4) * 11 * 3_600_000).toISOString().replace('T', ' ').replace('Z', ''),
          '',
        ]);
    });
    const hours = await asked('capture.hours');
    const wanted = devices
      .filter((device, i) => {
        const every = hours.get(device.id)?.every ?? 0;
        return device.stage !== 'retired' && every > 0 && (i % 4) * 11 >= every;
      })
      .map((device) => device.key);
    expect(wanted).to.not.have.length(0);
    const { devices: due } = await readOnly(bench.store, actor, captureDue);
    expect(due.map((device) => device.key).sort()).to.deep.equal(wanted.sort());
  });
});
