/** What devices say of their addresses and links, beside the records; taken into them in one step. */
import { expect } from 'chai';
import { acquainted, addDevice, fleet, paste, settled, type Fleet } from './bench.ts';
import { liveAddresses } from '../../service/app/fleet/live.ts';
import { transact } from '../../service/store/transact.ts';
import { expectStatements } from '../statements.ts';
import { actor, refusal } from '../service.ts';

describe('live beside the records', function () {
  this.timeout(60_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 0, quill: 0, shale: 0 });
    const mac = (last: string) => `02:00:00:00:aa:${last}`;
    const hears = [
      { on: '1/1', neighbour: 'har-acc-2.brackwater.example', port: '1/4' },
      { on: '1/7', mac: mac('01'), vlan: 316 },
      { on: '1/8', mac: mac('02'), vlan: 316 },
      ...['11', '12', '13'].map((last) => ({ on: '1/9', mac: mac(last), vlan: 316 })),
    ];
    addDevice(f.lab, 'furrow', 1, { hears });
    addDevice(f.lab, 'furrow', 2, { hears: [{ on: '1/4', neighbour: 'har-acc-1', port: '1/1' }] });
    await paste(f.client, 'furrow', ['har-acc-1', 'har-acc-2']);
    await acquainted(f.client);
    // An address that the records know nothing of, in a network that is part of the other's.
    const { memory } = f.lab.furrow('har-acc-1');
    memory.take([], 'face lane 316');
    memory.take(['face lane 316'], 'at 10.77.101.1/25');
    await f.client.add('prefix', { cidr: '10.77.96.0/19' });
    await ask('interfaces');
    await ask('neighbours');
    await ask('macs');
  });
  after(() => f.end());
  const ask = async (question: string) =>
    settled(f.client, await f.client.call('run.ask', { body: { where: 'stage!=retired', asks: [{ question }] } }));
  const look = async (query: object) =>
    (await f.client.call('live.addresses', { query: query as { prefix: string } })).items.map(
      ({ address, relation, agrees, take }) => ({ address, relation, agrees, take }),
    );

  it('tells apart what is the prefix, what is inside it, and what lies around it', async () => {
    const exactly = { address: '10.77.101.1/25', relation: 'exactly', agrees: false, take: 'as har-acc-1:vlan316' };
    expect(await look({ prefix: '10.77.101.0/25' })).to.deep.equal([exactly]);
    expect(await look({ prefix: '10.77.101.0/24' })).to.deep.equal([{ ...exactly, relation: 'inside' }]);
    expect(await look({ prefix: '10.77.101.64/26' })).to.deep.equal([{ ...exactly, relation: 'around' }]);
    expect(await look({ prefix: '10.77.101.64/26', how: 'inside' })).to.deep.equal([]);
    expect(await look({ prefix: '10.77.102.0/24' })).to.deep.equal([]);
    expect(await look({ prefix: '10.77.101.0/24', where: 'name=har-acc-2' })).to.deep.equal([]);
    expect(await look({ prefix: '10.77.101.0/24', seen: '1' })).to.have.length(1);
    await f.store.sequelize.query('UPDATE seen_address SET at = at - INTERVAL 2 HOUR');
    expect(await look({ prefix: '10.77.101.0/24', seen: '1' })).to.deep.equal([]);
    await expectStatements(f.store, 12, () =>
      transact(f.store, actor, 'live.addresses', (tx) => liveAddresses(tx, { prefix: '10.77.96.0/19' })),
    );
  });

  it('takes in what was said, with the interface it is on; and nothing that was not said', async () => {
    const one = { device: 'har-acc-1', interface: 'lane 316', address: '10.77.101.1/25' };
    for (const wrong of [{ address: '10.77.101.2' }, { interface: 'lane 317' }, { device: 'har-acc-2' }])
      expect(
        (await refusal(f.client.call('live.take', { body: { addresses: [{ ...one, ...wrong }] } }))).code,
      ).to.equal('live-not-seen');
    expect((await refusal(f.clients.viewer.call('live.take', { body: { addresses: [one] } }))).status).to.equal(403);
    const { done } = await f.client.call('live.take', { body: { addresses: [one] } });
    expect(done).to.deep.equal(['address 10.77.101.1 is on har-acc-1:vlan316']);
    expect(await f.client.show('interface', 'har-acc-1:vlan316')).to.include({ form: 'routed' });
    expect(await look({ prefix: '10.77.101.0/25' })).to.deep.equal([
      { address: '10.77.101.1/25', relation: 'exactly', agrees: true, take: null },
    ]);
  });

  it('leaves the same address of another VRF alone', async () => {
    await f.client.add('vrf', { name: 'guests' });
    await f.client.add('prefix', { cidr: '10.77.96.0/19', vrf: 'guests' });
    await f.client.add('address', { address: '10.77.96.11', vrf: 'guests', description: 'a guest' });
    const body = { addresses: [{ device: 'har-acc-1', interface: 'lane 304', address: '10.77.96.11' }] };
    await f.client.call('live.take', { body });
    expect(await f.client.show('address', '10.77.96.11@guests')).to.include({ interface: null });
  });

  it('corrects whose address it is', async () => {
    await f.client.edit('address', '10.77.101.1', { interface: 'har-acc-2:management' });
    const [differs] = await look({ prefix: '10.77.101.0/25' });
    expect(differs).to.include({ agrees: false, take: 'from har-acc-2:management to har-acc-1:vlan316' });
    const body = { addresses: [{ device: 'har-acc-1', interface: 'lane 316', address: '10.77.101.1' }] };
    expect((await f.client.call('live.take', { body })).done).to.deep.equal([
      'address 10.77.101.1 is on har-acc-1:vlan316 now',
    ]);
  });

  it('holds who is heard against the cables, and makes a cable of it', async () => {
    for (const key of ['har-acc-1:1/1', 'har-acc-1:1/2', 'har-acc-2:1/4'])
      await f.client.add('port', { device: key.split(':')[0], name: key.split(':')[1] });
    const links = async () => (await f.client.call('live.links', { query: {} })).items;
    expect((await links()).map(({ interface: on, agrees, take }) => [on, agrees, take])).to.deep.equal(
      [
        ['socket 1/1', false, 'har-acc-1:1/1 to har-acc-2:1/4'],
        ['socket 1/4', false, 'har-acc-2:1/4 to har-acc-1:1/1'],
      ].map(([on, ...rest]) => [String(on).replace('socket ', ''), ...rest]),
    );
    const { done } = await f.client.call('live.takeLinks', {
      body: { links: [{ device: 'har-acc-1', interface: '1/1' }] },
    });
    expect(done).to.deep.equal(['a cable leads from har-acc-1:1/1 to har-acc-2:1/4']);
    // Seen from either end.
    expect((await links()).map(({ agrees }) => agrees)).to.deep.equal([true, true]);
    await f.client.edit('cable', 'har-acc-1:1/1', { from: 'har-acc-1:1/2' });
    const [wrong] = await links();
    expect(wrong).to.include({ recorded: null, agrees: false });
    const other = (await links())[1];
    expect(other).to.include({ recorded: 'har-acc-1:1/2', agrees: false });
    const corrected = await f.client.call('live.takeLinks', {
      body: { links: [{ device: 'har-acc-2', interface: '1/4' }] },
    });
    expect(corrected.done[0]).to.contain('instead of har-acc-1:1/2');
    expect((await links()).map(({ agrees }) => agrees)).to.deep.equal([true, true]);
    expect(
      (await refusal(f.client.call('live.takeLinks', { body: { links: [{ device: 'har-acc-1', interface: '1/9' }] } })))
        .code,
    ).to.equal('live-not-seen');
  });

  it('holds whose MACs are behind ports against the cables, and makes a cable of one that hangs alone', async () => {
    await f.client.add('device', { name: 'cam-1' });
    await f.client.add('port', { device: 'cam-1', name: 'eth0' });
    await f.client.edit('interface', 'cam-1:eth0', { mac: '02:00:00:00:aa:01' });
    await f.client.add('port', { device: 'har-acc-1', name: '1/7' });
    const look = async () =>
      (await f.client.call('live.behind', { query: {} })).items.map((one) => [
        one.interface,
        one.mac,
        one.belongs,
        one.recorded,
        one.agrees,
        one.take,
      ]);
    // On 1/9 there are three: that is another switch.
    expect(await look()).to.deep.equal([
      ['1/7', '02:00:00:00:aa:01', 'cam-1:eth0', null, false, 'har-acc-1:1/7 to cam-1:eth0'],
      ['1/8', '02:00:00:00:aa:02', null, null, false, null],
    ]);
    const plug = (on: string) =>
      f.client.call('live.takeBehind', { body: { plugs: [{ device: 'har-acc-1', interface: on }] } });
    expect((await refusal(plug('1/8'))).code).to.equal('live-not-seen');
    expect((await plug('1/7')).done).to.deep.equal(['a cable leads from har-acc-1:1/7 to cam-1:eth0']);
    expect((await look())[0]?.slice(3)).to.deep.equal(['cam-1:eth0', true, null]);
    await f.client.add('device', { name: 'cam-2' });
    await f.client.add('port', { device: 'cam-2', name: 'eth0' });
    await f.client.edit('cable', 'har-acc-1:1/7', { to: 'cam-2:eth0' });
    expect((await look())[0]?.slice(3)).to.deep.equal([
      'cam-2:eth0',
      false,
      'har-acc-1:1/7 to cam-1:eth0, instead of cam-2:eth0',
    ]);
    expect((await plug('1/7')).done).to.deep.equal([
      'a cable leads from har-acc-1:1/7 to cam-1:eth0, instead of cam-2:eth0',
    ]);
  });
});
