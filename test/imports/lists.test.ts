/** Lists of hosts as people keep them: tables with heads, groups in INI and YAML, bare addresses. */
import { expect } from 'chai';
import type { BodyIn } from '@zpine/contract/routes';
import { bootNet } from '../../ops/stack.ts';
import { demoService, refusal, type TestBench } from '../service.ts';

const INI = `; switches of the tower
[tower]
old-1 ip=10.91.1.11 enable_password=up-the-mast
old-2 ip=10.91.1.12 port=2222 os=furrow
[quay]
old-3.brackwater.example
10.91.1.14
[access:groups]
tower
quay
[access:values]
user = netops
password = "rope walk 7"
ntp = 10.77.0.5,10.77.0.6
uplink_vlan = 316
[tower:values]
user = towerops
`;

describe('lists of hosts as people keep them', () => {
  let demo: TestBench;
  before(async function () {
    this.timeout(60_000);
    demo = await demoService(bootNet().env);
  });
  after(() => demo.stop());

  const api = () => demo.clients.engineer;
  const paste = (text: string, more: Partial<BodyIn<'import.paste'>> = {}) =>
    api().call('import.paste', { body: { text, ...more } });
  const faultsOf = async (text: string, more: Partial<BodyIn<'import.paste'>> = {}) =>
    (await paste(text, more)).faults.map((one) => `${one.row} ${one.column ?? '-'} ${one.code} ${one.value ?? '-'}`);
  const setting = async (device: string, name: string) => {
    const { items } = await api().call('device.settings', { params: { ref: device }, query: {} });
    const found = items.find((one) => one.name === name);
    return `${JSON.stringify(found?.value)} by ${found?.origin?.kind ?? ''}`;
  };

  it('say what their words are taken for, and show no secret', async () => {
    const seen = await paste(INI);
    expect(seen.faults).to.deep.equal([]);
    expect(seen.form).to.equal('ini');
    expect(seen.words.map(({ word, means, by, example }) => [word, means, by, example])).to.deep.equal([
      ['ip', 'address', 'guessed', '10.91.1.11'],
      ['enable_password', 'second', 'guessed', null],
      ['port', 'port', 'guessed', '2222'],
      ['os', 'dialect', 'guessed', 'furrow'],
      ['user', 'user', 'guessed', 'towerops'],
      ['password', 'password', 'guessed', null],
      ['ntp', null, null, '10.77.0.5,10.77.0.6'],
      ['uplink_vlan', null, null, '316'],
    ]);
    expect(seen.groups.map(({ group, hosts, means }) => [group, hosts, means])).to.deep.equal([
      ['tower', 2, 'label tower'],
      ['quay', 2, 'label quay'],
      ['access', 4, 'label access'],
    ]);
    expect(JSON.stringify(seen)).to.not.match(/up-the-mast|rope walk/);
    expect((await api().list('device', { where: 'name=old-*' })).items).to.deep.equal([]);
  });

  it('become devices, labels and settings in one change set; what was said of words is remembered', async () => {
    const means = { ntp: 'setting time.servers', '[quay]': 'site har' };
    const done = await paste(INI, { means, apply: true });
    expect(done.faults).to.deep.equal([]);
    const one = await api().show('device', 'old-1');
    expect([one.labels, one.stage, one.site]).to.deep.equal([['access', 'tower'], 'unproved', null]);
    const [two, other] = [await api().show('device', 'old-2'), await api().show('device', 'old-3')];
    expect([two.dialect, other.site, other.labels, other.management]).to.deep.equal([
      'furrow',
      'har',
      ['access'],
      null,
    ]);
    // The inner group is heard; a host without an address is looked up by its whole name.
    expect(await setting('old-1', 'access.user')).to.match(/"towerops" by label/);
    expect(await setting('old-3', 'access.user')).to.match(/"netops" by label/);
    expect(await setting('old-2', 'access.port')).to.match(/2222 by device/);
    expect(await setting('at-10-91-1-14', 'time.servers')).to.match(/\["10.77.0.5","10.77.0.6"\] by label/);
    expect(await setting('old-3', 'name.domain')).to.match(/"brackwater.example"/);
    const again = await paste(INI);
    expect(again.counts).to.include({ add: 0, edit: 0 });
    expect(again.words.find(({ word }) => word === 'ntp')).to.include({
      means: 'setting time.servers',
      by: 'remembered',
    });
    const [set] = (await api().call('history.list', { query: {} })).items;
    await api().call('history.undo', { params: { id: String(set?.id) }, body: { apply: true } });
    expect((await api().list('device', { where: 'name=old-*' })).items).to.deep.equal([]);
    expect((await api().list('label', { where: 'name=tower' })).items).to.deep.equal([]);
  });

  it('are trees in YAML, too; what stands keeps what it has, and gets what it lacks', async () => {
    const text =
      'pier:\n  user: netops\n  hosts:\n    old-4: { ip: 10.91.1.21, site: har, code: "0177" }\n    har-acc-1: { duty: core }\n';
    expect((await paste(text, { apply: true })).faults).to.deep.equal([]);
    const stands = await api().show('device', 'har-acc-1');
    expect([stands.labels?.includes('pier'), stands.duty, stands.site]).to.deep.equal([true, 'access', 'har']);
    expect(
      (await paste('pier: { hosts: { old-4: { duty: access } } }\nother:\n  hosts:\n', { apply: true })).counts,
    ).to.include({ edit: 1 });
    expect(await api().show('device', 'old-4')).to.include({ duty: 'access', site: 'har' });
  });

  it('may be tables whose heads say what else they tell', async () => {
    const done = await paste('Name;IP;SSH port;Login;Where\nold-5;10.91.1.31;2222;netops;har\n', {
      means: { where: 'site' },
      apply: true,
    });
    expect(done.faults).to.deep.equal([]);
    expect(done.words.map(({ word, means, by }) => [word, means, by])).to.deep.equal([
      ['ssh port', 'port', 'guessed'],
      ['login', 'user', 'guessed'],
      ['where', 'site', 'said'],
    ]);
    expect((await api().show('device', 'old-5')).site).to.equal('har');
    expect(await setting('old-5', 'access.port')).to.match(/2222 by device/);
  });

  it('give words of theirs the names that things have here', async () => {
    const text = '[a]\nold-6 ip=10.91.1.41 os=fos\n';
    expect(await faultsOf(text)).to.deep.equal(['2 dialect ref-unknown fos']);
    expect(await faultsOf(text, { means: { 'os:fos': 'furrow' } })).to.deep.equal([]);
  });

  it('are refused with the line and what to do, and nothing of them is saved', async () => {
    for (const [text, faults] of [
      ['[a]\nx ip=10.91.1.300\n', ['2 address address-octet 10.91.1.300']],
      ['[a]\nx ip=10.91.1.51 port=abc\n', ['2 port setting-number -']],
      ['[a]\nold-[01:20]\n', ['2 name list-host old-[01:20]']],
      ['[a:groups]\nb\n[b:groups]\na\n', ['1 name list-round a', '2 name list-round b']],
      ['a:\n  hosts: [x\n', ['3 - import-format -']],
    ] as const)
      expect(
        (await faultsOf(text, { apply: true })).map((one) => one),
        text,
      ).to.deep.equal(faults);
    const disagree = await paste('[a]\nx ip=10.91.1.51\n[a:values]\nuser=u1\n[b]\nx\n[b:values]\nuser=u2\n', {
      apply: true,
    });
    expect(disagree.faults.map(({ code, remedy }) => [code, remedy?.includes('rank')])).to.deep.equal([
      ['labels-disagree', true],
    ]);
    expect((await api().list('device', { where: 'name=x' })).items).to.deep.equal([]);
  });

  it('keep secrets out of settings that everybody reads, and out of faults', async () => {
    const text = '[a]\nx ip=10.91.1.51 vpn_secret=hush-hush\n';
    const open = await paste(text, { means: { vpn_secret: 'setting banner' } });
    expect(open.faults.map(({ code }) => code)).to.deep.equal(['list-open-secret']);
    expect(JSON.stringify(open)).to.not.contain('hush-hush');
    const broken = await paste('[a]\nx ip=10.91.1.51\n[a:values]\npassword=' + 'p'.repeat(20_000), {});
    expect(JSON.stringify(broken)).to.not.contain('pppp');
  });

  it('take no meaning that there is none of', async () => {
    for (const [word, text, code] of [
      ['x', 'adress', 'list-meaning'],
      ['[a]', 'nobody', 'list-meaning'],
      ['x', 'setting no.such', 'ref-unknown'],
    ] as const)
      expect((await refusal(paste(INI, { means: { [word]: text } }))).code, text).to.equal(code);
  });
});
