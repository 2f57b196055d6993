/** What interfaces of each form and mode may have, and that their VLANs are those of the site. */
import { expect } from 'chai';
import type { Client } from '@zpine/contract/client';
import { refusal, testService, type TestBench } from '../service.ts';
import { faultsOf, makeHardware } from './bench.ts';

describe('interfaces', () => {
  let bench: TestBench;
  let client: Client;
  before(async () => {
    bench = await testService();
    client = bench.clients.engineer;
    await makeHardware(client);
    for (const [name, site] of [
      ['ard-acc-1', 'ard'],
      ['ard-acc-2', 'ard'],
      ['cob-acc-1', 'cob'],
    ])
      await client.add('device', { name, site, model: 'larkfield/lf-6' });
  });
  after(() => bench.stop());

  const on = (name: string) => `ard-acc-1:${name}`;
  const edit = (name: string, changes: object) => client.edit('interface', on(name), changes);
  const add = (name: string, fields: object) => client.add('interface', { device: 'ard-acc-1', name, ...fields });

  it('are in a mode, said or understood from their VLANs', async () => {
    expect(await edit('1/1', { vlan: 'ard/316' })).to.include({ mode: 'access' });
    const trunk = await edit('1/2', { tagged: '304, 316', vlan: '304' });
    expect(trunk).to.include({ mode: 'trunk', vlan: 'ard/304' });
    expect(trunk.tagged).to.deep.equal([304, 316]);
    expect(await faultsOf(edit('1/1', { tagged: [304] }))).to.equal('mode-vlans /tagged');
    expect(await faultsOf(edit('1/2', { mode: 'routed' }))).to.equal('mode-vlans /vlan, mode-vlans /tagged');
    expect(await edit('1/2', { mode: 'routed', vlan: null, tagged: null })).to.include({ mode: 'routed' });
    await edit('1/2', { mode: 'trunk', tagged: '304,316' });
  });

  it('use VLANs of their site alone', async () => {
    expect(await faultsOf(edit('1/3', { vlan: 'cob/316' }))).to.equal('vlan-elsewhere /vlan');
    expect(await faultsOf(edit('1/3', { vlan: '999' }))).to.equal('ref-unknown /vlan');
    const missing = await refusal(edit('1/3', { tagged: '304, 900-902' }));
    expect(missing.errors?.[0]?.detail).to.equal('ard has no VLAN 900-902');
    expect(missing.errors?.[0]?.remedy).to.contain('zpine vlan add ard/900');
    expect(await faultsOf(edit('1/3', { tagged: '0' }))).to.equal('numbers-range /tagged');
    await client.add('device', { name: 'nowhere', model: 'larkfield/lf-4' });
    expect(await faultsOf(client.edit('interface', 'nowhere:1/1', { vlan: '316' }))).to.equal(
      'vlan-without-site /vlan',
    );
  });

  it('hold the VLANs that they carry, and follow them to other numbers', async () => {
    const told = await refusal(client.remove('vlan', 'ard/304'));
    expect(told.detail).to.contain('interfaces ard-acc-1:1/2 (tagged vlans)');
    await client.edit('vlan', 'ard/316', { number: 317 });
    expect((await client.show('interface', on('1/2'))).tagged).to.deep.equal([304, 317]);
    expect((await client.show('interface', on('1/1'))).vlan).to.equal('ard/317');
    await client.edit('vlan', 'ard/317', { number: 316 });
    const found = await client.list('interface', { where: 'tagged=316 site=ard', limit: 10 });
    expect(found.items.map((i) => i.key)).to.deep.equal([on('1/2')]);
    expect((await client.list('interface', { tagged: '304' })).items.map((i) => i.key)).to.deep.equal([on('1/2')]);
  });

  it('go along to another site where it has the same VLANs', async () => {
    const lost = await faultsOf(
      client
        .edit('interface', 'ard-acc-2:1/1', { vlan: '328' })
        .then(() => client.edit('device', 'ard-acc-2', { site: 'cob' })),
    );
    expect(lost).to.equal('vlans-lost');
    await client.edit('interface', 'ard-acc-2:1/1', { vlan: '316' });
    await client.edit('interface', 'ard-acc-2:1/2', { tagged: '304' });
    await client.edit('device', 'ard-acc-2', { site: 'cob' });
    expect((await client.show('interface', 'ard-acc-2:1/1')).vlan).to.equal('cob/316');
    expect(await faultsOf(client.remove('vlan', 'cob/304'))).to.equal('in-use');
    const [set] = (await client.call('history.list', { query: { limit: '1' } })).items;
    await client.call('history.undo', { params: { id: String(set?.id) }, body: { apply: true } });
    expect((await client.show('interface', 'ard-acc-2:1/1')).vlan).to.equal('ard/316');
    expect((await client.removal('vlan', 'cob/304')).blocks).to.deep.equal([]);
  });

  it('sit on others with tags, beside an untagged one', async () => {
    expect(await faultsOf(add('1/4.5', { form: 'sub-interface' }))).to.equal('form-needs /on');
    await add('1/4.316', { form: 'sub-interface', on: on('1/4'), tag: 316, vlan: '316' });
    await add('1/4.0', { form: 'sub-interface', on: on('1/4') });
    expect(await faultsOf(add('1/4.x', { form: 'sub-interface', on: on('1/4'), tag: 316 }))).to.equal('tag-taken /tag');
    expect(await faultsOf(add('1/4.y', { form: 'sub-interface', on: on('1/4') }))).to.equal('tag-taken /tag');
    await add('quay', { form: 'routed', on: on('1/4'), tag: 400 });
    expect(await faultsOf(add('1/1.9', { form: 'sub-interface', on: on('1/1'), tag: 9 }))).to.equal(
      'base-switching /on',
    );
    expect(await faultsOf(add('z', { form: 'sub-interface', on: on('quay'), tag: 9 }))).to.equal('base-form /on');
    expect(await faultsOf(add('z', { form: 'sub-interface', on: 'cob-acc-1:1/1', tag: 9 }))).to.equal(
      'other-device /on',
    );
    expect(await faultsOf(add('lonely', { form: 'routed', tag: 9 }))).to.equal('form-needs /on');
    expect(await add('outside', { form: 'routed', on: on('1/5') })).to.include({ on: on('1/5'), tag: null });
  });

  it('belong to aggregates, and have no life of their own then', async () => {
    await add('ag1', { form: 'aggregate', tagged: '304,316' });
    expect(await edit('1/6', { memberOf: on('ag1') })).to.include({ memberOf: on('ag1') });
    expect(await faultsOf(edit('1/6', { vlan: '316' }))).to.contain('member-busy /mode');
    expect(await faultsOf(edit('1/3', { memberOf: on('1/5') }))).to.equal('member-form /memberOf');
    expect(await faultsOf(edit('1/4', { memberOf: on('ag1') }))).to.equal('member-busy /memberOf');
    expect(await faultsOf(client.remove('interface', on('ag1')))).to.equal('in-use');
    await edit('1/6', { memberOf: null });
    await client.remove('interface', on('ag1'));
  });

  it('have what their form has, and no more', async () => {
    expect(await faultsOf(add('self0', { form: 'loopback', vlan: '316', mode: 'access' }))).to.equal(
      'field-form /mode, field-form /vlan',
    );
    expect(await faultsOf(add('vlan9', { form: 'vlan' }))).to.equal('form-needs /vlan');
    expect(await faultsOf(edit('1/3', { form: 'loopback' }))).to.equal('field-fixed /form');
    expect(await faultsOf(edit('1/3', { name: '1/33' }))).to.equal('interface-renamed /name');
    expect(await faultsOf(edit('1/3', { speedMbps: 10_000 }))).to.equal('speed-high /speedMbps');
    expect(await edit('1/3', { speedMbps: 100, enabled: false })).to.include({ speedMbps: 100, enabled: false });
  });

  it('are set many at once, each with the VLAN of its own site', async () => {
    const refs = ['ard-acc-1:1/3', 'cob-acc-1:1/3', 'cob-acc-1:1/4'];
    const seen = await client.editMany('interface', { refs, changes: { vlan: '316' } });
    expect(seen.items.map((item) => item.changes.find((c) => c.field === 'vlan')?.after)).to.deep.equal([
      'ard/316',
      'cob/316',
      'cob/316',
    ]);
    const wrong = await client.editMany('interface', { refs, changes: { vlan: '328' }, apply: true });
    expect(wrong.faults.map((fault) => fault.key)).to.deep.equal(['cob-acc-1:1/3', 'cob-acc-1:1/4']);
    expect(wrong.applied).to.equal(false);
  });
});

