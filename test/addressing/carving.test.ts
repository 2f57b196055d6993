/** Blocks out of prefixes, room for blocks, and what is where, through the API and the command line on the demo data. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import type { Client } from '@zpine/contract/client';
import { openBrowser, signedInPage } from '../../ops/browser.ts';
import { bootNet, PASSWORD } from '../../ops/stack.ts';
import { refusal, demoService, type TestBench } from '../service.ts';
import { zpineIn } from '../zpine.ts';

describe('space, carved and looked up', () => {
  let bench: TestBench;
  let client: Client;
  const home = mkdtempSync(join(tmpdir(), 'zpine-carving-'));
  const { zpineWith, zpine, well } = zpineIn(home);
  before(async function () {
    this.timeout(120_000);
    bench = await demoService(bootNet().env, 'dist/console');
    client = bench.clients.engineer;
    await zpineWith(`${PASSWORD}\n`, {}, 'sign-in', bench.url, '--user', 'engineer');
  });
  after(async () => {
    await bench.stop();
    rmSync(home, { recursive: true, force: true });
  });

  const carve = (ref: string, body: object) =>
    client.call('prefix.carve', { params: { ref }, body: body as { length: number } });
  const cidrs = async (ref: string, body: object) => (await carve(ref, body)).items.map((item) => item.cidr);

  it('gives the next block, in IPv4 and IPv6 alike, and takes nothing before it is told to', async () => {
    expect(await cidrs('10.77.0.0/16', { length: 20 })).to.deep.equal(['10.77.80.0/20']);
    expect(await cidrs('10.77.0.0/16', { length: 20 })).to.deep.equal(['10.77.80.0/20']);
    expect(await cidrs('10.77.0.0/16@wireless', { length: 24, count: 2 })).to.deep.equal([
      '10.77.0.0/24',
      '10.77.1.0/24',
    ]);
    expect(await cidrs('2001:db8:77::/48', { length: 52 })).to.deep.equal(['2001:db8:77:5000::/52']);
    expect(await cidrs('10.77.0.0/16', { length: 24, way: 'best' })).to.deep.equal(['10.77.80.0/24']);
    expect(await cidrs('10.77.0.0/16', { length: 24, way: 'spread' })).to.deep.equal(['10.77.160.0/24']);
  });

  it('adds several at once, each with its gateway and what they share', async () => {
    const body = { length: 24, count: 3, gateway: 'first', site: 'ard', description: 'Quay', apply: true };
    const { items } = await carve('10.77.16.0/20', body);
    expect(items).to.deep.equal([
      { cidr: '10.77.19.0/24', gateway: '10.77.19.1' },
      { cidr: '10.77.21.0/24', gateway: '10.77.21.1' },
      { cidr: '10.77.22.0/24', gateway: '10.77.22.1' },
    ]);
    expect(await client.show('prefix', '10.77.21.0/24')).to.include({
      parent: '10.77.16.0/20',
      gateway: '10.77.21.1',
      site: 'ard',
    });
    const [set] = (await client.call('history.list', { query: { limit: '1' } })).items;
    await client.call('history.undo', { params: { id: String(set?.id) }, body: { apply: true } });
    expect(await cidrs('10.77.16.0/20', { length: 24 })).to.deep.equal(['10.77.19.0/24']);
  });

  it('leaves alone what is assigned, pooled or held back, and says what room there is', async () => {
    // .1 gateway, .2-.10 held back, .200-.250 pools, .11 and .12 assigned.
    expect(await cidrs('10.77.16.0/24', { length: 28, count: 4 })).to.deep.equal([
      '10.77.16.16/28',
      '10.77.16.32/28',
      '10.77.16.48/28',
      '10.77.16.64/28',
    ]);
    expect(await cidrs('10.77.16.0/24', { length: 26 })).to.deep.equal(['10.77.16.64/26']);
    const full = await refusal(carve('10.77.16.0/24', { length: 25 }));
    expect(full.errors?.[0]).to.include({ code: 'carve-full', pointer: '/count' });
    expect(full.detail).to.equal('10.77.16.0/24 has room for 0 of 1 blocks of /25');
    for (const length of [24, 20, 33])
      expect((await refusal(carve('10.77.16.0/24', { length }))).errors?.[0]?.code).to.equal('carve-length');
    const { items } = await client.call('prefix.fits', { query: { length: '26', site: 'ard' } });
    expect(items.find((item) => item.prefix === '10.77.16.0/24')).to.deep.include({
      first: '10.77.16.64/26',
      blocks: '2',
    });
  });

  it('gives nothing twice when many carve at once', async () => {
    await client.add('prefix', { cidr: '10.90.0.0/20' });
    const made = await Promise.all(
      Array.from({ length: 40 }, () => cidrs('10.90.0.0/20', { length: 26, apply: true })),
    );
    expect(new Set(made.flat()).size).to.equal(40);
    const { count } = await client.list('prefix', { parent: '10.90.0.0/20', count: 'true', limit: 1 });
    expect(count).to.equal(40);
    expect(await cidrs('10.90.0.0/20', { length: 26 })).to.deep.equal(['10.90.10.0/26']);
  });

  it('splits a prefix in its place, merges the parts again, and loses nothing on the way', async () => {
    const cidr = '10.91.0.0/24';
    const fields = {
      gateway: '10.91.0.1',
      heldBack: '10.91.0.2-10.91.0.9',
      pool: '10.91.0.100-10.91.0.140',
      description: 'Quay',
      handOut: 'access from .11; any from .200',
      note: 'the pier is wet',
      nameServers: '10.77.0.53',
    };
    await client.add('prefix', { cidr: '10.91.0.0/20' });
    await client.add('prefix', { cidr, ...fields, labels: ['tidal'] });
    for (const n of [20, 90, 200]) await client.add('address', { address: `10.91.0.${n}` });
    const free = async () => {
      const spaces = [];
      for (const { key } of (await client.list('prefix', { where: 'cidr=10.91.0.0/20', limit: 50 })).items)
        spaces.push(key, (await client.call('prefix.space', { params: { ref: key } })).freeSpans);
      return spaces;
    };
    const before = await free();
    const split = (length: number, apply = true) =>
      client.call('prefix.split', { params: { ref: cidr }, body: { length, apply } });
    const wanted = ['10.91.0.0/25', '10.91.0.128/25'];
    expect(await split(25, false)).to.deep.equal({ applied: false, removed: [cidr], added: wanted, dropped: [] });
    expect(await free()).to.deep.equal(before);
    await split(25);
    expect(await client.show('prefix', '10.91.0.0/25')).to.deep.include({
      parent: '10.91.0.0/20',
      gateway: '10.91.0.1',
      heldBack: '10.91.0.2-10.91.0.9',
      pool: '10.91.0.100-10.91.0.127',
      handOut: 'access from .11',
      note: fields.note,
      labels: ['tidal'],
      nameServers: '10.77.0.53',
    });
    expect(await client.show('prefix', '10.91.0.128/25')).to.deep.include({
      gateway: null,
      pool: '10.91.0.128-10.91.0.140',
      handOut: 'any from .72',
      note: fields.note,
      labels: ['tidal'],
    });
    expect((await client.show('address', '10.91.0.200')).prefix).to.equal('10.91.0.128/25');
    const apart = client.call('prefix.merge', { body: { prefixes: ['10.91.0.0/25', '10.91.0.0/20'] } });
    expect((await refusal(apart)).errors?.[0]?.code).to.equal('merge-apart');
    expect(await well('prefix', 'merge', ...wanted, '--yes')).to.equal('10.91.0.0/25, 10.91.0.128/25 → 10.91.0.0/24');
    expect(await client.show('prefix', cidr)).to.deep.include({
      ...fields,
      pool: '10.91.0.100-10.91.0.127, 10.91.0.128-10.91.0.140',
      labels: ['tidal'],
    });
    expect(await free()).to.deep.equal(before);
    // An address that would become a network address stands in the way.
    await client.add('address', { address: '10.91.0.64' });
    expect((await refusal(split(26))).code).to.equal('prefix-edge');
    const [last] = (await client.call('history.list', { query: { limit: '2' } })).items.slice(1);
    expect(last?.action).to.equal('prefix.merge');
    await client.remove('address', '10.91.0.64');
    await client.call('history.undo', { params: { id: String(last?.id) }, body: { apply: true } });
    expect((await client.show('prefix', '10.91.0.0/25')).pool).to.equal('10.91.0.100-10.91.0.127');
    expect((await client.show('address', '10.91.0.200')).prefix).to.equal('10.91.0.128/25');
  });

  it('says what could not be taken over when parts disagree', async () => {
    await client.add('prefix', { cidr: '10.92.0.0/25', note: 'east', handOut: 'access from .11', labels: ['tidal'] });
    await client.add('prefix', {
      cidr: '10.92.0.128/25',
      note: 'west',
      handOut: 'access from .30',
      domain: 'w.example',
    });
    const merged = await client.call('prefix.merge', {
      body: { prefixes: ['10.92.0.0/25', '10.92.0.128/25'], apply: true },
    });
    expect(merged.dropped).to.deep.equal([{ prefix: '10.92.0.128/25', field: 'handOut', value: 'access from .30' }]);
    expect(await client.show('prefix', '10.92.0.0/24')).to.deep.include({
      note: 'east\nwest',
      handOut: 'access from .11',
      domain: 'w.example',
      labels: ['tidal'],
    });
  });

  it('takes nothing that the prefix above keeps for its own addresses', async () => {
    await client.add('prefix', {
      cidr: '10.93.0.0/24',
      gateway: '10.93.0.1',
      heldBack: '10.93.0.20-10.93.0.29',
      pool: '10.93.0.100-10.93.0.110',
      quarantine: '10.93.0.200-10.93.0.210',
    });
    for (const [cidr, what] of [
      ['10.93.0.0/28', 'gateway 10.93.0.1'],
      ['10.93.0.16/28', 'held-back range 10.93.0.20-10.93.0.29'],
      ['10.93.0.96/28', 'DHCP pool 10.93.0.100-10.93.0.110'],
      ['10.93.0.192/26', 'quarantine pool 10.93.0.200-10.93.0.210'],
    ]) {
      const one = await refusal(client.add('prefix', { cidr: cidr ?? '' }));
      expect(one.errors?.[0]?.detail, cidr).to.contain(what);
      // Many at once take another way through the tree.
      const many = ['10.94.0.0/24', '10.94.1.0/24', '10.94.2.0/24', '10.94.3.0/24', '10.94.4.0/24', '10.94.5.0/24'];
      const together = client.addAll(
        'prefix',
        [...many, '10.94.6.0/24', cidr ?? ''].map((c) => ({ cidr: c })),
      );
      expect(
        (await refusal(together)).errors?.map((fault) => fault.detail),
        cidr,
      ).to.deep.equal([one.errors?.[0]?.detail]);
    }
    await client.add('prefix', { cidr: '10.93.0.64/28' });
    for (const field of ['gateway', 'heldBack', 'pool', 'quarantine'])
      expect(
        (await refusal(client.edit('prefix', '10.93.0.0/24', { [field]: '10.93.0.70' }))).errors?.[0],
        field,
      ).to.deep.include({ pointer: `/${field}`, code: 'range-on-prefix' });
  });

  it('addresses both ends of a link at once, the other end found by the cable', async () => {
    const link = (body: object) => client.call('address.link', { body: body as { from: string; in: string } });
    const made = await link({ from: 'har-xr-1:cu2', to: 'ske-xr-1:cu1', in: '10.77.254.0/24' });
    expect(made).to.deep.equal({
      applied: true,
      prefix: '10.77.254.8/31',
      ends: [
        { interface: 'har-xr-1:cu2', address: '10.77.254.8/31' },
        { interface: 'ske-xr-1:cu1', address: '10.77.254.9/31' },
      ],
    });
    expect((await client.show('prefix', '10.77.254.8/31')).description).to.equal('har-xr-1 to ske-xr-1');
    expect((await client.show('interface', 'ske-xr-1:cu1')).description).to.equal('to har-xr-1:cu2');
    expect((await client.show('address', '10.77.254.8')).description).to.equal('to ske-xr-1:cu1');
    const cabled = { from: 'cob-xr-1:cu2', in: '2001:db8:77::/48', apply: false };
    expect((await link(cabled)).ends).to.deep.equal([
      { interface: 'cob-xr-1:cu2', address: '2001:db8:77:5000::/127' },
      { interface: 'cob-acc-1:1/24', address: '2001:db8:77:5000::1/127' },
    ]);
    expect((await refusal(link({ from: 'cob-xr-1:cu5', in: '10.77.254.0/24' }))).errors?.[0]?.code).to.equal(
      'link-open',
    );
    const again = { from: 'har-xr-1:cu5', to: 'mos-xr-1:cu5', in: '10.77.254.8/31' };
    expect((await refusal(link(again))).errors?.[0]?.code).to.equal('link-taken');
    expect(await well('address', 'link', 'har-xr-1:cu5', 'mos-xr-1:cu5', '--in', '10.77.254.0/24')).to.match(
      /har-xr-1:cu5 +10\.77\.254\.10\/31\nmos-xr-1:cu5 +10\.77\.254\.11\/31\n10\.77\.254\.10\/31$/,
    );
  });

  it('says what an address is, who has it, where that is plugged, and who had it before', async () => {
    const at = async (q: string, vrf = 'default') =>
      (await client.call('address.lookup', { query: { q, vrf } })).found[0];
    const link = await at('10.77.254.1');
    expect(link?.holder).to.deep.equal({
      address: '10.77.254.1',
      interface: 'ard-xr-1:cu1',
      device: 'ard-xr-1',
      description: null,
      place: 'ard/closet/w1 U 9',
      plugged: 'ferry line to Harbour House, circuit BF-114',
      carriers: [],
    });
    expect(link?.covering.map((one) => one.prefix)).to.deep.equal(['10.77.254.0/31', '10.77.254.0/24', '10.77.0.0/16']);
    expect((await at('10.77.16.1'))?.kept).to.equal('gateway of 10.77.16.0/24');
    expect((await at('10.77.16.5'))?.kept).to.equal('held back 10.77.16.2-10.77.16.10 of 10.77.16.0/24');
    expect((await at('10.77.16.205'))?.kept).to.equal('DHCP pool 10.77.16.200-10.77.16.239 of 10.77.16.0/24');
    expect((await at('10.77.16.255'))?.kept).to.equal('broadcast address of 10.77.16.0/24');
    expect(await at('10.77.16.77')).to.deep.include({ holder: null, kept: null });
    await client.add('device', { name: 'mos-tmp-1', site: 'mos' });
    await client.call('device.assignManagement', { params: { ref: 'mos-tmp-1' }, body: { address: '10.77.64.77' } });
    await client.remove('device', 'mos-tmp-1');
    expect((await at('10.77.64.77'))?.before.map((b) => `${b.action} ${b.interface}`)).to.deep.equal([
      'removed mos-tmp-1:management',
      'added mos-tmp-1:management',
    ]);
    const both = await client.call('address.lookup', { query: { q: '10.77.19.40' } });
    expect(both.found.map((one) => `${one.vrf} ${one.covering[0]?.prefix}`)).to.deep.equal([
      'default 10.77.16.0/20',
      'wireless 10.77.19.0/24@wireless',
    ]);
  });

  it('says what lies in a prefix, or around it', async () => {
    const { is, found } = await client.call('address.lookup', { query: { q: '10.77.254.0/30' } });
    expect(is).to.equal('prefix');
    expect(found[0]?.prefixes.map((one) => one.prefix)).to.deep.equal(['10.77.254.0/31', '10.77.254.2/31']);
    expect(found[0]?.addresses.map((one) => one.device)).to.deep.equal(['har-xr-1', 'ard-xr-1']);
    expect(found[0]?.covering.map((one) => one.prefix)).to.deep.equal(['10.77.254.0/24', '10.77.0.0/16']);
    expect(
      (await refusal(client.call('address.lookup', { query: { q: '10.77.254.1/30' } }))).errors?.[0]?.code,
    ).to.equal('prefix-host-bits');
    expect((await refusal(client.call('address.lookup', { query: { q: 'quay' } }))).errors?.[0]?.code).to.equal(
      'address-syntax',
    );
  });

  it('does all of it by the command line', async () => {
    const seen = await zpine('prefix', 'carve', '10.77.0.0/16', '/20', '--description', 'Lumsay');
    expect([seen.out, seen.err]).to.deep.equal(['prefix\n10.77.80.0/20\n', 'not saved; --yes saves without asking\n']);
    expect(await well('prefix', 'carve', '10.77.64.0/20', '24', '--count', '2', '--gateway', 'last', '--yes')).to.equal(
      'prefix         gateway\n10.77.67.0/24  10.77.67.254\n10.77.69.0/24  10.77.69.254\nadded 2 prefixes in 10.77.64.0/20',
    );
    expect(await well('prefix', 'fits', '21', '--site', 'cob')).to.match(
      /10\.77\.32\.0\/20 +10\.77\.40\.0\/21 +1 +Cobbleholm/,
    );
    expect(await well('lookup', '10.77.254.1')).to.match(
      /^vrf +default\nheld by +ard-xr-1:cu1\nstands at +ard\/closet\/w1 U 9\nplugged to +ferry line .*\ninside +10\.77\.254\.0\/31 {2}Harbour House to Ardle/,
    );
    expect((await zpine('lookup', '192.0.2.1')).err).to.contain('nothing is known of 192.0.2.1');
    expect(await well('convert', '10.77.16.11', '255.255.252.0')).to.match(
      /^host +10\.77\.16\.11\nnetwork +10\.77\.16\.0\/22\n/,
    );
    expect((await zpine('convert', '10.0.0.1', '255.0.255.0')).err).to.contain('neither a mask nor a wildcard');
  });

  it('does it in the browser, too: looks before it adds, and looks up while one types', async function () {
    this.timeout(120_000);
    const browser = await openBrowser();
    const page = await signedInPage(browser, bench.url, 'engineer', PASSWORD);
    page.setDefaultTimeout(25_000);
    await page.goto(`${bench.url}/prefixes/10.77.0.0%2F16`);
    await page.getByRole('button', { name: 'Carve' }).click();
    await page.getByLabel('Length').fill('21');
    await page.getByRole('button', { name: 'Look', exact: true }).click();
    await page.getByRole('button', { name: 'Add 10.77.80.0/21' }).click();
    await page.getByRole('link', { name: '10.77.80.0/21' }).waitFor();
    await page.goto(`${bench.url}/lookup`);
    await page.getByLabel('What to look up').fill('10.77.254.1');
    await page.getByText('ferry line to Harbour House, circuit BF-114').waitFor();
    await page.getByLabel('What to look up').fill('10.0.0.9 255.255.252.0');
    await page.getByText('10.0.3.255').first().waitFor();
    await page.getByLabel('What to look up').fill('10.77.16.0/20');
    await page
      .getByText(/prefixes in it/)
      .first()
      .waitFor();
    await browser.close();
  });
});
