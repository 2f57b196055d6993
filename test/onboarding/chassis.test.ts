/** A chassis that arrives says what is in its slots; a stranger behind a cable of the records is guessed by it. */
import { expect } from 'chai';
import { mustParse } from '@zpine/core/fault';
import { parseMac } from '@zpine/core/addressing/mac';
import { diagnosed, onboarding, prepare, serves, type Onboarding } from './bench.ts';

describe('an arriving chassis', () => {
  let o: Onboarding;
  before(async function () {
    this.timeout(60_000);
    o = await onboarding();
  });
  after(() => o.end());

  it('reports its cards, which are held against those that were declared', async () => {
    const mac = mustParse(parseMac('02:00:00:00:c4:01'));
    const device = 'mos-core-1';
    const model = 'larkfield/lf-c4';
    await o.client.add('device', { name: device, duty: 'access', model, site: 'mos' });
    await o.client.add('card', { device, slot: '1', model: 'larkfield/c4-24t', serial: 'C424-9001' });
    await o.client.edit('interface', `${device}:1/3`, { description: 'crane', vlan: '316' });
    await o.client.edit('interface', `${device}:1/24`, { mode: 'trunk', tagged: '304' });
    await o.client.add('box', { serial: 'LFC4-9000', model, mac, device });
    await o.client.call('device.assignManagement', { params: { ref: device }, body: {} });
    await prepare(o, device);
    o.lab.add({
      name: 'chassis',
      model: 'LF-C4',
      serial: 'LFC4-9000',
      mac,
      relay: '10.77.64.1',
      cards: [
        { slot: '1', model: 'C4-24T', serial: 'C424-9001' },
        { slot: '4', model: 'C4-24T', serial: 'C424-9002' },
      ],
    });
    o.lab.device('chassis').on();
    await serves(o.client, device);
    const { slots } = await o.client.call('device.hardware', { params: { ref: device } });
    expect(slots.map((slot) => `${slot.slot} ${slot.state} ${slot.found?.via ?? '-'}`)).to.deep.equal([
      '1 same arrival',
      '2 empty -',
      '3 empty -',
      '4 undeclared arrival',
    ]);
    expect(o.lab.device('chassis').print()).to.contain('socket 1/3\n  about "crane"');
  });

  it('names the card that is not in it, before all the lines that were turned down because of it', async () => {
    const [mac, device, model] = ['02:00:00:00:c4:09', 'mos-core-2', 'larkfield/lf-c4'];
    await o.client.add('device', { name: device, duty: 'access', model, site: 'mos' });
    for (const slot of ['1', '2']) await o.client.add('card', { device, slot, model: 'larkfield/c4-24t' });
    await o.client.edit('interface', `${device}:1/24`, { mode: 'trunk', tagged: '304' });
    for (const n of [1, 2, 3])
      await o.client.edit('interface', `${device}:2/${n}`, { description: 'bollard', vlan: '316' });
    await o.client.add('box', { serial: 'LFC4-9009', model, mac, device });
    await o.client.call('device.assignManagement', { params: { ref: device }, body: {} });
    await prepare(o, device);
    const hardware = { name: 'half', model: 'LF-C4' as const, serial: 'LFC4-9009', mac, relay: '10.77.64.1' };
    o.lab.add({ ...hardware, cards: [{ slot: '1', model: 'C4-24T', serial: 'C424-9011' }] });
    o.lab.device('half').on();
    const stuck = await diagnosed(o.client, device, 'card-missing');
    expect(stuck.diagnosis?.detail).to.match(
      /^slot 2: declared larkfield\/c4-24t, nothing is in it; \d+ lines of the edition are not there$/,
    );
    await o.lab.device('half').off();
  });

  it('refuses a line for a port of a card that is not there', () => {
    const edition = o.lab.furrow('chassis').memory;
    expect(edition.take([], 'socket 2/1')).to.deep.equal({ why: 'LF-C4 has sockets 1/1 to 1/24, 4/1 to 4/24' });
  });

  it('is guessed by the port that it hangs on, where a cable of the records leads to a device', async () => {
    const serial = 'LF24-9999';
    await o.client.edit('box', 'lf24-0188-05', { device: null });
    await o.client.add('device', { name: 'mos-acc-0', duty: 'access', model: 'larkfield/lf-24', site: 'mos' });
    const mac = '02:00:00:00:c4:02';
    o.lab.add({ name: 'lost', model: 'LF-24', serial, mac, relay: '10.77.64.1', circuit: 'mos-xr-1:cu2' });
    o.lab.device('lost').on();
    for (let tries = 0; ; tries += 1) {
      const { items } = await o.client.call('stranger.list', { query: {} });
      const found = items.find((stranger) => stranger.serial === serial);
      if (found) {
        expect(found.candidates[0]?.device).to.equal('mos-acc-1');
        expect(found.candidates[0]?.why).to.match(/^the cable in mos-xr-1:cu2 leads to it, has no box/);
        return;
      }
      if (tries > 100) throw new Error('nobody noticed it');
      await new Promise((resolve) => setTimeout(resolve, 60));
    }
  });
});
