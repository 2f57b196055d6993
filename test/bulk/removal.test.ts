/** Many records removed at once, places with what is in them, devices that are retired: looked at, done, undone. */
import { expect } from 'chai';
import { Client } from '@zpine/contract/client';
import { type Remark, remarkWords } from '@zpine/contract/remarks';
import { refusal, testService, type TestBench } from '../service.ts';
import { expectSound } from '../sound.ts';

describe('removing many', () => {
  let bench: TestBench;
  const api = () => bench.clients.engineer;

  /** A site with a closet, a switch and a router on a VLAN with a prefix inside another. */
  async function site(code: string, net: number): Promise<void> {
    await api().add('site', { code });
    await api().add('room', { site: code, name: 'closet' });
    await api().add('rack', { room: `${code}/closet`, name: 'w1', heightU: 12 });
    await api().add('filler', { rack: `${code}/closet/w1`, positionU: 12 });
    await api().add('vlan', { site: code, number: 304, use: 'management' });
    await api().add('prefix', { cidr: `10.77.${net}.0/24`, site: code });
    await api().add('prefix', { cidr: `10.77.${net}.0/25`, vlan: `${code}/304` });
    for (const [n, name] of ['acc', 'xr'].entries()) {
      const device = `${code}-${name}-1`;
      await api().add('device', { name: device, model: 'larkfield/lf-2', rack: `${code}/closet/w1`, positionU: n + 1 });
      await api().add('box', { serial: `S-${device}`, model: 'larkfield/lf-2', device });
      await api().call('device.assignManagement', { params: { ref: device }, body: {} });
    }
    await api().add('cable', { from: `${code}-acc-1:1/1`, to: `${code}-xr-1:1/1`, kind: 'cat6' });
    await api().add('address', { address: `10.77.${net}.100`, description: 'kept for a printer' });
  }

  before(async () => {
    bench = await testService();
    await api().add('vendor', { name: 'larkfield' });
    await api().add('model', {
      vendor: 'larkfield',
      name: 'lf-2',
      heightU: 1,
      ports: '1/{1..2} 1000base-t',
      management: 'vlan{vlan}',
    });
    await api().add('use', { name: 'management', management: true });
    await api().add('prefix', { cidr: '10.77.0.0/16' });
    await site('ard', 16);
    await site('cob', 17);
  });
  after(async () => {
    await expectSound(bench.store);
    await bench.stop();
  });

  const keysOf = async (kind: 'device' | 'prefix' | 'address' | 'vlan' | 'rack') =>
    (await api().list(kind, { limit: '500' })).items.map(({ key }) => key);

  it('says what stands in the way, and removes nothing then', async () => {
    const told = await api().removeMany('device', { where: 'site=ard' });
    expect(told).to.include({ chosen: 2, count: 2, applied: false });
    expect(told.blocks[0]?.detail).to.contain('boxes s-ard-acc-1, s-ard-xr-1 (fitted as)');
    expect((await api().removeMany('device', { where: 'site=ard', apply: true })).applied).to.equal(false);
    expect(await keysOf('device')).to.have.members(['ard-acc-1', 'ard-xr-1', 'cob-acc-1', 'cob-xr-1']);
  });

  it('empties a site: counted, refused when it is another number by now, done in one change set', async () => {
    // Of another site, with an address out of this one's prefix: it stays, and so does its address.
    await api().add('interface', { device: 'cob-xr-1', name: 'loop', form: 'loopback' });
    await api().add('address', { address: '10.77.16.77', interface: 'cob-xr-1:loop' });
    const told = await api().removeMany('site', { refs: ['ard'], contents: true });
    expect(told.blocks).to.deep.equal([]);
    expect(told.counts).to.include({
      site: 1,
      room: 1,
      rack: 1,
      filler: 1,
      vlan: 1,
      prefix: 2,
      device: 2,
      cable: 1,
      address: 3,
    });
    expect(told.count).to.equal(Object.values(told.counts).reduce((sum, n) => sum + n, 0));
    expect(await keysOf('device')).to.have.length(4);
    const other = { refs: ['ard'], contents: true, apply: true, expect: told.count - 1 };
    expect((await refusal(api().removeMany('site', other))).code).to.equal('bulk-other');
    await api().removeMany('site', { ...other, expect: told.count });
    expect(await keysOf('device')).to.deep.equal(['cob-acc-1', 'cob-xr-1']);
    expect(await keysOf('prefix')).to.deep.equal(['10.77.0.0/16', '10.77.17.0/24', '10.77.17.0/25']);
    expect(await keysOf('address'))
      .to.include('10.77.16.77')
      .and.not.include('10.77.16.100');
    expect(await api().show('address', '10.77.16.77')).to.include({ prefix: '10.77.0.0/16' });
    expect(await api().show('box', 's-ard-acc-1')).to.include({ condition: 'stock', device: null });
    await expectSound(bench.store);
  });

  it('has a history of what is gone, and of both lives of a key', async () => {
    const gone = await api().call('history.list', { query: { kind: 'device', record: 'ard-acc-1' } });
    expect(gone.items[0]?.action).to.equal('site.removeMany');
    expect(gone.items.at(-1)?.action).to.equal('device.add');
    const again = await api().add('device', { name: 'ard-acc-1' });
    const both = await api().call('history.list', { query: { kind: 'device', record: 'ARD-ACC-1' } });
    expect(both.items.map(({ action }) => action)).to.include.members(['site.removeMany']);
    expect(both.items).to.have.length(gone.items.length + 1);
    await api().remove('device', `#${again.id}`);
    const nobody = api().call('history.list', { query: { kind: 'device', record: 'ard-acc-9' } });
    expect((await refusal(nobody)).errors?.[0]?.code).to.equal('ref-unknown');
  });

  it('is undone whole', async () => {
    const [set] = (await api().call('history.list', { query: { kind: 'site', record: 'ard' } })).items;
    // The box came after the device of that name was gone: nothing of it hinders.
    await api().call('history.undo', { params: { id: String(set?.id) }, body: {} });
    expect(await keysOf('device')).to.have.length(4);
    expect(await api().show('box', 's-ard-acc-1')).to.include({ condition: 'fitted', device: 'ard-acc-1' });
    expect(await api().show('address', '10.77.16.77')).to.include({ prefix: '10.77.16.0/25' });
    await expectSound(bench.store);
  });

  it('lists what a device holds before it is retired, keeps what is told, gives back the rest', async () => {
    const look = (body: object) => api().call('device.retire', { params: { ref: 'ard-acc-1' }, body });
    const held = (await look({})).items.map(({ what, key }) => `${what} ${key}`);
    const [address = ''] = (await keysOf('address')).filter((key) => key.startsWith('10.77.16.1'));
    expect(held).to.deep.equal([
      `addresses ${address}`,
      'cables ard-acc-1:1/1',
      'box s-ard-acc-1',
      'rack ard/closet/w1',
    ]);
    expect((await api().show('device', 'ard-acc-1')).stage).to.equal('sketched');
    const done = await look({ keep: ['cables'], box: 'faulty', apply: true });
    expect(done.items.filter(({ kept }) => kept).map(({ key }) => key)).to.deep.equal(['ard-acc-1:1/1']);
    expect(await api().show('device', 'ard-acc-1')).to.include({
      stage: 'retired',
      rack: null,
      positionU: null,
      site: 'ard',
    });
    expect(await api().show('box', 's-ard-acc-1')).to.include({ condition: 'faulty', device: null });
    expect(await keysOf('address')).not.to.include(address);
    expect((await look({})).items.map(({ key }) => key)).to.deep.equal(['ard-acc-1:1/1']);
  });

  it('says of a device that was retired without the list what it still holds', async () => {
    const said: Remark[] = [];
    const token = bench.tokens.engineer;
    const client = new Client({ url: bench.url, token, via: 'api', onRemarks: (remarks) => said.push(...remarks) });
    await client.call('device.stage', { params: { ref: 'ard-xr-1' }, body: { stage: 'retired' } });
    expect(said.map(remarkWords)).to.deep.equal([
      'device ard-xr-1: it is retired and still holds its address, its cable, its box, its place in a rack; zpine device retire ard-xr-1',
    ]);
    said.length = 0;
    await client.call('device.retire', { params: { ref: 'ard-xr-1' }, body: { apply: true } });
    await client.call('device.stage', { params: { ref: 'ard-xr-1' }, body: { stage: 'retired' } });
    expect(said).to.deep.equal([]);
  });
});
