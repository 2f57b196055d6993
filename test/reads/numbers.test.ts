/** What is planned by settings is the same as what each device's layers say, although most devices are not read. */
import { expect } from 'chai';
import type { LayerKind } from '@zpine/core/settings/layers';
import { captureDue } from '../../service/app/fleet/captureDue.ts';
import { changedSince, type SeenEvents } from '../../service/app/fleet/planned.ts';
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
    await write((tx) => planWatch(tx));
    return asWanted();
  };
  const asWanted = async () => {
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
    const sent = await statementsOf(bench.store, () => write((tx) => planWatch(tx)));
    expect(sent.length).to.be.lessThan(30);
    for (const sql of sent) expect(sql).to.not.match(/SELECT \* FROM `device` ORDER/);
  });

  it('are looked at again only where something has changed, and the plan is the same', async () => {
    const { admin } = bench.clients;
    let events: SeenEvents | undefined;
    const planned = async () => {
      const { now, touched } = await readOnly(bench.store, actor, (tx) => changedSince(tx, events));
      events = now;
      const all = await readOnly(bench.store, actor, (tx) => find(tx, 'device', {}));
      const keys = new Map(all.map((device) => [device.id, device.key]));
      if (touched === undefined || touched.length > 0) await write((tx) => planWatch(tx, touched));
      await asWanted();
      return touched?.map((id) => keys.get(id) ?? '?').sort();
    };
    expect(await planned()).to.equal(undefined);
    expect(await planned()).to.deep.equal([]);
    await admin.edit('device', 'ard-acc-1', { labels: ['watched-closely'] });
    expect(await planned()).to.deep.equal(['ard-acc-1']);
    await put('device', 'cob-acc-2', 3);
    await admin.edit('device', 'ard-acc-1', { labels: [] });
    expect(await planned()).to.deep.equal(['ard-acc-1', 'cob-acc-2']);
    await put('device', 'cob-acc-2', 0);
    expect(await planned()).to.deep.equal(['cob-acc-2']);
    // Another setting says nothing of it, nor does a record that no device stands in.
    await put('site', 'ard', 7, 'lease.seconds');
    expect(await planned()).to.deep.equal([]);
    await put('site', 'ard', 9);
    expect(await planned())
      .to.include('ard-acc-1')
      .and.not.include('cob-acc-1');
    await put('everywhere', undefined, 40);
    expect(await planned()).to.equal(undefined);
    await admin.edit('device', 'cob-acc-2', { site: 'ard', rack: null });
    expect(await planned()).to.include('cob-acc-2');
    await admin.edit('site', 'ard', { title: 'Ardmore again' });
    expect(await planned()).to.equal(undefined);
    await write((tx) => removeValue(tx, { setting: 'watch.minutes', layer: 'device', of: 'cob-acc-2' }));
    expect(await planned()).to.equal(undefined);
    await admin.call('device.stage', { params: { ref: 'cob-acc-1' }, body: { stage: 'retired' } });
    expect(await planned()).to.deep.equal(['cob-acc-1']);
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
    const { devices: due } = await readOnly(bench.store, actor, (tx) => captureDue(tx));
    expect(due.map((device) => device.key).sort()).to.deep.equal(wanted.sort());
  });
});
