/** Rules for who gets which address, rests, stretches, shared addresses, devices declared with an address; names as files. */
import { spawnSync } from 'node:child_process';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect } from 'chai';
import type { Client } from '@zpine/contract/client';
import { transact } from '../../service/store/transact.ts';
import { saveSamples } from '../../service/app/addressing/samples.ts';
import { actor, refusal } from '../service.ts';
import { demoBench, type DemoBench } from './bench.ts';
import { eventually } from '../../trials/eventually.ts';

describe('addresses, handed out by rules', function () {
  this.timeout(120_000);
  let demo: DemoBench;
  let client: Client;
  before(async () => {
    demo = await demoBench();
    client = demo.bench.clients.engineer;
    await client.add('prefix', { cidr: '10.93.0.0/24', handOut: 'access number .10; crossing-router from .100' });
    for (const name of ['ske-acc-7', 'ske-acc-8', 'ske-xr-7'])
      await client.add('device', { name, duty: name.includes('acc') ? 'access' : 'crossing-router', site: 'ske' });
  });
  after(() => demo.end());

  const managed = (ref: string, body: object) => client.call('device.assignManagement', { params: { ref }, body });
  const space = (ref: string) => client.call('prefix.space', { params: { ref } });

  it('go by the number of the device, or from a place on', async () => {
    expect(await managed('ske-acc-7', { prefix: '10.93.0.0/24' })).to.include({ address: '10.93.0.17' });
    expect(await managed('ske-xr-7', { prefix: '10.93.0.0/24' })).to.include({ address: '10.93.0.100' });
    const query = { prefix: '10.93.0.0/24', device: 'ske-acc-8' };
    expect(await client.call('address.propose', { query })).to.include({ address: '10.93.0.18' });
    await client.add('address', { address: '10.93.0.18', description: 'printer' });
    const taken = await refusal(managed('ske-acc-8', { prefix: '10.93.0.0/24' }));
    expect(taken.errors?.[0]).to.include({ code: 'taken', pointer: '/address' });
    // What is said outright goes before the rules.
    expect(await managed('ske-acc-8', { prefix: '10.93.0.0/24', from: '10.93.0.30' })).to.include({
      address: '10.93.0.30',
    });
  });

  it('are refused rules that name no duty or lie outside', async () => {
    const fault = async (handOut: string) =>
      (await refusal(client.edit('prefix', '10.93.0.0/24', { handOut }))).errors?.[0];
    expect(await fault('acces from .11')).to.include({ code: 'ref-unknown', pointer: '/handOut' });
    expect((await fault('acces from .11'))?.remedy).to.equal('did you mean access?');
    expect(await fault('access from +256')).to.include({ code: 'offset-outside' });
    expect(await fault('access 11')).to.include({ code: 'handout-syntax' });
  });

  it('rest after their release, are given when nothing speaks against it, and then are free again', async () => {
    await client.add('prefix', { cidr: '10.93.1.0/29', restSeconds: 3600 });
    const next = async () => (await client.call('address.assign', { body: { prefix: '10.93.1.0/29' } })).address;
    for (let i = 1; i <= 6; i += 1) expect(await next()).to.equal(`10.93.1.${i}`);
    await client.remove('address', '10.93.1.2');
    await client.remove('address', '10.93.1.3');
    const full = await refusal(next());
    expect(full).to.include({ code: 'prefix-full' });
    expect(full.detail).to.equal('10.93.1.0/29 has no free address; 2 rest after their release');
    expect((await space('10.93.1.0/29')).resting.map((one) => one.address)).to.deep.equal(['10.93.1.2', '10.93.1.3']);
    // By name it is taken all the same.
    await client.add('address', { address: '10.93.1.3' });
    await transact(demo.bench.store, actor, 'test', (tx) =>
      tx.execute('UPDATE resting SET until_at = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND'),
    );
    await transact(demo.bench.store, actor, 'test', (tx) =>
      tx.execute("UPDATE job SET due_at = UTC_TIMESTAMP(3) WHERE name = 'resting'"),
    );
    await eventually('it has rested', async () => (await space('10.93.1.0/29')).free === '1');
    expect(await next()).to.equal('10.93.1.2');
  });

  it('do not rest when a release is taken back', async () => {
    await client.remove('address', '10.93.1.5');
    const [set] = (await client.call('history.list', { query: { limit: '1' } })).items;
    await client.call('history.undo', { params: { id: String(set?.id) }, body: { apply: true } });
    expect((await space('10.93.1.0/29')).resting).to.deep.equal([]);
    expect(await client.show('address', '10.93.1.5')).to.include({ prefix: '10.93.1.0/29' });
  });

  it('are kept in numbers: so many, so many in a row, all of a stretch or none', async () => {
    const reserve = (body: object) => client.call('address.reserve', { body });
    await client.add('prefix', { cidr: '10.93.2.0/27' });
    await client.add('address', { address: '10.93.2.3' });
    const prefix = '10.93.2.0/27';
    expect((await reserve({ prefix, count: 3, apply: false })).items).to.deep.equal([
      '10.93.2.1',
      '10.93.2.2',
      '10.93.2.4',
    ]);
    const { items } = await reserve({ prefix, count: 3, inARow: true, description: 'cameras' });
    expect(items).to.deep.equal(['10.93.2.4', '10.93.2.5', '10.93.2.6']);
    expect(await client.show('address', '10.93.2.6')).to.include({ description: 'cameras', interface: null });
    const taken = await refusal(reserve({ range: '10.93.2.6-10.93.2.9' }));
    expect(taken.errors?.[0]).to.include({ code: 'range-taken', pointer: '/range' });
    expect(taken.detail).to.match(/1 of 10\.93\.2\.6-10\.93\.2\.9 cannot be taken: 10\.93\.2\.6$/);
    expect((await reserve({ range: '10.93.2.7-10.93.2.9' })).items).to.have.length(3);
    expect((await refusal(reserve({ prefix, count: 29, inARow: true }))).errors?.[0]?.code).to.equal('run-missing');
    expect((await refusal(reserve({ range: '10.93.2.9-10.93.2.7' }))).errors?.[0]?.code).to.equal('range-order');
    expect((await refusal(reserve({ range: '10.93.0.0-10.93.9.0' }))).errors?.[0]?.code).to.equal('range-many');
    expect((await refusal(reserve({ prefix, range: '10.93.2.20' }))).errors?.[0]?.code).to.equal('value-missing');
    expect((await refusal(reserve({ prefix, count: 200 }))).code).to.equal('prefix-full');
  });

  it('come with their device in one call that may be sent again', async () => {
    const body = { name: 'ske-acc-20', fields: { duty: 'access', model: 'larkfield/lf-24', site: 'ske' } };
    const declare = (more: object = {}) => client.call('device.declare', { body: { ...body, ...more } });
    const all = await Promise.all(Array.from({ length: 12 }, () => declare()));
    expect(new Set(all.map((one) => one.management?.address)).size).to.equal(1);
    expect(all.filter((one) => one.action === 'added')).to.have.length(1);
    expect(await declare()).to.include({ action: 'as before' });
    const changed = await declare({ fields: { ...body.fields, note: 'on the quay' } });
    expect(changed).to.include({ action: 'edited' });
    expect(changed.management).to.include({ assigned: false });
    const odd = await refusal(declare({ fields: { duty: 'acces' } }));
    expect(odd.errors?.[0]?.code).to.equal('ref-unknown');
    const said = await demo.well('device', 'declare', 'ske-acc-21', '--duty', 'access', '--site', 'ske');
    expect(said).to.match(/^ske-acc-21 added .*\n10\.77\.48\.\d+\/24 for ske-acc-21 on vlan 304/);
    expect(await demo.well('device', 'declare', 'ske-acc-22', '--site', 'ske', '--no-address')).to.not.include('10.77');
  });

  it('are shared by several interfaces where they are declared so', async () => {
    const carry = (address: string, on: string) => client.add('carrier', { address, interface: on });
    expect((await refusal(carry('10.77.0.5', 'har-core-1:vlan316'))).errors?.[0]?.code).to.equal('shared-not');
    const two = await client.call('address.lookup', { query: { q: '10.77.1.1', vrf: 'default' } });
    expect(two.found[0]?.holder?.carriers).to.deep.equal(['har-core-1:vlan316', 'har-xr-2:vlan316']);
    const { addresses } = await client.call('device.overview', { params: { ref: 'har-xr-2' } });
    expect(addresses.map((one) => one.key)).to.include('10.77.1.1');
    const on = await refusal(client.edit('address', '10.77.1.1', { interface: 'har-core-1:vlan316' }));
    expect(on.errors?.[0]).to.include({ code: 'shared-interface', pointer: '/interface' });
    expect((await refusal(client.edit('address', '10.77.1.1', { shared: false }))).errors?.[0]?.code).to.equal(
      'shared-carried',
    );
    await client.edit('device', 'har-core-1', { name: 'har-core-9' });
    expect((await client.list('carrier', { address: '10.77.1.1' })).items.map((one) => one.key)).to.include(
      '10.77.1.1~har-core-9:vlan316',
    );
    await client.edit('device', 'har-core-9', { name: 'har-core-1' });
  });

  it('tell DHCP clients what the prefix says before what the settings say', async () => {
    await client.edit('prefix', '10.77.16.0/24', {
      nameServers: '10.77.0.53 10.77.0.54',
      domain: 'Quay.Brackwater.example.',
      leaseSeconds: 600,
    });
    expect(await client.show('prefix', '10.77.16.0/24')).to.include({
      nameServers: '10.77.0.53, 10.77.0.54',
      domain: 'quay.brackwater.example',
    });
    const told = await demo.well('dhcp', 'explain', 'ard-acc-1');
    expect(told).to.match(/name-servers.*10\.77\.0\.53.*prefix 10\.77\.16\.0\/24/);
    expect(told).to.match(/domain-name.*quay\.brackwater\.example.*prefix 10\.77\.16\.0\/24/);
    expect(told).to.match(/ntp-servers.*setting time\.servers/);
    for (const [field, value, code] of [
      ['nameServers', '10.77.0.53, ten', 'servers-syntax'],
      ['domain', 'no_such domain', 'domain-syntax'],
      ['leaseSeconds', 5, 'value-low'],
    ] as const)
      expect((await refusal(client.edit('prefix', '10.77.16.0/24', { [field]: value }))).errors?.[0]).to.include({
        code,
        pointer: `/${field}`,
      });
  });

  it('have names in a hosts file and in zone files that a stock zone checker takes', async () => {
    const folder = join(demo.home, 'zones');
    await client.add('address', { address: '2001:db8:77:3000::9', interface: 'ske-acc-20:vlan304' });
    await demo.well('names', 'zones', '--into', folder);
    const files = readdirSync(folder);
    expect(files).to.include.members([
      'brackwater.example.zone',
      '48.77.10.in-addr.arpa.zone',
      '0.0.0.3.7.7.0.0.8.b.d.0.1.0.0.2.ip6.arpa.zone',
    ]);
    for (const file of files) {
      const zone = file.replace(/\.zone$/, '');
      const check = spawnSync('named-checkzone', [zone, join(folder, file)], { encoding: 'utf8' });
      expect(check.status, check.stdout + check.stderr).to.equal(0);
    }
    const forward = readFileSync(join(folder, 'brackwater.example.zone'), 'utf8');
    expect(forward).to.match(/^ard-xr-1\tIN\tA\t10\.77\.255\.2$/m);
    expect(forward).to.match(/^cu1\.ard-xr-1\tIN\tA\t10\.77\.254\.1$/m);
    expect(forward).to.match(/^ske-acc-20\tIN\tAAAA\t2001:db8:77:3000::9$/m);
    const hosts = await demo.well('names', 'hosts', '--site', 'ard');
    expect(hosts)
      .to.match(/^10\.77\.255\.2\tard-xr-1\.brackwater\.example ard-xr-1$/m)
      .and.not.include('ske-');
  });

  it('have zones with serials that grow only when something is different', async () => {
    const serials = async () =>
      Object.fromEntries(
        (await client.call('names.zones', { body: {} })).items.map(({ zone, serial }) => [zone, serial]),
      );
    const before = await serials();
    expect(await serials()).to.deep.equal(before);
    await managed('ske-acc-22', {});
    const after = await serials();
    const grown = Object.keys(after).filter((zone) => after[zone] !== before[zone]);
    expect(grown).to.have.members(['48.77.10.in-addr.arpa', 'brackwater.example']);
    expect(after['brackwater.example']).to.equal((before['brackwater.example'] ?? 0) + 1);
    await client.call('value.put', { body: { setting: 'zone.servers', layer: 'everywhere', value: [] } });
    expect((await refusal(client.call('names.zones', { body: {} }))).code).to.equal('zone-servers-missing');
  });

  it('are counted day by day, and a prefix that will run out is on Today', async () => {
    const { store } = demo.bench;
    const cidr = '10.93.4.0/26';
    const { id } = await client.add('prefix', { cidr });
    await transact(store, actor, 'test', (tx) =>
      tx.execute('INSERT INTO fill_sample VALUES (?, UTC_DATE() - INTERVAL 20 DAY, 62)', [id]),
    );
    await client.call('address.reserve', { body: { prefix: cidr, count: 40 } });
    await transact(store, actor, 'test', saveSamples);
    await transact(store, actor, 'test', saveSamples);
    const seen = await space(cidr);
    expect(seen.samples.map((one) => one.free)).to.deep.equal(['62', '22']);
    // 40 in 20 days: the 22 that are left last for 11.
    const day = new Date(Date.now() + 11 * 86_400_000).toISOString().slice(0, 10);
    expect(seen.runsOut).to.equal(day);
    const today = await client.call('today', {});
    const item = today.items.find((one) => one.code === 'runs-out');
    expect(item).to.include({ key: cidr, detail: `22 left, and 60 a month go: full about ${day}.` });
    expect(await demo.well('today')).to.include('runs out');
  });

  it('show where the space of two VRFs is the same, and prefixes that stand at another site', async () => {
    await client.add('prefix', { cidr: '10.77.17.0/25', vrf: 'wireless' });
    await client.add('prefix', { cidr: '10.77.20.240/28', site: 'cob' });
    const all = await client.call('prefix.overlaps', { query: {} });
    expect(all.overlaps).to.deep.include({
      one: { prefix: '10.77.17.0/24', vrf: 'default', site: 'ard' },
      other: { prefix: '10.77.17.0/25@wireless', vrf: 'wireless', site: null },
      relation: 'holds',
    });
    expect(all.strays).to.deep.equal([
      { prefix: '10.77.20.240/28', site: 'cob', inside: '10.77.20.0/24', siteThere: 'ard' },
    ]);
    const apart = await client.call('prefix.overlaps', { query: { in: '10.77.32.0/20' } });
    expect(apart.count).to.deep.equal({ overlaps: 0, strays: 0 });
    expect(await demo.well('overlaps', '10.77.16.0/20')).to.match(
      /10\.77\.17\.0\/24 \(ARD\) +holds +10\.77\.17\.0\/25@wireless/,
    );
  });

  it('stay where they are when a prefix is resized, and nothing in use is cut off', async () => {
    const resize = (ref: string, length: number) =>
      client.call('prefix.resize', { params: { ref }, body: { length, apply: true } });
    const fault = async (ref: string, length: number) => (await refusal(resize(ref, length))).errors?.[0];
    await client.add('prefix', { cidr: '10.94.0.0/16' });
    await client.add('prefix', { cidr: '10.94.0.0/24', gateway: '10.94.0.1', pool: '10.94.0.100-10.94.0.120' });
    await client.add('prefix', { cidr: '10.94.2.0/24' });
    await client.add('address', { address: '10.94.0.200' });
    expect((await resize('10.94.0.0/24', 23)).added).to.deep.equal(['10.94.0.0/23']);
    expect(await client.show('prefix', '10.94.0.0/23')).to.include({ gateway: '10.94.0.1', parent: '10.94.0.0/16' });
    expect(await client.show('address', '10.94.0.200')).to.include({ prefix: '10.94.0.0/23' });
    expect((await fault('10.94.0.0/23', 22))?.detail).to.equal('10.94.0.0/22 would take in 10.94.2.0/24');
    expect(await fault('10.94.0.0/23', 16)).to.include({ code: 'resize-parent' });
    expect((await fault('10.94.0.0/23', 25))?.detail).to.equal('10.94.0.0/25 would no longer hold 10.94.0.200');
    await client.remove('address', '10.94.0.200');
    expect((await fault('10.94.0.0/23', 26))?.detail).to.match(/would no longer hold all of 10\.94\.0\.100/);
    expect(await demo.well('prefix', 'resize', '10.94.0.0/23', '25', '--yes')).to.include(
      '10.94.0.0/23 → 10.94.0.0/25',
    );
    expect(await fault('10.94.0.0/25', 25)).to.include({ code: 'carve-length' });
  });
});
