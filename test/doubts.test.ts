/** What the records themselves make doubtful: made so one by one, found, mended. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { Client } from '@zpine/contract/client';
import type { Remark } from '@zpine/contract/remarks';
import type { Doubt } from '@zpine/contract/matters';
import { countDoubts } from '../service/app/matters/counting.ts';
import { openBrowser, signedInPage } from '../ops/browser.ts';
import { PASSWORD } from '../ops/stack.ts';
import { testService, type TestBench } from './service.ts';
import { zpineIn } from './zpine.ts';

describe('doubts', function () {
  this.timeout(60_000);
  let bench: TestBench;
  before(async () => {
    bench = await testService({}, 'dist/console');
    const api = bench.clients.engineer;
    await api.add('site', { code: 'ard', title: 'Ardle' });
    await api.add('room', { site: 'ard', name: 'closet' });
    await api.add('rack', { room: 'ard/closet', name: 'w1', heightU: 12 });
    await api.add('vendor', { name: 'larkfield' });
    await api.add('dialect', { name: 'furrow' });
    await api.add('model', {
      vendor: 'larkfield',
      name: 'lf-2',
      dialect: 'furrow',
      heightU: 1,
      ports: '1/{1..2} 1000base-t',
    });
    await api.add('duty', { name: 'access' });
    for (const number of [304, 316]) await api.add('vlan', { site: 'ard', number, title: `v${number}` });
    for (const cidr of ['10.77.16.0/24', '10.77.17.0/24']) await api.add('prefix', { cidr });
    for (const [n, u] of [
      [1, 1],
      [2, 3],
    ])
      await api.add('device', {
        name: `ard-access-${n}`,
        duty: 'access',
        model: 'larkfield/lf-2',
        site: 'ard',
        rack: 'ard/closet/w1',
        positionU: u,
      });
    for (const n of [1, 2]) {
      await api.add('box', { serial: `S-${n}`, model: 'larkfield/lf-2', device: `ard-access-${n}` });
      await api.add('interface', { device: `ard-access-${n}`, name: 'management', form: 'routed' });
      await api.edit('device', `ard-access-${n}`, { management: `ard-access-${n}:management` });
      await api.add('address', { address: `10.77.16.1${n}`, interface: `ard-access-${n}:management` });
    }
    await api.call('value.put', {
      body: { setting: 'access.password', layer: 'everywhere', mode: 'set', value: 'hush' },
    });
    await api.call('value.put', {
      body: { setting: 'naming.pattern', layer: 'everywhere', mode: 'set', value: '{site}-{duty}-{n}' },
    });
  });
  after(() => bench.stop());

  const api = () => bench.clients.engineer;
  const look = async (): Promise<Partial<Record<Doubt, string[]>>> => {
    const { items } = await api().call('doctor.data', { query: {} });
    return Object.fromEntries(
      items
        .filter((one) => one.count > 0)
        .map((one) => [one.doubt, one.rows.map((row) => `${row.key}: ${row.detail}`)]),
    );
  };

  it('finds nothing where all is well', async () => {
    expect(await look()).to.deep.equal({});
  });

  const cases: { doubt: Doubt; says: string; make: () => Promise<unknown>; mend: () => Promise<unknown> }[] = [
    {
      doubt: 'no-management',
      says: 'ard-access-1: it has no management address',
      make: () => api().edit('device', 'ard-access-1', { management: null }),
      mend: () => api().edit('device', 'ard-access-1', { management: 'ard-access-1:management' }),
    },
    {
      doubt: 'no-dialect',
      says: 'ard-access-1: nothing is known of its dialect ridge: it has no sheet, and none ships under this name',
      make: async () => {
        await api().add('dialect', { name: 'ridge' });
        await api().edit('device', 'ard-access-1', { dialect: 'ridge' });
      },
      mend: () => api().edit('device', 'ard-access-1', { dialect: null }),
    },
    {
      doubt: 'no-access',
      says: 'old-sw-1: its layers give neither password nor key for zpine',
      make: async () => {
        await api().call('value.remove', { body: { setting: 'access.password', layer: 'everywhere' } });
        await api().call('import.paste', {
          body: { text: 'old-sw-1 10.77.17.5', dialect: 'furrow', apply: true },
        });
      },
      mend: () =>
        api().call('value.put', {
          body: { setting: 'access.password', layer: 'everywhere', mode: 'set', value: 'hush' },
        }),
    },
    {
      doubt: 'no-box',
      says: 'ard-access-2: no hardware is fitted; it would be taken for a stranger when it boots',
      make: () => api().edit('box', 's-2', { device: null }),
      mend: () => api().edit('box', 's-2', { device: 'ard-access-2' }),
    },
    {
      doubt: 'no-rack',
      says: 'ard-access-2: it stands in no rack',
      make: () => api().edit('device', 'ard-access-2', { rack: null, positionU: null }),
      mend: () => api().edit('device', 'ard-access-2', { rack: 'ard/closet/w1', positionU: 3 }),
    },
    {
      doubt: 'name-off-pattern',
      says: 'ard-acces-1: by the pattern {site}-{duty}-{n} it would be called ard-access-N',
      make: () => api().edit('device', 'ard-access-1', { name: 'ard-acces-1' }),
      mend: () => api().edit('device', 'ard-acces-1', { name: 'ard-access-1' }),
    },
    {
      doubt: 'address-alone',
      says: '10.77.16.99: it is taken, and nothing says by what',
      make: () => api().add('address', { address: '10.77.16.99' }),
      mend: () => api().edit('address', '10.77.16.99', { description: 'a printer' }),
    },
    {
      doubt: 'vlan-one-end',
      says: 'VLAN 316 on ard-access-1:1/1 only',
      make: async () => {
        await api().add('cable', { from: 'ard-access-1:1/1', to: 'ard-access-2:1/1' });
        await api().edit('interface', 'ard-access-1:1/1', { mode: 'trunk', tagged: [304, 316] });
        await api().edit('interface', 'ard-access-2:1/1', { mode: 'trunk', tagged: [304] });
      },
      mend: () => api().edit('interface', 'ard-access-2:1/1', { tagged: [304, 316] }),
    },
    {
      doubt: 'link-prefixes',
      says: 'ard-access-1:1/2 is in 10.77.16.0/24, ard-access-2:1/2 in 10.77.17.0/24',
      make: async () => {
        await api().add('cable', { from: 'ard-access-1:1/2', to: 'ard-access-2:1/2' });
        for (const n of [1, 2]) await api().edit('interface', `ard-access-${n}:1/2`, { mode: 'routed' });
        await api().add('address', { address: '10.77.16.21', interface: 'ard-access-1:1/2' });
        await api().add('address', { address: '10.77.17.22', interface: 'ard-access-2:1/2' });
      },
      mend: async () => {
        await api().remove('address', '10.77.17.22');
        await api().add('address', { address: '10.77.16.22', interface: 'ard-access-2:1/2' });
      },
    },
    {
      doubt: 'cable-in-words',
      says: 'it ends at "ard-access-2 port 7", and ard-access-2 has no such port',
      make: async () => {
        await api().add('device', {
          name: 'ard-access-3',
          duty: 'access',
          model: 'larkfield/lf-2',
          site: 'ard',
          virtual: true,
          provisioned: false,
        });
        await api().add('cable', { from: 'ard-access-3:1/1', farEnd: 'ard-access-2 port 7' });
      },
      mend: async () => {
        const { items } = await api().list('cable', { limit: '100' });
        const cable = items.find((one) => one.farEnd !== null);
        await api().edit('cable', `#${cable?.id ?? 0}`, { farEnd: 'a pole on the quay' });
      },
    },
    {
      doubt: 'address-off-site',
      says: '10.77.17.5: old-sw-1:management has an address of 10.77.17.0/24, which is at cob; the device is at ard',
      make: async () => {
        await api().add('site', { code: 'cob', title: 'Cobham' });
        await api().edit('prefix', '10.77.17.0/24', { site: 'cob' });
        await api().edit('device', 'old-sw-1', { site: 'ard' });
      },
      mend: () => api().edit('device', 'old-sw-1', { site: 'cob' }),
    },
    {
      doubt: 'cable-off-site',
      says: 'cat6 leads from ard-access-3:1/2 at ard to ard-access-4:1/2 at cob',
      make: async () => {
        const { name, ...like } = { name: 'ard-access-4', duty: 'access', model: 'larkfield/lf-2', virtual: true };
        await api().add('device', { name, ...like, site: 'cob', provisioned: false });
        await api().add('cable', { from: 'ard-access-3:1/2', to: 'ard-access-4:1/2', kind: 'cat6' });
      },
      mend: () => api().remove('cable', 'ard-access-3:1/2'),
    },
  ];
  for (const { doubt, says, make, mend } of cases) {
    it(`finds ${doubt}, and no more once it is mended`, async () => {
      await make();
      const found = await look();
      expect(Object.keys(found)).to.deep.equal([doubt]);
      expect(found[doubt]?.join('\n')).to.contain(says);
      await mend();
      expect(await look()).to.deep.equal({});
    });
  }

  it('says the same of a device as the list of today and its own page', async () => {
    await api().add('device', { name: 'quay-cam', provisioned: true });
    const { items } = await api().call('doctor.data', { query: {} });
    const doubted = items.flatMap(({ doubt, rows }) =>
      rows.flatMap((row) => (row.key === 'quay-cam' ? [[doubt, row.detail, row.remedy]] : [])),
    );
    const page = await api().call('device.overview', { params: { ref: 'quay-cam' } });
    expect(page.lacks.map(({ lack, detail, remedy }) => [lack, detail, remedy])).to.have.deep.members(
      doubted.filter(([doubt]) => doubt !== 'no-access'),
    );
    const today = (await api().call('today', {})).items.filter((one) => one.key === 'quay-cam');
    expect(today.map(({ code, detail, command }) => [code, detail.toLowerCase(), command])).to.deep.equal(
      doubted
        .filter(([doubt]) => doubt !== 'no-access' && doubt !== 'no-dialect')
        .map(([doubt, detail, remedy]) => [doubt, `${detail}.`, remedy]),
    );
    // The service cannot take an address for it, and does not say that it could.
    expect(doubted.find(([doubt]) => doubt === 'no-management')?.[2]).to.equal(
      'zpine device edit quay-cam --site SITE',
    );
    expect(today.map((one) => one.remedy)).to.deep.equal(['open', 'open', 'open']);
    await api().remove('device', 'quay-cam');
  });

  it('is said when a device goes to another site, before and after', async () => {
    const remarks: Remark[] = [];
    const token = bench.tokens.engineer;
    const mover = new Client({ url: bench.url, token, via: 'api', onRemarks: (said) => remarks.push(...said) });
    await api().add('room', { site: 'cob', name: 'closet' });
    await api().add('rack', { room: 'cob/closet', name: 'w1', heightU: 12 });
    for (const number of [304, 316]) await api().add('vlan', { site: 'cob', number, title: `v${number}` });
    await api().edit('prefix', '10.77.16.0/24', { site: 'ard' });
    const there = { rack: 'cob/closet/w1', positionU: 1 };
    const impact = await mover.impactOf((client) => client.edit('device', 'ard-access-1', there), {});
    const foretold = impact.records.filter(({ what }) => what === 'left behind').map(({ key }) => key);
    expect(remarks).to.deep.equal([]);
    await mover.edit('device', 'ard-access-1', there);
    expect(remarks.map(({ kind, key }) => `${kind} ${key}`)).to.deep.equal([
      'address 10.77.16.11',
      'address 10.77.16.21',
      'cable ard-access-1:1/1',
      'cable ard-access-1:1/2',
    ]);
    expect(foretold).to.deep.equal(remarks.map(({ key }) => key));
    remarks.length = 0;
    await mover.edit('device', 'ard-access-1', { rack: 'ard/closet/w1', positionU: 1 });
    expect(remarks).to.deep.equal([]);
    await mover.edit('device', 'ard-access-1', { note: 'stays' });
    expect(remarks).to.deep.equal([]);
  });

  it('is a command with a status for scripts, a count on Today and a page', async () => {
    await api().add('address', { address: '10.77.16.98' });
    const home = mkdtempSync(join(tmpdir(), 'zpine-doctor-'));
    const { zpine, zpineWith } = zpineIn(home);
    await zpineWith(PASSWORD, {}, 'sign-in', bench.url, '--user', 'viewer');
    const said = await zpine('doctor', 'data');
    expect(said.status).to.equal(1);
    expect(said.out).to.match(
      /Addresses without an interface, and without a word why: 1 +\(address-alone\)\nrecord +detail +remedy\n10\.77\.16\.98 +it is taken/,
    );
    expect((await zpine('doctor', 'data', '--only', 'no-box')).status).to.equal(0);
    await countDoubts(bench.store, {});
    expect((await api().call('today', {})).doubts?.count).to.equal(1);
    const browser = await openBrowser();
    const page = await signedInPage(browser, bench.url, 'viewer', PASSWORD);
    await page.getByRole('link', { name: '1 thing is doubtful' }).click();
    await page.getByRole('heading', { name: 'Doubts' }).waitFor();
    await page.getByRole('link', { name: '10.77.16.98' }).waitFor();
    await browser.close();
    rmSync(home, { recursive: true, force: true });
  });
});
