/** Site plans: what a landing gets, previewed, applied in one change set, applied again, and by the copy of a site. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect } from 'chai';
import type { Client } from '@zpine/contract/client';
import { refusal } from '../service.ts';
import { demoBench, type DemoBench } from './bench.ts';

describe('site plans', function () {
  this.timeout(120_000);
  let demo: DemoBench;
  let client: Client;
  before(async () => {
    demo = await demoBench();
    client = demo.bench.clients.engineer;
  });
  after(() => demo.end());

  const apply = (site: string, go = true) =>
    client.call('siteplan.apply', { params: { ref: 'landing' }, body: { site, apply: go } });
  const keysAt = async (kind: 'prefix' | 'vlan', site: string) =>
    (await client.list(kind, { site, limit: 100 })).items.map((one) => one.key);

  it('show what a site would get, and take nothing yet', async () => {
    await client.add('site', { code: 'gul', title: 'Gullwick', area: 'south-line' });
    const seen = await apply('gul', false);
    expect(seen.applied).to.equal(false);
    expect(seen.rows.every((row) => !row.there)).to.equal(true);
    expect(seen.rows.find((row) => row.kind === 'block')).to.include({ what: '10.77.80.0/20', step: 1 });
    expect(await keysAt('prefix', 'gul')).to.deep.equal([]);
    expect(await keysAt('vlan', 'gul')).to.deep.equal([]);
  });

  it('make it all in one change set, in both families and in another VRF', async () => {
    const { new: made } = await apply('gul');
    expect(await keysAt('prefix', 'gul')).to.have.members([
      '10.77.80.0/20',
      '10.77.80.0/20@wireless',
      '10.77.80.0/24',
      '10.77.81.0/24',
      '10.77.82.0/24',
      '10.77.83.0/24@wireless',
      '10.77.84.0/24',
      '2001:db8:77:5000::/52',
      '2001:db8:77:5000::/64',
    ]);
    expect(await keysAt('vlan', 'gul')).to.have.length(6);
    expect(await client.show('prefix', '10.77.80.0/24')).to.include({
      vlan: 'gul/304',
      use: 'management',
      gateway: '10.77.80.1',
      heldBack: '10.77.80.2-10.77.80.10',
      pool: '10.77.80.200-10.77.80.239',
      quarantine: '10.77.80.240-10.77.80.250',
      handOut: 'access from .11; crossing-router from .31',
      description: 'management at Gullwick',
      parent: '10.77.80.0/20',
    });
    const [set] = (await client.call('history.list', { query: { limit: '1' } })).items;
    expect(set?.changes).to.have.length(made);
  });

  it('leave what is there when they are applied again, and add what is new since', async () => {
    const again = await apply('gul');
    expect(again.new).to.equal(0);
    await client.add('device', { name: 'gul-xr-1', model: 'copperbell/cb-7', duty: 'crossing-router', site: 'gul' });
    await client.add('device', { name: 'gul-xr-2', model: 'copperbell/cb-7', duty: 'crossing-router', site: 'gul' });
    await client.add('cable', { from: 'gul-xr-1:cu3', to: 'gul-xr-2:cu3', kind: 'cat6' });
    await client.add('cable', { from: 'gul-xr-1:cu2', to: 'mos-xr-1:cu3', kind: 'cat6' });
    const more = (await apply('gul')).rows.filter((row) => !row.there);
    expect(more.map((row) => `${row.kind} ${row.what}`)).to.deep.equal([
      'loopback gul-xr-1:self0',
      'loopback gul-xr-2:self0',
      'link gul-xr-1:cu2 to mos-xr-1:cu3',
      'link gul-xr-1:cu3 to gul-xr-2:cu3',
    ]);
    expect(await client.show('device', 'gul-xr-1')).to.include({ main: 'gul-xr-1:self0' });
    const source = 'known as @{device.main.address} on @{device.main.interface}';
    const tried = await client.call('template.try', { body: { template: 'known', source, device: 'gul-xr-1' } });
    expect(tried.files?.[0]?.text).to.match(/^known as 10\.77\.255\.\d+\/32 on self0$/m);
    const { items } = await client.list('address', { interface: 'gul-xr-2:cu3' });
    expect(items[0]).to.include({ description: 'to gul-xr-1:cu3' });
    expect((await apply('gul')).new).to.equal(0);
  });

  it('are taken back as one', async () => {
    await client.add('site', { code: 'lum', title: 'Lumsay' });
    await apply('lum');
    const [set] = (await client.call('history.list', { query: { limit: '1' } })).items;
    await client.call('history.undo', { params: { id: String(set?.id) }, body: { apply: true } });
    expect([...(await keysAt('prefix', 'lum')), ...(await keysAt('vlan', 'lum'))]).to.deep.equal([]);
    expect((await apply('lum', false)).rows[0]).to.include({ what: '10.77.96.0/20' });
  });

  it('make nothing at all where one step cannot be done', async () => {
    await client.add('prefix', { cidr: '10.92.0.0/24' });
    const steps = [
      { block: 'a', size: 26, from: '10.92.0.0/24' },
      { vlan: 304, prefixes: [{ in: 'a', size: 27 }] },
      { vlan: 316, prefixes: [{ in: 'a', size: 27 }] },
      { vlan: 328, prefixes: [{ in: 'a', size: 27 }] },
    ];
    await client.add('siteplan', { name: 'tight', steps });
    const full = await refusal(
      client.call('siteplan.apply', { params: { ref: 'tight' }, body: { site: 'lum', apply: true } }),
    );
    expect(full.errors?.[0]?.code).to.equal('carve-full');
    expect(await keysAt('prefix', 'lum')).to.deep.equal([]);
  });

  it('are refused with the place of every fault', async () => {
    const steps = [
      { block: 'v4', size: 12, from: '10.77.0.0/16' },
      { block: 'w', sise: 24, from: '10.77.0.1/16' },
      { vlan: 9000 },
      { vlan: 3, prefixes: [{ in: 'v5', size: 24, pool: '200-239', gateway: 'middle' }] },
      { something: 1 },
      { loopback: 'self0', for: 'crossing router', from: 'x' },
    ];
    const { errors = [] } = await refusal(client.add('siteplan', { name: 'odd', steps }));
    expect(errors.map(({ pointer, code }) => `${pointer} ${code}`)).to.include.members([
      '/steps/0/size recipe-number',
      '/steps/1/sise recipe-field',
      '/steps/1/from prefix-host-bits',
      '/steps/2/vlan recipe-number',
      '/steps/3/prefixes/0/in recipe-block',
      '/steps/4 recipe-step',
      '/steps/5/for name-syntax',
    ]);
    const empty = await refusal(client.add('siteplan', { name: 'odd', steps: {} }));
    expect(empty.errors?.[0]).to.include({ code: 'recipe-list', pointer: '/steps' });
  });

  it('give the copy of a site its blocks and addresses', async () => {
    const body = { code: 'bel', title: 'Bellhaven', plan: 'landing', apply: true };
    const copied = await client.call('site.copy', { params: { ref: 'ard' }, body });
    expect(copied.planned.some((row) => row.kind === 'loopback' && row.what === 'bel-xr-1:self0')).to.equal(true);
    const { device, management } = await client.call('device.overview', { params: { ref: 'bel-acc-1' } });
    expect(management).to.include({ address: '10.77.96.11', gateway: '10.77.96.1', interface: 'bel-acc-1:vlan304' });
    expect(device).to.include({ rack: 'bel/closet/w1' });
    expect(await client.show('device', 'bel-xr-1')).to.include({ main: 'bel-xr-1:self0' });
    // The end of the link to Harbour House has no cable here yet.
    expect(copied.left.map((one) => one.key))
      .to.include('10.77.254.1')
      .and.not.include('10.77.16.11');
  });

  it('are written as YAML, shown in words and applied on the command line', async () => {
    const { well, zpine, zpineWith, home } = demo;
    const file = join(home, 'plan.yaml');
    const text = (size: string) =>
      `- name: quay\n  title: A quay\n  steps:\n    - { block: v4, size: ${size}, from: 10.77.0.0/16 }\n    - vlan: 304\n      use: management\n      prefixes:\n        - { in: v4, size: 24, gateway: last, pool: .100-.120 }\n`;
    writeFileSync(file, text('8'));
    const refused = await zpine('import', 'siteplan', file, '--yes');
    expect(refused.status).to.equal(1);
    expect(refused.out + refused.err).to.match(/steps\.0\.size .*from 17 to 32/);
    writeFileSync(file, text('22'));
    await well('import', 'siteplan', file, '--yes');
    expect(await well('siteplan', 'show', 'quay')).to.include('/24 in v4 · gateway last · pool .100-.120');
    await client.add('site', { code: 'pol', title: 'Pollan' });
    const asked = await zpineWith('n\n', {}, 'siteplan', 'apply', 'quay', '--site', 'pol');
    expect(asked.out).to.include('+  prefix');
    expect(await keysAt('prefix', 'pol')).to.deep.equal([]);
    expect(await well('siteplan', 'apply', 'quay', '--site', 'pol', '--yes')).to.match(/3 added at pol$/);
    expect(await well('siteplan', 'apply', 'quay', '--site', 'pol', '--yes')).to.match(/pol has all of it$/);
    const [, cidr = ''] = await keysAt('prefix', 'pol');
    expect(await client.show('prefix', cidr)).to.include({ gateway: cidr.replace(/0\/24$/, '254') });
  });

  it('leave a tree and a space that are drawn as text', async () => {
    const tree = await demo.well('prefix', 'tree', '10.77.0.0/16', '--depth', '2');
    expect(tree).to.match(/^10\.77\.16\.0\/20 +### *\.* +25 % +3 071 +ard +Ardle$/m);
    expect(tree).to.match(/^ {2}10\.77\.17\.0\/24 +={9}\. +81\.2 % +48 +ard +316 +Staff at Ardle$/m);
    expect(await demo.well('prefix', 'tree', '--depth', '1')).to.match(/^10\.77\.0\.0\/16 … /m);
    const space = await demo.well('prefix', 'space', '10.77.16.0/20');
    const lines = space.split('\n');
    expect(lines).to.include(`${'#'.repeat(64)}  10.77.16.0`);
    expect(lines).to.include(`${'#'.repeat(32)}${'.'.repeat(32)}  10.77.18.0`);
    expect(space).to.match(/10\.77\.21\.0 +10\.77\.31\.255 +10\.77\.24\.0\/21/);
  });
});
