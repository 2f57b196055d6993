import type { BodyIn } from '@zpine/contract/routes';
import type { SettingValue } from '@zpine/core/settings/layers';
import { expect } from 'chai';
import { actor, refusal } from '../service.ts';
import { readOnly } from '../../service/store/transact.ts';
import { another, newest, onboarding, type Onboarding } from './bench.ts';

const SECRETS = ['tide-table-0417', 'rope-and-ladder', 'bell-buoy-9'];

describe('settings in layers', () => {
  let o: Onboarding;
  before(async function () {
    this.timeout(60_000);
    o = await onboarding();
  });
  after(() => o.end());

  const explained = async (device: string, name: string) =>
    (await o.client.call('device.settings', { params: { ref: device } })).items.find((s) => s.name === name);
  const put = (body: BodyIn<'value.put'>) => o.client.call('value.put', { body: body });

  it('come from the strongest layer, and say which', async () => {
    expect(await explained('ard-acc-1', 'trap.target')).to.deep.include({
      value: '10.77.0.7',
      origin: { kind: 'device', key: 'ard-acc-1' },
    });
    expect(await explained('cob-acc-1', 'trap.target')).to.deep.include({
      value: '10.77.0.5',
      origin: { kind: 'everywhere', key: '' },
    });
    expect(await explained('cob-acc-1', 'time.zone')).to.deep.include({
      value: 'Europe/London',
      origin: { kind: 'area', key: 'brackwater' },
    });
    expect(await explained('ard-xr-1', 'uplink.speed')).to.deep.include({ value: 10000, unit: 'Mbit/s' });
    expect(await explained('ard-acc-1', 'lease.seconds')).to.deep.include({ value: 3600, origin: null });
  });

  it('add to lists, each item with its own origin', async () => {
    const servers = await explained('cob-acc-1', 'time.servers');
    expect(servers?.value).to.deep.equal(['10.77.0.5', '10.77.0.6', '10.77.32.12']);
    expect(servers?.origins['2']).to.deep.equal({ kind: 'site', key: 'cob' });
  });

  it('of areas go from the outer to the inner', async () => {
    await put({ setting: 'banner', layer: 'area', of: 'brackwater', value: 'outer' });
    expect(await explained('ard-acc-1', 'banner')).to.deep.include({ origin: { kind: 'area', key: 'north-line' } });
    await o.client.call('value.remove', { body: { setting: 'banner', layer: 'area', of: 'north-line' } });
    expect(await explained('ard-acc-1', 'banner')).to.deep.include({ value: 'outer' });
  });

  it('are refused with the place and the reason', async () => {
    const fault = async (body: BodyIn<'value.put'>) => {
      const { code, errors } = await refusal(put(body));
      return `${code} ${errors?.[0]?.pointer}`;
    };
    expect(await fault({ setting: 'time.servers', layer: 'everywhere', value: ['10.77.0.500'] })).to.equal(
      'address-octet /value',
    );
    expect(await fault({ setting: 'tiem.zone', layer: 'everywhere', value: 'x' })).to.equal('ref-unknown /setting');
    expect(await fault({ setting: 'time.zone', layer: 'site', value: 'x' })).to.equal('value-missing /of');
    expect(await fault({ setting: 'time.zone', layer: 'everywhere', of: 'ard', value: 'x' })).to.equal(
      'layer-everywhere /of',
    );
    expect(await fault({ setting: 'time.zone', layer: 'everywhere', mode: 'add', value: 'x' })).to.equal(
      'setting-mode /value',
    );
    expect((await refusal(o.client.add('setting', { name: 'time', about: 'x' }))).code).to.equal('setting-path');
    expect((await refusal(o.client.add('setting', { name: 'time.zone.inner', about: 'x' }))).code).to.equal(
      'setting-path',
    );
    expect((await refusal(o.client.edit('setting', 'name.domain', { valueType: 'number' }))).code).to.equal(
      'setting-used',
    );
    expect((await refusal(o.client.remove('setting', 'time.zone'))).code).to.equal('in-use');
  });

  it('go with the record of their layer, in the same change set', async () => {
    await o.client.add('site', { code: 'tmp', title: 'For a while', area: 'north-line' });
    await put({ setting: 'time.zone', layer: 'site', of: 'tmp', value: 'Europe/Oslo' });
    await o.client.remove('site', 'tmp');
    const { items } = await o.client.call('history.list', { query: { limit: '1' } });
    expect(items[0]?.changes.map((c) => `${c.kind} ${c.key}`)).to.deep.equal(['value time.zone site tmp', 'site tmp']);
    expect(
      (await o.client.call('value.list', { query: { setting: 'time.zone' } })).items.some((v) => v.of.startsWith('#')),
    ).to.equal(false);
  });

  it('that are secret are shown to nobody: not in values, explanations, history, names, editions', async () => {
    await put({ setting: 'trap.word', layer: 'site', of: 'ard', value: 'bell-buoy-9-new' });
    const seen = JSON.stringify([
      await o.client.call('value.list', { query: {} }),
      await o.client.call('device.settings', { params: { ref: 'ard-acc-1' } }),
      await o.client.call('history.list', { query: { limit: '200' } }),
      await o.client.call('device.names', { params: { ref: 'ard-acc-1' } }),
      await o.client.call('edition.show', { params: { ref: 'ard-acc-1', number: '1' }, query: { trace: 'true' } }),
    ]);
    for (const secret of SECRETS) expect(seen).not.to.include(secret);
    const tables = await readOnly(o.store, actor, (tx) =>
      tx.select(
        'SELECT GROUP_CONCAT(value) AS text FROM setting_value UNION ALL SELECT GROUP_CONCAT(shown, content, inputs) FROM edition',
      ),
    );
    for (const secret of SECRETS) expect(JSON.stringify(tables)).not.to.include(secret);
  });
});

