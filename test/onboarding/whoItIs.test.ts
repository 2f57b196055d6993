/** Who a booting box is, by what it tells and where it hangs: what is taken over by itself, and what somebody has to say. */
import { expect } from 'chai';
import type { DeviceInput } from '@zpine/lab/lab';
import { eventually } from '../../trials/eventually.ts';
import { refusal } from '../service.ts';
import { kindOf, Packets } from './asking.ts';
import { another, diagnosed, onboarding, prepare, reachedIn, serves, until, type Onboarding } from './bench.ts';

const SITE = { relay: '10.77.64.1' };

describe('who a booting box is', function () {
  this.timeout(90_000);
  let o: Onboarding;
  let packets: Packets;
  before(async () => {
    o = await onboarding();
    packets = new Packets(o);
    // The gateway of the site is that of its router, which names its ports without itself.
    await o.client.add('address', { address: SITE.relay, interface: 'mos-xr-1:cu1' });
  });
  after(() => o.end());

  let boxes = 0;
  /** Hardware of which the records know nothing, at Mossness. */
  function unknown(circuit?: string, model: 'LF-24' | 'TW-8' = 'LF-24'): DeviceInput & { serial: string; mac: string } {
    const n = (boxes += 1);
    const mac = `02:00:00:01:00:${n.toString(16).padStart(2, '0')}`;
    const hardware = {
      name: `new-${n}`,
      model,
      serial: `${model === 'LF-24' ? 'LF24' : 'TW8'}-8000-${n}`,
      mac,
      ...SITE,
    };
    const made = { ...hardware, ...(circuit === undefined ? {} : { circuit }) };
    o.lab.add(made);
    return made;
  }
  let devices = 900;
  /** A declared access switch of Mossness without a box, with an address; its uplink in that port of the router. */
  async function waiting(uplink?: string): Promise<string> {
    const device = `mos-acc-${(devices += 1)}`;
    await o.client.add('device', { name: device, duty: 'access', model: 'larkfield/lf-24', site: 'mos' });
    await o.client.edit('interface', `${device}:1/24`, { mode: 'trunk', tagged: '304' });
    await o.client.call('device.assignManagement', { params: { ref: device }, body: {} });
    if (uplink !== undefined) await o.client.add('cable', { from: `${device}:1/24`, to: uplink, kind: 'cat6' });
    return device;
  }
  const stranger = async (client: string) =>
    (await o.client.call('stranger.list', { query: {} })).items.find((one) => one.client === client);
  const heard = (client: string) => eventually(`stranger ${client}`, async () => (await stranger(client)) ?? false);
  /** Its rule was looked at more than once by then. */
  const until10 = (client: string) =>
    eventually(`ten packets of ${client}`, async () => {
      const seen = await stranger(client);
      return seen && seen.packets > 10 ? seen : false;
    });
  const recognise = (id: number, device: string, reason?: string) =>
    o.client.call('stranger.recognise', { params: { id: String(id) }, body: { device }, reason });
  const today = async (code: string) => (await o.client.call('today', {})).items.filter((one) => one.code === code);

  it('is known by its MAC, and its serial is taken over when it tells it', async () => {
    const device = await waiting();
    const hardware = unknown();
    const text = `${hardware.mac.replaceAll(':', '').toUpperCase()}\n`;
    const body = { text, model: 'larkfield/lf-24', where: `name=${device}`, apply: true };
    const scanned = await o.client.call('import.scan', { body });
    expect(scanned.faults).to.deep.equal([]);
    const key = hardware.mac.replaceAll(':', '');
    const before = await o.client.show('box', hardware.mac);
    expect(before).to.include({ key, serial: null, mac: hardware.mac, device });
    // The same list once more changes nothing.
    expect((await o.client.call('import.scan', { body })).counts).to.include({ same: 1, add: 0, edit: 0 });
    await prepare(o, device);
    o.lab.device(hardware.name).on();
    const arrival = await serves(o.client, device);
    expect(reachedIn(arrival)).to.include.members(['called home', 'matches', 'kept']);
    const after = await o.client.show('box', hardware.serial);
    expect(after).to.include({ id: before.id, key: hardware.serial.toLowerCase(), serial: hardware.serial, device });
    const { items } = await o.client.call('history.list', { query: { kind: 'box', record: hardware.serial } });
    expect(JSON.stringify(items[0])).to.contain(hardware.serial);
    expect(await stranger(hardware.serial)).to.equal(undefined);
    // That list is still right, by the MAC.
    expect((await o.client.call('import.scan', { body })).counts).to.include({ same: 1, add: 0, edit: 0 });
  });

  it('is the spare that was entered by its serial, where its MAC alone was fitted', async () => {
    const { device, box } = await another(o);
    const { serial, mac } = (await o.client.list('box', { where: `device=${device}` })).items[0] ?? {};
    await o.client.edit('box', String(serial), { serial: null });
    await o.client.add('box', { serial: String(serial), model: 'larkfield/lf-24', assetNumber: 'bf-9001' });
    await prepare(o, device);
    o.lab.device(box).on();
    await serves(o.client, device);
    const { items } = await o.client.list('box', { where: `device=${device}` });
    expect(items).to.have.length(1);
    expect(items[0]).to.include({ serial, mac, assetNumber: 'bf-9001', condition: 'fitted' });
    await refusal(o.client.show('box', String(mac)));
  });

  it('is no stranger any more once the records know it, whoever entered it', async () => {
    const device = await waiting();
    const hardware = unknown();
    o.lab.device(hardware.name).on();
    const seen = await heard(hardware.serial);
    expect(seen.boxIs).to.equal(null);
    await prepare(o, device);
    const { serial, mac } = hardware;
    await o.client.add('box', { serial, mac, model: 'larkfield/lf-24', device });
    await serves(o.client, device);
    expect(await stranger(serial)).to.equal(undefined);
    const { items } = await o.client.call('stranger.list', { query: { settled: 'true' } });
    expect(items.find(({ id }) => id === seen.id)).to.include({ settledAs: 'device', device });
  });

  it('is proposed as what it can be, and confirmed where it contradicts that', async () => {
    const [device, router] = [await waiting(), 'mos-xr-7'];
    await o.client.add('device', { name: router, duty: 'crossing-router', model: 'copperbell/cb-7', site: 'mos' });
    await o.client.add('device', { name: 'mos-pp-7', duty: 'access', site: 'mos', virtual: true });
    const hardware = unknown();
    o.lab.device(hardware.name).on();
    const seen = await heard(hardware.serial);
    const proposed = seen.candidates.map((one) => one.device);
    expect(proposed).to.include(device).and.not.to.include(router).and.not.to.include('mos-pp-7');
    expect((await refusal(recognise(seen.id, 'mos-pp-7'))).errors?.[0]?.code).to.equal('nothing-boots');
    const refused = await refusal(recognise(seen.id, router));
    expect(refused.code).to.equal('stranger-contradicts');
    expect(refused.detail).to.contain('which is a LF-24');
    // Whoever says why is believed; a box of which nothing is known takes the model of the device.
    await recognise(seen.id, device, 'looked at it');
    expect((await o.client.show('box', hardware.serial)).device).to.equal(device);
    await o.lab.device(hardware.name).off();
  });

  it('is corrected in the records where it shows what they say otherwise, and somebody says why', async () => {
    const { device, box } = await another(o);
    const [held] = (await o.client.list('box', { where: `device=${device}` })).items;
    const right = String(held?.serial);
    await o.client.edit('box', right, { serial: 'LF24-TYPO-1' });
    await prepare(o, device);
    o.lab.device(box).on();
    const seen = await heard(right);
    expect(seen.conflict).to.contain('LF24-TYPO-1');
    const stuck = await diagnosed(o.client, device, 'not-answered');
    expect(stuck.diagnosis?.detail).to.contain('it says serial');
    expect((await refusal(recognise(seen.id, device))).code).to.equal('stranger-contradicts');
    await recognise(seen.id, device, 'misread when it was scanned');
    await serves(o.client, device);
    expect((await o.client.show('box', right)).device).to.equal(device);
  });

  it('is not fitted without a word where its box is not in order', async () => {
    const device = await waiting();
    const serial = 'LF24-8800-1';
    await o.client.add('box', { serial, model: 'larkfield/lf-24', condition: 'faulty', note: 'struck by lightning' });
    const fit = (reason?: string) =>
      o.client.call('device.fit', { params: { ref: device }, body: { box: serial }, reason });
    expect((await refusal(fit())).code).to.equal('box-unfit');
    expect((await o.client.show('box', serial)).device).to.equal(null);
    await fit('back from repair');
    expect(await o.client.show('box', serial)).to.include({ device, condition: 'fitted' });
  });

  describe('by where it is plugged in', () => {
    const rule = (device: string, value: boolean) =>
      o.client.call('value.put', { body: { setting: 'arrival.by-port', layer: 'device', of: device, value } });

    it('becomes by itself what waits at its port, where that was permitted and it is alone there', async () => {
      const device = await waiting('mos-xr-1:cu3');
      await prepare(o, device);
      const hardware = unknown('cu3');
      o.lab.device(hardware.name).on();
      const seen = await heard(hardware.serial);
      expect(seen.candidates[0]).to.include({ device, hangs: true, fits: true });
      expect((await o.client.list('box', { where: `device=${device}` })).items).to.deep.equal([]);
      await rule(device, true);
      const arrival = await serves(o.client, device);
      expect(arrival).to.include({ box: hardware.serial, elsewhere: null });
      expect((await o.client.show('box', hardware.serial)).device).to.equal(device);
      expect(await stranger(hardware.serial)).to.equal(undefined);
    });

    it('stays a stranger where another is at that port, too, or is of another model', async () => {
      const device = await waiting('mos-xr-1:cu4');
      await rule(device, true);
      // A white box is no LF-24; and of two that are there at a time nobody knows which is meant.
      const white = unknown('mos-xr-1:cu4', 'TW-8');
      o.lab.device(white.name).on();
      expect((await heard(white.serial)).candidates.map((one) => one.device)).not.to.include(device);
      const fitting = unknown('mos-xr-1:cu4');
      o.lab.device(fitting.name).on();
      const seen = await until10(fitting.serial);
      expect(seen.candidates[0]).to.include({ device, hangs: true });
      expect((await o.client.list('box', { where: `device=${device}` })).items).to.deep.equal([]);
    });

    it('does not serve in the wrong socket, until somebody says that it is right', async () => {
      const [one, two] = [await waiting('mos-xr-1:cu5'), await waiting('mos-xr-1:cu6')];
      // Two were swapped in the van.
      const swapped = unknown('mos-xr-1:cu6');
      const { serial, mac } = swapped;
      await o.client.add('box', { serial, mac, model: 'larkfield/lf-24', device: one });
      await prepare(o, one);
      o.lab.device(swapped.name).on();
      const stuck = await diagnosed(o.client, one, 'other-place');
      expect(stuck.elsewhere).to.equal(`it boots in mos-xr-1:cu6, whose cable leads to ${two} in the records`);
      expect(reachedIn(stuck)).to.include('kept').and.not.to.include('serving');
      expect(stuck.stage).to.equal('proving');
      expect((await today('stuck')).map(({ key }) => key)).to.include(one);
      const confirm = { params: { id: String(stuck.id) }, body: {} };
      await o.client.call('arrival.confirm', { ...confirm, reason: 'it stays here' });
      const served = await serves(o.client, one);
      expect(served.milestones.at(-1)?.evidence).to.include({ confirmedBy: 'admin', reason: 'it stays here' });
      expect((await refusal(o.client.call('arrival.confirm', confirm))).code).to.equal('window-none');
    });

    it('does not serve at another site, and says so from its first packet on', async () => {
      const { device, box } = await another(o, [], '10.77.48.1');
      await prepare(o, device);
      o.lab.device(box).on();
      const early = await until(o.client, device, (a) => a.milestones.length > 0 && a.elsewhere !== null);
      expect(early.elsewhere).to.equal('it boots at SKE, and the records have it at MOS');
      await o.client.call('arrival.confirm', { params: { id: String(early.id) }, body: {} });
      expect(
        (await refusal(o.client.call('arrival.confirm', { params: { id: String(early.id) }, body: {} }))).code,
      ).to.equal('place-agrees');
    });
  });

  it('is not said to have sent nothing where its packet came through a relay that nobody declared', async () => {
    const { device } = await another(o);
    await prepare(o, device);
    const [box] = (await o.client.list('box', { where: `device=${device}` })).items;
    const relay = '10.77.64.77';
    const answer = await packets.ask({ mac: String(box?.mac), serial: String(box?.serial), relay });
    expect(kindOf(answer)).to.equal('silence');
    const stuck = await diagnosed(o.client, device, 'not-answered');
    expect(stuck.diagnosis?.detail).to.contain(`relay ${relay} is not declared`);
    expect(stuck.diagnosis?.remedy).to.equal(`zpine prefix edit 10.77.64.0/24 --relays '${relay}'`);
    const { items } = await o.client.call('boot.records', { query: { device } });
    expect(items[0]).to.include({ outcome: 'dropped', device });
    expect((await today('relay')).some(({ detail }) => detail.includes(`relay ${relay}`))).to.equal(true);
    await o.client.edit('prefix', '10.77.64.0/24', { relays: relay });
    expect((await today('relay')).some(({ detail }) => detail.includes(`relay ${relay}`))).to.equal(false);
  });

  it('is heard of when it boots in vain: a switch that served, and lost its memory', async () => {
    const { device, box } = await another(o);
    await prepare(o, device);
    const hardware = o.lab.device(box);
    hardware.on();
    await serves(o.client, device);
    await hardware.off();
    hardware.erase();
    hardware.on();
    const [vain] = await eventually('it stands on the list of today', async () => {
      const found = (await today('vain')).filter(({ key }) => key === device);
      return found.length > 0 && found;
    });
    expect(vain?.detail).to.equal(
      'It boots behind relay 10.77.64.1 and is given no file: its arrival window is closed.',
    );
    expect((await o.client.show('device', device)).stage).to.equal('arriving');
    const { installer } = o.clients;
    await installer.call('arrival.open', { params: { ref: device }, body: { hours: 1 } });
    expect((await today('vain')).filter(({ key }) => key === device)).to.deep.equal([]);
    await serves(o.client, device);
    // What serves is not theirs to open.
    const again = installer.call('arrival.open', { params: { ref: device }, body: { hours: 1 } });
    expect((await refusal(again)).code).to.equal('serving-not-yours');
  });

  it('is told of a window that is closed when it is recognised, and has it opened in the same step', async () => {
    const device = await waiting();
    await prepare(o, device);
    await o.client.call('arrival.close', { params: { ref: device } });
    const hardware = unknown();
    o.lab.device(hardware.name).on();
    const { id } = await heard(hardware.serial);
    expect(await recognise(id, device)).to.include({ device, windowOpen: false });
    const [vain] = await eventually('it boots in vain', async () => {
      const found = (await today('vain')).filter(({ key }) => key === device);
      return found.length > 0 && found;
    });
    expect(vain?.detail).to.contain('its arrival window is closed');
    const body = { box: hardware.serial, openHours: 1 };
    await o.client.call('device.fit', { params: { ref: device }, body });
    await serves(o.client, device);
  });
});
