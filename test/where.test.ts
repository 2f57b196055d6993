import { expect } from 'chai';
import type { KindName } from '@zpine/contract/kinds';
import { bootNet } from '../ops/stack.ts';
import { refusal, demoService, type TestBench } from './service.ts';

describe('selections', () => {
  let bench: TestBench;
  before(async function () {
    this.timeout(60_000);
    bench = await demoService(bootNet().env);
  });
  after(() => bench.stop());

  const select = async (where: string, kind: KindName = 'device') =>
    (await bench.clients.viewer.list(kind, { where, limit: '500' })).items.map((item) => item.key);

  const cases: [string, KindName, string[]][] = [
    ['site=ard duty=access', 'device', ['ard-acc-1']],
    ['site=ard,cob duty=access model=larkfield/*', 'device', ['ard-acc-1', 'cob-acc-1']],
    ['name=ard-*', 'device', ['ard-acc-1', 'ard-pp-1', 'ard-ps-1', 'ard-xr-1']],
    ['stage=unproved or stage=faulty', 'device', ['har-acc-2', 'har-log-1', 'har-xr-2']],
    ['duty=log-host not stage=unproved', 'device', ['cob-log-1', 'har-names-1']],
    ['area=north-line duty=crossing-router', 'device', ['ard-xr-1', 'cob-xr-1']],
    ['site.area=brackwater duty=core', 'device', ['har-core-1']],
    ['vendor=tarnwick', 'device', ['cob-acc-2']],
    ['rack=none site=cob', 'device', ['cob-log-1']],
    ['positionU<=38 site=har', 'device', ['har-log-1', 'har-pp-2', 'har-xr-1', 'har-xr-2']],
    ['mac=00005E0053A1', 'box', ['lf24-0188-01']],
    ['condition!=fitted', 'box', ['lf24-0201-11', 'lf24-0201-12']],
    ['device.site=ard', 'box', ['cb7-1134', 'lf24-0188-01']],
    ['address=10.77.255.0/30', 'address', ['10.77.255.1', '10.77.255.2', '10.77.255.3']],
    ['cidr=10.77.16.0/20 use=management', 'prefix', ['10.77.16.0/24']],
    ['heightU<20 purpose=quayside room.site=ard', 'rack', ['ard/closet/w1']],
    ['createdAt<2020-01-01', 'site', []],
    ['title="Harbour House"', 'site', ['har']],
    ['tagged=316 device=ard-*', 'interface', ['ard-acc-1:1/24']],
    ['mode=access vlan.number=328', 'interface', ['ard-acc-1:1/1', 'cob-acc-1:1/1', 'cob-acc-1:1/2', 'ske-acc-1:1/1']],
    ['ports=10gbase-t', 'model', ['hazel/h1']],
  ];
  for (const [where, kind, expected] of cases)
    it(`${kind}: ${where}`, async () => expect(await select(where, kind)).to.deep.equal(expected));

  const wrong: [string, RegExp][] = [
    ['site=ARDL', /^there is no site "ARDL"; did you mean ard\?\n {2}site=ARDL\n {7}\^$/],
    ['sit=ard', /^a device has no "sit"; did you mean site\?\n {2}sit=ard\n {2}\^$/],
    ['stage=servin', /"servin" is not possible for stage; did you mean serving\?/],
    ['positionU>top', /"top" is not a whole number/],
    ['name<b', /name has no order/],
    ['site=ard (', /a test is missing here/],
    ['updatedAt>yesterday', /is not a day such as/],
  ];
  for (const [where, words] of wrong) {
    it(`refuse ${where}, with the place`, async () => {
      const problem = await refusal(select(where));
      expect(problem.code).to.equal('where-syntax');
      expect(problem.detail).to.match(words);
    });
  }

  it('take no text for anything but text', async () => {
    expect(await select('title="\'; DROP TABLE site; --"', 'site')).to.deep.equal([]);
    expect(await select('title="%"', 'site')).to.deep.equal([]);
    expect(await select('note="?"', 'site')).to.deep.equal([]);
  });

  it('go by what is in force: the dialect of the model, the site of the management address', async () => {
    const { client } = { client: bench.clients.admin };
    await client.call('import.paste', {
      body: { text: 'har-old-1 10.77.0.77\nhar-old-2 192.0.2.77', dialect: 'furrow', apply: true },
    });
    const furrow = await select('dialect=furrow');
    expect(furrow).to.include.members(['ard-acc-1', 'har-core-1', 'har-old-1', 'har-old-2']);
    expect(furrow).to.not.include('ard-xr-1');
    // One by one they say the same of themselves.
    for (const key of furrow)
      expect((await client.call('device.overview', { params: { ref: key } })).dialect, key).to.equal('furrow');
    expect(await select('site=har name=har-old-*')).to.deep.equal(['har-old-1']);
    expect(await select('area=brackwater name=har-old-*')).to.deep.equal(['har-old-1']);
    expect(await select('site=none name=har-old-*')).to.deep.equal(['har-old-2']);
    expect(await select('dialect=none name=har-*')).to.not.include('har-acc-1');
    expect(await select('device.dialect=furrow name=1/24', 'interface')).to.include('ard-acc-1:1/24');
    const filtered = await client.list('device', { site: 'har', dialect: 'furrow', limit: '500' });
    expect(filtered.items.map((item) => item.key))
      .to.include('har-old-1')
      .and.to.include('har-core-1');
    // Layers of settings are those of the same site.
    await client.call('value.put', { body: { setting: 'banner', layer: 'site', of: 'har', mode: 'set', value: 'hh' } });
    const { items } = await client.call('device.settings', { params: { ref: 'har-old-1' } });
    expect(items.find((one) => one.name === 'banner')).to.deep.include({
      value: 'hh',
      origin: { kind: 'site', key: 'har' },
    });
  });
  it('go with pages and counts', async () => {
    const page = await bench.clients.viewer.list('device', { where: 'area=brackwater', limit: '5', count: 'true' });
    expect(page.items).to.have.length(5);
    expect(page.count).to.equal(24);
    const next = await bench.clients.viewer.list('device', {
      where: 'area=brackwater',
      limit: '50',
      after: page.next ?? '',
    });
    expect(next.items).to.have.length(19);
  });
});