describe('editions', () => {
  let o: Onboarding;
  before(async function () {
    this.timeout(60_000);
    o = await onboarding();
  });
  after(() => o.end());

  const make = (ref: string) => o.client.call('edition.make', { params: { ref }, body: {} });
  const publish = (ref: string, number: number, body: object = {}, reason?: string) =>
    o.client.call('edition.publish', { params: { ref, number: String(number) }, body, reason });
  const set = (setting: string, device: string, value: SettingValue) =>
    o.client.call('value.put', { body: { setting, layer: 'device', of: device, value: value } });

  it('are the same edition as long as they are the same text', async () => {
    const { device } = await another(o);
    const first = await make(device);
    expect(first.number).to.equal(1);
    expect((await make(device)).number).to.equal(1);
    await set('time.zone', device, 'Europe/Oslo');
    const { items } = await o.client.call('edition.list', { params: { ref: device } });
    expect(items[0]).to.include({ number: 1, stale: true });
    const second = await make(device);
    expect(second.number).to.equal(2);
    expect(second.files[0]?.text).to.contain('clock zone Europe/Oslo');
    expect(second.stale).to.equal(false);
  });

  it('know of every line the template line, the insert, the loop and the layer', async () => {
    const { files } = await o.client.call('edition.show', {
      params: { ref: 'ard-acc-1', number: '1' },
      query: { trace: 'true' },
    });
    const lines = files[0]?.text.split('\n') ?? [];
    const traceOf = (line: string) => files[0]?.trace?.[lines.indexOf(line)];
    expect(traceOf('clock follow 10.77.0.6')).to.deep.include({
      template: 'furrow-access',
      loops: [{ name: 'server', value: '10.77.0.6' }],
      settings: [{ name: 'time.servers', origin: { kind: 'everywhere', key: '' } }],
    });
    const cob = await o.client.call('edition.show', {
      params: { ref: 'cob-acc-1', number: '1' },
      query: { trace: 'true' },
    });
    const at = cob.files[0]?.text.split('\n').indexOf('clock follow 10.77.32.12') ?? -1;
    expect(cob.files[0]?.trace?.[at]?.settings).to.deep.equal([
      { name: 'time.servers', origin: { kind: 'site', key: 'cob' } },
    ]);
    expect(traceOf('account zpine')?.inserts).to.deep.equal([
      { template: 'furrow-access', line: 29, fragment: 'furrow-accounts' },
    ]);
    expect(files[0]?.parts.map((s) => s.name)).to.deep.equal([
      'identity',
      'logging',
      'accounts',
      'lanes',
      'sockets',
      'management',
    ]);
    const part = files[0]?.parts.find((s) => s.name === 'management');
    expect(lines[(part?.fromLine ?? 0) - 1]).to.equal('face lane 304');
  });

  it('are traced from their frozen inputs, whatever changed since', async () => {
    const { device } = await another(o);
    const { number, files } = await make(device);
    await o.client.edit('template', 'furrow-greeting', { source: '@remark nothing any more\n' });
    const shown = await o.client.call('edition.show', {
      params: { ref: device, number: String(number) },
      query: { trace: 'true' },
    });
    expect(shown.files[0]?.text).to.equal(files[0]?.text);
    expect(shown.files[0]?.trace?.some((t) => t.template === 'furrow-greeting' && t.line === 2)).to.equal(true);
  });

  it('are refused where the template has faults: all of them, with line, column and caret', async () => {
    const { device } = await another(o);
    const source = 'name @{device.nam}\n@for x of set.time.servres\n@end\n@iff true\n';
    await o.client.add('template', { name: 'faulty', dialect: 'shale', source });
    await o.client.edit('device', device, { template: 'faulty' });
    const { faults } = await o.client.call('template.check', { params: { ref: 'faulty' } });
    expect(faults.map((f) => `${f.line}:${f.column} ${f.hint}`)).to.deep.equal([
      '1:15 did you mean "name"?',
      '2:20 did you mean "servers"?',
      '4:1 did you mean @if? A line that begins with @ as text is written @@iff',
    ]);
    const problem = await refusal(make(device));
    expect(problem.code).to.equal('template-faulty');
    expect(problem.detail).to.equal(
      'faulty has 3 faults; the first is\nfaulty:1:15: there is no "nam" in it; did you mean "name"?\n  1 | name @{device.nam}\n    |               ^',
    );
    const tried = await o.client.call('template.try', {
      body: { template: 'faulty', source: 'name @{device.name}\nw @{set.trap.word}\n', device },
    });
    expect(tried.files?.[0]?.text).to.equal(`name ${device}\nw ••••••\n`);
  });

  it('stop where something required is missing, with the words of the template', async () => {
    await o.client.add('device', { name: 'mos-acc-99', duty: 'access', model: 'larkfield/lf-24', site: 'mos' });
    const problem = await refusal(make('mos-acc-99'));
    expect(problem.code).to.equal('render-stopped');
    expect(problem.detail).to.contain('mos-acc-99 has no management address yet');
    expect((await refusal(make('har-log-1'))).code).to.equal('template-none');
    await o.client.add('template', { name: 'second-access', dialect: 'furrow', duty: 'access', source: 'x\n' });
    expect((await refusal(make('mos-acc-99'))).detail).to.contain('furrow-access, second-access');
    await o.client.remove('template', 'second-access');
  });

  const ways: [string, string, string, RegExp][] = [
    [
      'another password',
      '@insert "furrow-accounts"\n',
      'account zpine\n  phrase plain wrong\n  rank full\n',
      /password of zpine in the edition is not the one/,
    ],
    ['no SSH', 'shell on\n', 'shell off\n', /SSH is not switched on/],
    ['another address', 'at @{device.management.address}', 'at 10.77.64.250/24', /the edition has 10\.77\.64\.250\/24/],
    [
      'another gateway',
      'by @{device.management.gateway}',
      'by 10.77.64.254',
      /the way out is 10\.77\.64\.1; the edition has 10\.77\.64\.254/,
    ],
    ['no call home', 'report to @{boot.life}\n', '', /does not call home/],
    ['no account', '@insert "furrow-accounts"\n', '', /the service signs in as zpine; the edition has no account/],
  ];
  for (const [what, from, to, words] of ways) {
    it(`that lead to ${what} would lock the service out: not published, unless somebody insists`, async () => {
      const { device } = await another(o);
      const { source } = await o.client.show('template', 'furrow-access');
      const name = `locked-${device}`;
      expect(source).to.contain(from);
      await o.client.add('template', { name, source: source.replace(from, to) });
      await o.client.edit('device', device, { template: name });
      const { number, wayBack } = await make(device);
      expect(wayBack.map((w) => w.detail).join('; ')).to.match(words);
      const problem = await refusal(publish(device, number));
      expect(problem.code).to.equal('way-back');
      expect(problem.detail).to.match(words);
      expect((await o.client.show('device', device)).stage).to.equal('sketched');
      expect((await refusal(publish(device, number, { insist: true }))).code).to.equal('insist-reason');
      const published = await publish(device, number, { insist: true }, 'reached by the console cable');
      expect(published.insisted).to.match(/^reached by the console cable: /);
      expect((await o.client.show('device', device)).stage).to.equal('prepared');
    });
  }

  it('open the window on request, and the window alone needs a published one', async () => {
    const { device } = await another(o);
    expect((await refusal(o.client.call('arrival.open', { params: { ref: device }, body: {} }))).code).to.equal(
      'edition-none',
    );
    const { number } = await make(device);
    await publish(device, number, { openHours: 2 });
    const arrival = await newest(o.client, device);
    expect(Date.parse(arrival.closesAt) - Date.parse(arrival.openedAt)).to.equal(2 * 3_600_000);
    expect((await refusal(publish(device, 99))).code).to.equal('not-found');
    const { items } = await o.client.call('history.list', { query: { kind: 'edition', limit: '1' } });
    expect(items[0]?.changes[0]).to.deep.include({ key: `${device} edition 1`, after: { number: 1, published: true } });
  });
});
