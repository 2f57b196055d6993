/** The same landing again: what comes into being, what does not, and that nothing is shared that must not be. */
import { expect } from 'chai';
import type { Client } from '@zpine/contract/client';
import { bootNet } from '../../ops/stack.ts';
import { refusal, demoService, type TestBench } from '../service.ts';
import { allOf, namesOf } from './bench.ts';

describe('the same landing again', function () {
  this.timeout(60_000);
  let bench: TestBench;
  let client: Client;
  before(async () => {
    bench = await demoService(bootNet().env);
    client = bench.clients.engineer;
  });
  after(() => bench.stop());

  const copy = (ref: string, body: object) =>
    client.call('site.copy', { params: { ref }, body: body as { code: string } });

  it('is looked at before it is made', async () => {
    const seen = await copy('ard', { code: 'bel', title: 'Bellhaven' });
    expect(seen).to.deep.include({ site: 'bel', applied: false });
    expect(seen.counts).to.deep.include({ site: 1, vlan: 6, room: 1, rack: 1, device: 4, cable: 8 });
    expect(seen.left.map((one) => `${one.kind} ${one.key}`)).to.include.members([
      'address 10.77.16.11',
      'box lf24-0188-01',
    ]);
    expect((await client.list('site', { where: 'key=bel' })).items).to.deep.equal([]);
  });

  it('has racks, devices, interfaces, VLANs, values and cables of its own', async () => {
    await copy('ard', { code: 'bel', title: 'Bellhaven', apply: true });
    expect(await client.show('device', 'bel-acc-1')).to.deep.include({
      site: 'bel',
      rack: 'bel/closet/w1',
      positionU: 7,
      stage: 'sketched',
      management: 'bel-acc-1:vlan304',
    });
    const [was, is] = [
      await client.show('interface', 'ard-acc-1:1/24'),
      await client.show('interface', 'bel-acc-1:1/24'),
    ];
    expect(is).to.deep.include({ mode: 'trunk', tagged: was.tagged, description: 'to bel-xr-1' });
    expect((await client.show('interface', 'bel-acc-1:1/1')).vlan).to.equal('bel/328');
    expect(await client.show('interface', 'bel-xr-1:cu2.316')).to.deep.include({ on: 'bel-xr-1:cu2', tag: 316 });
    expect((await client.show('cable', 'bel-acc-1:1/24')).to).to.equal('bel-xr-1:cu2');
    expect((await client.show('cable', 'bel-acc-1:1/1')).marking).to.equal(null);
    expect(await namesOf(client, 'port', 'bel-acc-1')).to.deep.equal(await namesOf(client, 'port', 'ard-acc-1'));
    expect(await namesOf(client, 'interface', 'bel-xr-1')).to.deep.equal(
      await namesOf(client, 'interface', 'ard-xr-1'),
    );
    const values = await client.call('value.list', { query: { layer: 'device', of: 'bel-acc-1' } });
    expect(values.items.map((value) => value.setting)).to.deep.equal(['trap.target']);
    expect(await allOf(client, 'address', { where: 'interface=bel-*' })).to.deep.equal([]);
    const drawn = await client.call('rack.drawing', { params: { ref: 'bel/closet/w1' } });
    expect(drawn.items.map((item) => item.positionU)).to.deep.equal([12, 11, 9, 8, 7]);
    expect(drawn.strips).to.deep.equal(['bel-ps-1']);
  });

  it('is one change set, taken back as one', async () => {
    const [set] = (await client.call('history.list', { query: { limit: '1' } })).items;
    expect(set?.action).to.equal('site.copy');
    await client.call('history.undo', { params: { id: String(set?.id) }, body: { apply: true } });
    expect(await allOf(client, 'device', { where: 'site=none key=bel-*' })).to.deep.equal([]);
    expect((await client.list('site', { where: 'key=bel' })).items).to.deep.equal([]);
    expect((await client.list('port', { where: 'device=bel-*', limit: 1 })).items).to.deep.equal([]);
  });

  it('leaves out cables to other sites, and takes chassis with their cards', async () => {
    await client.add('cable', { from: 'har-xr-1:cu1', to: 'mos-xr-1:cu1' });
    const seen = await copy('har', { code: 'new', apply: true });
    expect(seen.left).to.deep.include({ kind: 'cable', key: 'har-xr-1:cu1', why: 'its other end is at another site' });
    expect((await allOf(client, 'card', { device: 'new-core-1' })).map((card) => card.key)).to.deep.equal([
      'new-core-1:1',
      'new-core-1:3',
      'new-core-1:3/1',
    ]);
    expect((await client.show('interface', 'new-core-1:1/23')).memberOf).to.equal('new-core-1:ag1');
    expect((await client.show('rack', 'new/equipment/e1')).assetNumber).to.equal(null);
  });

  it('asks for names that do not have the code in them', async () => {
    await client.add('device', { name: 'lighthouse', site: 'mos' });
    const problem = await refusal(copy('mos', { code: 'oth' }));
    expect(problem.errors?.map((fault) => `${fault.code} ${fault.pointer}`)).to.deep.equal([
      'copy-name /names/lighthouse',
    ]);
    const seen = await copy('mos', { code: 'oth', names: { lighthouse: 'beacon' }, apply: true });
    expect(seen.items.map((item) => item.key)).to.include.members(['beacon', 'oth-acc-1']);
    expect((await refusal(copy('mos', { code: 'oth', names: { lighthouse: 'x' } }))).errors?.[0]?.code).to.equal(
      'taken',
    );
    expect((await refusal(copy('mos', { code: 'otx', names: { lighthose: 'x' } }))).errors?.[0]?.remedy).to.contain(
      'lighthouse',
    );
    expect((await refusal(copy('nix', { code: 'oth' }))).code).to.equal('not-found');
  });
});
