import { expect } from 'chai';
import { milestones } from '@zpine/core/arrival/arrival';
import { refusal } from '../service.ts';
import {
  another,
  ardle,
  diagnosed,
  newest,
  onboarding,
  prepare,
  reachedIn,
  serves,
  until,
  type Onboarding,
} from './bench.ts';
import { eventually } from '../../trials/eventually.ts';

describe('a switch onboards itself', () => {
  let o: Onboarding;
  before(async function () {
    this.timeout(60_000);
    o = await onboarding();
  });
  after(() => o.end());

  it('from an empty memory to serving, without anybody touching it', async () => {
    o.lab.add(ardle);
    o.lab.device('ardle').on();
    const arrival = await serves(o.client, 'ard-acc-1');
    expect(reachedIn(arrival)).to.deep.equal(milestones.filter((m) => m !== 'image'));
    expect(arrival).to.include({
      box: 'LF24-0188-01',
      mac: '00:00:5e:00:53:a1',
      relay: '10.77.16.1',
      address: '10.77.16.11',
      edition: 1,
      diagnosis: null,
    });
    const evidence = Object.fromEntries(arrival.milestones.map((m) => [m.name, m.evidence]));
    expect(evidence.powered).to.include({ by: 'serial LF24-0188-01', circuit: 'ard-xr-1:cu2' });
    expect(evidence['called home']).to.include({ digestMatches: true, rejected: 0 });
    expect(evidence.reached).to.include({ user: 'zpine', serial: 'LF24-0188-01', model: 'LF-24' });
    const seen = await o.client.call('device.overview', { params: { ref: 'ard-acc-1' } });
    expect(seen.hostKey?.fingerprint).to.equal(evidence.reached?.hostKey);
    expect(seen.windowCloses).to.equal(null);
    expect(o.lab.state('ardle')).to.include({ address: '10.77.16.11', kept: true });
  });

  it('boots on one VLAN, and ends up at its management address on another', async () => {
    o.lab.add({
      name: 'cobbleholm',
      model: 'LF-24',
      serial: 'LF24-0188-02',
      mac: '00:00:5e:00:53:a6',
      relay: '10.77.33.1',
    });
    o.lab.device('cobbleholm').on();
    const arrival = await serves(o.client, 'cob-acc-1');
    expect(arrival.address).to.match(/^10\.77\.33\./);
    expect(arrival.management).to.equal('10.77.32.11');
    // By its layers it is to run a newer image, which it fetched on its way.
    expect(reachedIn(arrival)).to.deep.equal([...milestones]);
    expect(arrival.milestones.find((m) => m.name === 'reached')?.evidence.version).to.equal('2.5.0');
    expect(arrival.milestones.find((m) => m.name === 'reached')?.evidence.address).to.equal('10.77.32.11');
  });

  it('arrives as a stranger, is recognised, and boots through', async () => {
    o.lab.add({
      name: 'skerry',
      model: 'LF-24',
      serial: 'LF24-0188-03',
      mac: '00:00:5e:00:53:b1',
      relay: '10.77.48.1',
      circuit: 'ske-xr-1:cu2',
    });
    o.lab.device('skerry').on();
    const installer = o.clients.installer;
    const stranger = await eventually('it is listed', async () => {
      const { items } = await installer.call('stranger.list', { query: {} });
      return items[0];
    });
    expect(stranger).to.include({
      serial: 'LF24-0188-03',
      mac: '00:00:5e:00:53:b1',
      relay: '10.77.48.1',
      site: 'ske',
      circuit: 'ske-xr-1:cu2',
      vendorClass: 'larkfield LF-24 furrow 2.4.1',
    });
    expect(stranger.candidates[0]?.device).to.equal('ske-acc-1');
    const { items } = await o.client.call('today');
    expect(items.find((i) => i.code === 'stranger')?.detail).to.contain('Looks like ske-acc-1');
    const id = String(stranger.id);
    await installer.call('stranger.recognise', { params: { id }, body: { device: 'ske-acc-1' } });
    const arrival = await serves(o.client, 'ske-acc-1');
    expect(arrival.address).to.equal('10.77.48.11');
    expect(
      (await refusal(installer.call('stranger.recognise', { params: { id }, body: { device: 'ske-acc-1' } }))).code,
    ).to.equal('stranger-settled');
    expect((await o.client.show('box', 'LF24-0188-03')).device).to.equal('ske-acc-1');
  });

  it('dies, and other hardware takes its place; history shows both boxes', async () => {
    await o.lab.device('ardle').off();
    const before = await o.client.call('device.overview', { params: { ref: 'ard-acc-1' } });
    await o.client.call('device.fit', {
      params: { ref: 'ard-acc-1' },
      body: { box: 'LF24-0201-11' },
      reason: 'struck by lightning',
    });
    expect((await o.client.show('box', 'LF24-0188-01')).condition).to.equal('faulty');
    expect((await o.client.show('device', 'ard-acc-1')).stage).to.equal('prepared');
    await o.client.call('arrival.open', { params: { ref: 'ard-acc-1' }, body: { hours: 1 } });
    o.lab.add({ name: 'spare', model: 'LF-24', serial: 'LF24-0201-11', mac: '00:00:5e:00:53:e1', relay: '10.77.16.1' });
    o.lab.device('spare').on();
    const arrival = await serves(o.client, 'ard-acc-1');
    expect(arrival.box).to.equal('LF24-0201-11');
    const after = await o.client.call('device.overview', { params: { ref: 'ard-acc-1' } });
    expect(after.hostKey?.fingerprint).not.to.equal(before.hostKey?.fingerprint);
    const { items } = await o.client.call('history.list', { query: { kind: 'device', record: 'ard-acc-1' } });
    const swap = items.find((set) => set.reason === 'struck by lightning');
    expect(swap?.changes.map((c) => `${c.kind} ${c.key}`)).to.include.members(['box lf24-0188-01', 'box lf24-0201-11']);
  });

  it('is erased and boots again, within a new window only', async () => {
    const spare = o.lab.device('spare');
    await spare.off();
    spare.erase();
    spare.on();
    await eventually(
      'it is arriving again',
      async () => (await o.client.show('device', 'ard-acc-1')).stage === 'arriving',
    );
    const { items } = await o.client.call('boot.records', { query: { device: 'ard-acc-1' } });
    expect(items.some((i) => i.detail.includes('its arrival window is closed'))).to.equal(true);
    await o.client.call('arrival.open', { params: { ref: 'ard-acc-1' }, body: { hours: 1 } });
    const arrival = await serves(o.client, 'ard-acc-1');
    expect(reachedIn(arrival)).to.deep.equal(milestones.filter((m) => m !== 'image'));
  });

  it('begins anew in the middle of an arrival, which makes it another arrival', async () => {
    const { device, box } = await another(o, ['mute']);
    await prepare(o, device);
    o.lab.device(box).on();
    const first = await diagnosed(o.client, device, 'no-sign-of-life');
    await o.lab.device(box).off();
    o.lab.device(box).erase();
    o.lab.device(box).options.faults.clear();
    o.lab.device(box).on();
    const second = await serves(o.client, device).catch((error: unknown) => {
      throw new Error(`${String(error)}; the lab says ${JSON.stringify(o.lab.state(box))}`);
    });
    expect(second.id).to.be.greaterThan(first.id);
    expect((await o.client.call('arrival.show', { params: { id: String(first.id) } })).phase).to.equal('closed');
  });

  it('is left alone when its window is closed before it serves', async () => {
    const { device, box } = await another(o, ['ignores-file']);
    await prepare(o, device);
    o.lab.device(box).on();
    await until(o.client, device, (a) => a.stage === 'arriving');
    await o.client.call('arrival.close', { params: { ref: device } });
    const arrival = await newest(o.client, device);
    expect(arrival).to.include({ phase: 'closed', stage: 'prepared' });
    expect((await refusal(o.client.call('arrival.close', { params: { ref: device } }))).code).to.equal('window-none');
  });
});