describe('devices that are not like others', () => {
  let bench: TestBench;
  before(async () => {
    bench = await testService();
    await makeHardware(bench.clients.engineer);
  });
  after(() => bench.stop());

  it('are virtual: no rack and no box', async () => {
    const client = bench.clients.engineer;
    await client.add('room', { site: 'ard', name: 'closet' });
    await client.add('rack', { room: 'ard/closet', name: 'w1' });
    await client.add('device', { name: 'names', site: 'ard', virtual: true });
    expect(await faultsOf(client.edit('device', 'names', { rack: 'ard/closet/w1' }))).to.equal('virtual-place /rack');
    const box = { serial: 'V-1', model: 'larkfield/lf-4', device: 'names' };
    expect(await faultsOf(client.add('box', box))).to.equal('virtual-place /device');
    await client.add('device', { name: 'real', site: 'ard' });
    await client.add('box', { ...box, device: 'real' });
    expect(await faultsOf(client.edit('device', 'real', { virtual: true }))).to.equal('virtual-place /virtual');
    const { items } = await client.call('today');
    expect(items.filter((item) => item.key === 'names').map((item) => item.code)).to.deep.equal(['no-management']);
  });

  it('are not provisioned by us: no edition, and nothing is asked of them', async () => {
    const client = bench.clients.engineer;
    await client.add('device', { name: 'recorder', site: 'ard', provisioned: false });
    const made = client.call('edition.make', { params: { ref: 'recorder' }, body: {} });
    expect(await faultsOf(made)).to.equal('not-provisioned');
    const { items } = await client.call('today');
    expect(items.filter((item) => item.key === 'recorder')).to.deep.equal([]);
  });
});
