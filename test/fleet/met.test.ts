/** Devices of which only an address is known say what they are, and the records take what they lack. */
import { expect } from 'chai';
import { addDevice, addressOf, fleet, PASS, rowOf, settled, USER, type Fleet } from './bench.ts';

describe('devices that are met for the first time', function () {
  this.timeout(60_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 0, quill: 0, shale: 0 });
    for (const dialect of ['furrow', 'quill', 'shale'] as const) addDevice(f.lab, dialect, 1);
    const text = (['furrow', 'quill', 'shale'] as const).map((dialect) => addressOf(dialect, 1)).join('\n');
    const body = { text, user: USER, password: PASS, apply: true };
    expect((await f.client.call('import.paste', { body })).faults).to.deep.equal([]);
    await f.client.add('vendor', { name: 'larkfield' });
    await f.client.add('model', { vendor: 'larkfield', name: 'lf-24', heightU: 1 });
  });
  after(() => f.end());

  const reach = async () => settled(f.client, await f.client.call('run.reach', { body: { where: 'stage=unproved' } }));
  const named = ['at-10-77-96-11', 'at-10-77-97-11', 'at-10-77-98-11'];

  it('are asked nothing before their keys are accepted', async () => {
    const run = await reach();
    expect(run.rows.map(({ device, met }) => [device, met])).to.deep.equal(named.map((name) => [name, undefined]));
    expect(
      (await f.client.call('run.take', { params: { id: String(run.id) }, body: { apply: true } })).items,
    ).to.deep.equal([]);
    await f.client.call('hostKey.accept', { body: { run: run.id } });
  });

  it('say what they speak and what they are; the records take what they lack, and no more', async () => {
    const run = await reach();
    expect(run.counts).to.deep.equal({ reached: 3 });
    expect(run.rows.map(({ met }) => [met?.dialect, met?.name, met?.serial])).to.deep.equal([
      ['furrow', 'har-acc-1', 'LF-24-1001'],
      ['quill', 'har-xr-1', 'CB-7-1001'],
      ['shale', 'har-wb-1', rowOf(run, named[2] ?? '').met?.serial ?? null],
    ]);
    const last = rowOf(run, named[1] ?? '').rungs?.at(-1);
    expect([last?.state, last?.detail]).to.deep.equal([
      'open',
      'it answers as quill does, which its records do not say',
    ]);
    const params = { id: String(run.id) };
    const could = await f.client.call('run.take', { params, body: {} });
    expect([could.applied, (await f.client.list('device', { where: 'name=har-*' })).items]).to.deep.equal([false, []]);
    expect(could.items[0]).to.deep.equal({
      device: named[0],
      changes: [
        { field: 'dialect', from: null, to: 'furrow' },
        { field: 'model', from: null, to: 'larkfield/lf-24' },
        { field: 'name', from: named[0], to: 'har-acc-1' },
        { field: 'box', from: null, to: 'LF-24-1001' },
      ],
      left: [],
    });
    expect(could.items[1]?.left[0]).to.equal('model CB-7: there is no such model in the records');
    await f.client.add('device', { name: 'har-xr-1' });
    const done = await f.client.call('run.take', { params, body: { apply: true } });
    expect(done.items[1]?.left).to.include('name har-xr-1: another device is called so');
    expect(await f.client.show('device', 'har-acc-1')).to.include({
      dialect: 'furrow',
      model: 'larkfield/lf-24',
    });
    expect(await f.client.show('box', 'lf-24-1001')).to.include({ device: 'har-acc-1', condition: 'fitted' });
    expect((await f.client.show('device', named[1] ?? '')).dialect).to.equal('quill');
    const after = await reach();
    expect(after.counts).to.deep.equal({ reached: 3 });
    expect(rowOf(after, 'har-acc-1').rungs?.at(-1)?.state).to.equal('holds');
    const nothing = await f.client.call('run.take', { params: { id: String(after.id) }, body: {} });
    expect(nothing.items.flatMap(({ changes }) => changes)).to.deep.equal([]);
  });

  it('are told where they say otherwise than what somebody entered, which stays', async () => {
    await f.client.edit('box', 'lf-24-1001', { serial: 'LF-24-9999' });
    const run = await reach();
    const { items } = await f.client.call('run.take', { params: { id: String(run.id) }, body: { apply: true } });
    expect(items.find(({ device }) => device === 'har-acc-1')).to.deep.equal({
      device: 'har-acc-1',
      changes: [],
      left: ['serial LF-24-1001: the records have LF-24-9999'],
    });
  });
});
