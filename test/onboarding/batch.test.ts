/** A batch: from a table to its report, with those that do not come, are held or are left out. */
import { expect } from 'chai';
import type { Board } from '@zpine/contract/batchRoutes';
import { eventually } from '../../trials/eventually.ts';
import { refusal } from '../service.ts';
import { onboarding, serves, type Onboarding } from './bench.ts';

const RELAY = '10.77.64.1';

describe('a batch', function () {
  this.timeout(120_000);
  let o: Onboarding;
  before(async () => {
    o = await onboarding();
  });
  after(() => o.end());

  const board = (ref = 'night'): Promise<Board> => o.client.call('batch.board', { params: { ref } });
  const row = async (device: string, ref = 'night') => (await board(ref)).items.find((one) => one.device === device);
  const stands = (device: string, standing: string, ref = 'night') =>
    eventually(`${device} is "${standing}"`, async () => {
      const seen = await row(device, ref);
      return seen?.standing === standing ? seen : false;
    });
  const table = (text: string, apply = true, ref = 'night') =>
    o.client.call('batch.table', { params: { ref }, body: { text, apply } });
  const macOf = (n: number) => `02:00:00:02:00:${n.toString(16).padStart(2, '0')}`;
  const uplink = (device: string) => o.client.edit('interface', `${device}:1/24`, { mode: 'trunk', tagged: '304' });

  it('begins with a table; what a row leaves empty is worked out, and nothing is saved by looking', async () => {
    await o.client.add('batch', { name: 'night', strangers: 'by-port', mail: 'm.lind@brackwater.example' });
    const text = ['mac;name;duty;model;site', ...[1, 2, 3, 4, 5].map((n) => `${macOf(n)};;access;larkfield/lf-24;MOS`)];
    const seen = await table(text.join('\n'), false);
    expect(seen.faults).to.deep.equal([]);
    expect(seen.items.map(({ device, action }) => `${device} ${action}`)).to.deep.equal(
      [1, 2, 3, 4, 5].map((n) => `mos-acc-${n + 1} added`),
    );
    expect(seen.items[0]?.workedOut).to.have.all.keys('name', 'address');
    expect((await o.client.list('device', { where: 'batch=night', count: 'true' })).count).to.equal(0);
    const saved = await table(text.join('\n'));
    expect(saved.applied).to.equal(true);
    // The same table once more finds the devices by their boxes, and changes nothing.
    const again = await table(text.join('\n'));
    expect(again.items.map(({ action }) => action)).to.deep.equal(Array.from({ length: 5 }, () => 'as before'));
    for (const { device } of saved.items) await uplink(device);
  });

  it('says every fault of a table with row, column and remedy, and saves nothing of it', async () => {
    const before = await o.client.list('device', { count: 'true' });
    const bad = [
      'serial,mac,name,duty,model,site,address',
      'LF24-9000-1,,mos-acc-20,access,larkfield/lf-24,mos,',
      ',not-a-mac,mos-acc-21,access,larkfield/lf-24,mos,',
      'LF24-9000-2,,mos-acc-22,access,larkfield/lf-25,mos,',
      'LF24-9000-3,,,,larkfield/lf-24,mos,',
      'LF24-9000-4,,mos-acc-23,access,larkfield/lf-24,mos,10.77.99.9',
      'LF24-0188-01,,mos-acc-24,access,larkfield/lf-24,mos,',
    ].join('\n');
    const { faults, applied } = await table(bad);
    expect(applied).to.equal(false);
    expect(faults.map(({ row: at, column, code }) => [at, column, code])).to.deep.equal([
      [3, 'mac', 'mac-syntax'],
      [4, 'model', 'ref-unknown'],
      [5, 'name', 'table-unnamed'],
      [6, 'address', 'address-outside-prefix'],
      [7, null, 'box-fitted'],
    ]);
    expect((await o.client.list('device', { count: 'true' })).count).to.equal(before.count);
    const heads = await table('serial,colour\nLF24-9000-1,red');
    expect(heads.faults.map(({ code, value }) => [code, value])).to.deep.equal([['table-head', 'colour']]);
  });

  it('gives its form with what is known, and takes it back unchanged', async () => {
    const form = await o.client.call('batch.form', { params: { ref: 'night' } });
    expect(form.rows).to.equal(5);
    expect(form.text.split('\r\n')[0]).to.equal(
      'serial,mac,name,duty,model,site,rack,positionU,face,labels,template,note,address',
    );
    const back = await table(form.text);
    expect(back.faults).to.deep.equal([]);
    expect(back.items.every(({ action }) => action === 'as before')).to.equal(true);
  });

  it('is prepared in one go; what one is refused stops no other', async () => {
    const devices = [2, 3, 4, 5, 6].map((n) => `mos-acc-${n}`);
    await o.client.edit('interface', 'mos-acc-6:1/24', { mode: 'access', tagged: null });
    const body = { devices, publish: true };
    const looked = await o.client.call('device.prepareMany', { body: { ...body, apply: false } });
    expect(looked.items[0]?.done).to.deep.equal(['edition 1 made', 'edition 1 published']);
    const { items: none } = await o.client.call('edition.list', { params: { ref: 'mos-acc-2' } });
    expect(none).to.deep.equal([]);
    const { items } = await o.client.call('device.prepareMany', { body: { ...body, apply: true } });
    expect(items.map(({ published, fault }) => [published, fault?.code ?? null])).to.deep.equal([
      ...Array.from({ length: 4 }, () => [true, null]),
      [false, 'way-back'],
    ]);
    const again = await o.client.call('device.prepareMany', { body: { ...body, apply: true } });
    expect(again.items[0]).to.deep.include({ done: [], edition: 1, published: true });
  });

  it('opens at its time, and says of each device how it stands', async () => {
    const early = await o.client.call('batch.open', {
      params: { ref: 'night' },
      body: { at: new Date(Date.now() + 3_600_000).toISOString(), hours: 1 },
    });
    expect(early.window).to.equal('before');
    expect(early.counts).to.deep.equal({ 'not ready': 1, waits: 4 });
    // Nobody can fetch anything before.
    const { items } = await o.client.call('arrival.list', { query: { device: 'mos-acc-2' } });
    expect(items).to.deep.equal([]);
    const wrong = o.client.call('batch.open', { params: { ref: 'night' }, body: { at: '25:00', hours: 1 } });
    expect((await refusal(wrong)).code).to.equal('opening-time');
    const soon = new Date(Date.now() + 1500).toISOString();
    await o.client.call('batch.open', { params: { ref: 'night' }, body: { at: soon, hours: 1 } });
    await stands('mos-acc-2', 'not heard');
    const seen = await board();
    expect(seen.counts).to.deep.equal({ 'not ready': 1, 'not heard': 4 });
    expect(seen.items[0]).to.include({ device: 'mos-acc-6', why: 'it has no published edition' });
  });

  it('serves, is stuck, is held, goes on, and is left out', async () => {
    const told = { setting: 'arrival.notices', layer: 'site' as const, of: 'mos', value: ['stuck', 'serves'] };
    await o.client.call('value.put', { body: told });
    for (const [n, faults] of [
      [1, []],
      [2, ['rejects-line']],
      [3, []],
    ] as const) {
      const made = { name: `n-${n}`, model: 'LF-24' as const, serial: `LF24-9100-${n}`, mac: macOf(n), relay: RELAY };
      o.lab.add({ ...made, faults: [...faults] });
    }
    const turn = (device: string, to: 'in' | 'held' | 'left out', why?: string) =>
      o.client.call('batch.turn', {
        params: { ref: 'night' },
        body: { devices: [device], turn: to, ...(why === undefined ? {} : { why }) },
      });
    await turn('mos-acc-4', 'held');
    for (const n of [1, 2, 3]) o.lab.device(`n-${n}`).on();
    const served = await stands('mos-acc-2', 'serves');
    expect(served.seconds).to.be.a('number');
    const stuck = await stands('mos-acc-3', 'stuck');
    expect(stuck.why).to.include('line rejected');
    // Trouble comes first.
    expect((await board()).items.map(({ standing }) => standing)).to.deep.equal([
      'stuck',
      'not ready',
      'not heard',
      'held',
      'serves',
    ]);
    // Held, it is given nothing, however often it asks.
    const { items } = await o.client.call('arrival.list', { query: { device: 'mos-acc-4', limit: '1' } });
    expect(items[0]?.endedAt).to.not.equal(null);
    expect((await row('mos-acc-4'))?.standing).to.equal('held');
    await turn('mos-acc-4', 'in');
    await serves(o.client, 'mos-acc-4');
    expect((await refusal(turn('mos-acc-5', 'left out'))).code).to.equal('batch-why');
    await turn('mos-acc-5', 'left out', 'its crate did not come');
    expect((await refusal(turn('ard-acc-1', 'held'))).code).to.equal('batch-other');
    expect(await row('mos-acc-5')).to.include({ standing: 'left out', why: 'its crate did not come, by admin' });
  });

  it('has a report at its end, which stays as it was', async () => {
    await o.client.call('batch.turn', { params: { ref: 'night' }, body: { devices: ['mos-acc-3'], turn: 'anew' } });
    await o.lab.device('n-2').off();
    o.lab.device('n-2').options.faults.delete('rejects-line');
    o.lab.device('n-2').erase();
    o.lab.device('n-2').on();
    await serves(o.client, 'mos-acc-3');
    const report = await o.client.call('batch.close', { params: { ref: 'night' } });
    expect(report).to.include({ window: 'over', kept: true });
    expect(report.counts).to.deep.equal({ 'not served': 1, 'left out': 1, serves: 3 });
    await o.client.edit('device', 'mos-acc-2', { batch: null });
    expect((await board()).counts).to.deep.equal(report.counts);
    const now = await o.client.call('batch.board', { params: { ref: 'night' }, query: { now: 'true' } });
    expect(now.items.map(({ device }) => device)).to.not.include('mos-acc-2');
    const { items } = await o.client.call('notice.list', { query: { limit: '20' } });
    // Each once, however often it was tried.
    const texts = items.map(({ text }) => text);
    expect(texts.filter((text) => text.startsWith('mos-acc-3 does not get on: line rejected'))).to.have.length(1);
    expect(texts.filter((text) => text === 'mos-acc-3 serves')).to.have.length(1);
    expect(texts).to.include('batch night ended: 3 of 5 serve, 1 does not, 1 left out');
  });

  it('ends by itself once all serve; another night is another report', async () => {
    await o.client.edit('device', 'mos-acc-2', { batch: 'night' });
    for (const n of [5, 6]) await o.client.edit('device', `mos-acc-${n}`, { batch: null });
    await o.client.call('batch.open', { params: { ref: 'night' }, body: { hours: 1 } });
    await eventually('it has ended', async () => (await board()).endedAt !== null);
    expect((await board()).counts).to.deep.equal({ serves: 3 });
  });

  it('may boot its devices anywhere, where it says so', async () => {
    await o.client.add('batch', { name: 'bench', anywhere: true });
    await table(`mac,name,duty,model,site\n${macOf(9)},mos-acc-9,access,larkfield/lf-24,mos`, true, 'bench');
    await uplink('mos-acc-9');
    await o.client.call('device.prepareMany', { body: { devices: ['mos-acc-9'], apply: true } });
    await o.client.call('batch.open', { params: { ref: 'bench' }, body: { hours: 1 } });
    o.lab.add({ name: 'n-9', model: 'LF-24', serial: 'LF24-9100-9', mac: macOf(9), relay: '10.77.48.1' });
    o.lab.device('n-9').on();
    const arrival = await serves(o.client, 'mos-acc-9');
    expect(arrival.elsewhere).to.equal(null);
  });

  it('is opened and closed by engineers; an installer holds and leaves out what is theirs', async () => {
    const { installer, viewer } = o.clients;
    const params = { ref: 'night' };
    expect((await refusal(installer.call('batch.open', { params, body: {} }))).code).to.equal('role-insufficient');
    const body = { devices: ['mos-acc-2'], turn: 'held' as const };
    expect((await refusal(viewer.call('batch.turn', { params, body }))).code).to.equal('role-insufficient');
    expect((await viewer.call('batch.board', { params })).batch).to.equal('night');
  });
});
