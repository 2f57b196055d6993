/** Addresses through the API: one call for a device, and nobody gets the same one twice. */
import { expect } from 'chai';
import type { Client } from '@zpine/contract/client';
import { refusal, testService, type TestBench } from '../service.ts';

describe('addresses', () => {
  let bench: TestBench;
  let engineer: Client;
  before(async () => {
    bench = await testService();
    ({ engineer } = bench.clients);
    await engineer.add('site', { code: 'ske' });
    await engineer.addAll('use', [{ name: 'management', management: true }, { name: 'staff' }]);
    await engineer.addAll('vlan', [
      { site: 'ske', number: 304, use: 'management', title: 'management' },
      { site: 'ske', number: 316, use: 'staff' },
    ]);
    await engineer.addAll('prefix', [
      {
        cidr: '10.77.48.0/24',
        vlan: 'ske/304',
        gateway: '10.77.48.1',
        heldBack: '10.77.48.2-10.77.48.10',
        pool: '10.77.48.200-10.77.48.239',
      },
      { cidr: '2001:db8:77:3000::/64', vlan: 'ske/304', gateway: '2001:db8:77:3000::1' },
      { cidr: '10.77.49.0/24', vlan: 'ske/316' },
    ]);
  });
  after(() => bench.stop());

  const assign = (device: string, body: object = {}) =>
    engineer.call('device.assignManagement', { params: { ref: device }, body });

  it('come from the management VLAN of the device’s site, with an interface to sit on', async () => {
    await engineer.add('vendor', { name: 'larkfield' });
    await engineer.add('model', {
      vendor: 'larkfield',
      name: 'lf-24',
      ports: '1/{1..24} 1000base-t',
      management: 'vlan{vlan}',
    });
    await engineer.add('device', { name: 'ske-acc-1', site: 'ske', model: 'larkfield/lf-24' });
    const done = await assign('ske-acc-1');
    expect(done).to.deep.include({
      address: '10.77.48.11',
      length: 24,
      vlan: 'ske/304',
      interface: 'ske-acc-1:vlan304',
      gateway: '10.77.48.1',
      left: '203',
      assigned: true,
    });
    expect((await engineer.show('device', 'ske-acc-1')).management).to.equal('ske-acc-1:vlan304');
  });

  it('are the same when the call is made again', async () => {
    expect(await assign('ske-acc-1')).to.deep.include({ address: '10.77.48.11', assigned: false });
  });

  it('of both families sit on the same interface', async () => {
    expect(await assign('ske-acc-1', { family: '6' })).to.deep.include({
      address: '2001:db8:77:3000::2',
      interface: 'ske-acc-1:vlan304',
      assigned: true,
    });
  });

  it('can be given, or begin somewhere', async () => {
    await engineer.addAll('device', [
      { name: 'ske-acc-2', site: 'ske' },
      { name: 'ske-acc-3', site: 'ske' },
    ]);
    expect((await assign('ske-acc-2', { address: '10.77.48.5' })).address).to.equal('10.77.48.5');
    expect((await assign('ske-acc-3', { from: '10.77.48.100' })).address).to.equal('10.77.48.100');
  });

  it('from somewhere do not wrap round to the beginning', async () => {
    const problem = await refusal(
      engineer.call('address.propose', { query: { prefix: '10.77.48.0/24', from: '10.77.48.255' } }),
    );
    expect(problem.code).to.equal('prefix-full');
    const last = await engineer.call('address.propose', { query: { prefix: '10.77.48.0/24', from: '10.77.48.200' } });
    expect(last.address).to.equal('10.77.48.240');
  });

  it('are free again when they are released', async () => {
    await engineer.remove('address', '10.77.48.100');
    expect(
      (await engineer.call('address.propose', { query: { prefix: '10.77.48.0/24', from: '10.77.48.100' } })).address,
    ).to.equal('10.77.48.100');
  });

  it('go with the interface and the device that they sit on', async () => {
    await engineer.remove('device', 'ske-acc-2');
    expect((await engineer.list('address', { q: '10.77.48.5' })).items).to.deep.equal([]);
    expect((await engineer.list('interface', { q: 'ske-acc-2' })).items).to.deep.equal([]);
    const [set] = (await engineer.call('history.list', { query: { limit: 1 } })).items;
    expect(set?.changes.map((c) => c.kind)).to.deep.equal(['address', 'interface', 'device']);
  });

  it('say what is missing when there is nothing to take them from', async () => {
    await engineer.add('site', { code: 'mos' });
    await engineer.addAll('device', [{ name: 'mos-acc-1', site: 'mos' }, { name: 'lonely' }]);
    expect(await refusal(assign('mos-acc-1'))).to.include({ code: 'management-unknown' });
    expect(await refusal(assign('lonely'))).to.include({ code: 'device-without-site' });
    await engineer.add('prefix', { cidr: '10.77.50.0/24', vlan: 'ske/304' });
    await engineer.add('device', { name: 'ske-acc-9', site: 'ske' });
    expect(await refusal(assign('ske-acc-9'))).to.include({ code: 'management-several' });
    expect((await assign('ske-acc-9', { prefix: '10.77.50.0/24' })).address).to.equal('10.77.50.1');
    await refusal(engineer.remove('prefix', '10.77.50.0/24'));
  });

  it('taken by fifty clients at once are all different, without a gap', async () => {
    await engineer.add('prefix', { cidr: '10.90.0.0/24' });
    const taken = await Promise.all(
      Array.from({ length: 50 }, () => engineer.call('address.assign', { body: { prefix: '10.90.0.0/24' } })),
    );
    const last = taken.map((t) => Number(t.address.split('.')[3])).sort((a, b) => a - b);
    expect(last).to.deep.equal(Array.from({ length: 50 }, (_, i) => i + 1));
  });

  it('of fifty devices managed at once are all different', async () => {
    await engineer.add('site', { code: 'har' });
    await engineer.add('vlan', { site: 'har', number: 304, use: 'management' });
    await engineer.add('prefix', { cidr: '10.91.0.0/24', vlan: 'har/304' });
    await engineer.addAll(
      'device',
      Array.from({ length: 50 }, (_, i) => ({ name: `har-${i}`, site: 'har' })),
    );
    const taken = await Promise.all(Array.from({ length: 50 }, (_, i) => assign(`har-${i}`)));
    expect(new Set(taken.map((t) => t.address)).size).to.equal(50);
    expect((await engineer.call('prefix.space', { params: { ref: '10.91.0.0/24' } })).free).to.equal('204');
  });

  it('of one device asked for by fifty clients are one', async () => {
    await engineer.add('device', { name: 'har-once', site: 'har' });
    const taken = await Promise.all(Array.from({ length: 50 }, () => assign('har-once')));
    expect(new Set(taken.map((t) => t.address)).size).to.equal(1);
    expect(taken.filter((t) => t.assigned)).to.have.length(1);
  });

  it('given by name to fifty clients go to one, and the others are told', async () => {
    const results = await Promise.allSettled(
      Array.from({ length: 50 }, () => engineer.add('address', { address: '10.91.0.200' })),
    );
    expect(results.filter((r) => r.status === 'fulfilled')).to.have.length(1);
    for (const r of results)
      if (r.status === 'rejected') expect((r.reason as { problem: { code: string } }).problem.code).to.equal('taken');
  });

  it('follow the shape of the tree when prefixes come between', async () => {
    await engineer.add('prefix', { cidr: '10.92.0.0/16' });
    await engineer.add('address', { address: '10.92.1.7' });
    await engineer.add('prefix', { cidr: '10.92.1.0/24' });
    expect((await engineer.show('address', '10.92.1.7')).prefix).to.equal('10.92.1.0/24');
    await engineer.add('prefix', { cidr: '10.92.0.0/20' });
    expect((await engineer.show('prefix', '10.92.1.0/24')).parent).to.equal('10.92.0.0/20');
    await engineer.remove('prefix', '10.92.1.0/24');
    expect((await engineer.show('address', '10.92.1.7')).prefix).to.equal('10.92.0.0/20');
    expect(
      (await engineer.call('address.propose', { query: { prefix: '10.92.0.0/20', from: '10.92.1.7' } })).address,
    ).to.equal('10.92.1.8');
  });

  it('keep shape changes and assignments apart when both happen at once', async () => {
    await engineer.add('prefix', { cidr: '10.93.0.0/16' });
    const work = [
      ...Array.from({ length: 16 }, (_, i) => engineer.add('prefix', { cidr: `10.93.${i}.0/24` })),
      ...Array.from({ length: 32 }, (_, i) => engineer.add('address', { address: `10.93.${i % 16}.${10 + i}` })),
    ];
    await Promise.all(work);
    for await (const address of engineer.all('address', { q: '10.93.' })) {
      expect(address.prefix).to.equal(`${address.address.split('.').slice(0, 3).join('.')}.0/24`);
    }
  });

  it('are told apart by VRF', async () => {
    await engineer.add('vrf', { name: 'wireless' });
    await engineer.add('prefix', { cidr: '10.77.48.0/24', vrf: 'wireless' });
    const done = await engineer.call('address.assign', { body: { prefix: '10.77.48.0/24@wireless' } });
    expect(done.address).to.equal('10.77.48.1');
    expect((await engineer.show('address', '10.77.48.1@wireless')).vrf).to.equal('wireless');
    await engineer.addAll('prefix', [{ cidr: '0.0.0.0/0' }, { cidr: '::/0' }]);
    expect((await engineer.show('prefix', '10.92.0.0/16')).parent).to.equal('0.0.0.0/0');
    expect((await engineer.show('prefix', '2001:db8:77:3000::/64')).parent).to.equal('::/0');
  });
});

describe('a prefix that runs out', () => {
  let bench: TestBench;
  before(async () => {
    bench = await testService();
  });
  after(() => bench.stop());

  it('is on Today when little is left of what is for fixed assignment, and not before', async () => {
    const { engineer } = bench.clients;
    await engineer.add('prefix', { cidr: '10.77.1.0/27', gateway: '10.77.1.1', pool: '10.77.1.20-10.77.1.30' });
    const nearlyFull = async () => (await engineer.call('today')).items.filter((i) => i.code === 'nearly-full');
    const take = () => engineer.call('address.assign', { body: { prefix: '10.77.1.0/27' } });
    for (let i = 0; i < 15; i += 1) await take();
    expect(await nearlyFull()).to.deep.equal([]);
    await take();
    await take();
    expect((await nearlyFull()).map((i) => i.detail)).to.deep.equal([
      '94 % of what is for fixed assignment is taken, 1 left.',
    ]);
  });
});
