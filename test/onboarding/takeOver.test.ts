/** What was done by hand on a switch that we brought into service becomes its description, and is brought back otherwise. */
import { expect } from 'chai';
import { refusal } from '../service.ts';
import { ardle, onboarding, serves, type Onboarding } from './bench.ts';
import { settled } from '../fleet/bench.ts';

describe('drift that is taken over', function () {
  this.timeout(90_000);
  let o: Onboarding;
  const params = { ref: 'ard-acc-1' };
  before(async () => {
    o = await onboarding();
    o.lab.add(ardle);
    o.lab.device('ardle').on();
    await serves(o.client, 'ard-acc-1');
  });
  after(() => o.end());

  const compare = async () =>
    settled(o.client, await o.client.call('run.compare', { body: { devices: ['ard-acc-1'] } }));
  const means = async () => (await o.client.call('drift.means', { params })).items;
  const idOf = async (line: string) => (await means()).find(({ difference }) => difference.line === line)?.id ?? '';

  it('is compared and captured once it serves', async () => {
    const { drift } = await o.client.call('drift.show', { params });
    expect(drift).to.include({ edition: 1, lines: 0, unkept: 0, notComparable: 0 });
    expect((await o.client.call('capture.list', { query: { device: 'ard-acc-1' } })).items).to.have.length(2);
    expect(await means()).to.deep.equal([]);
  });

  it('is not taken for equal where the switch shows stars: as far as it shows, and pushed the same', async () => {
    o.lab.device('ardle').options.faults.add('hides-secrets');
    const run = await compare();
    expect(run.rows[0]).to.include({ outcome: 'as far as shown' });
    expect(run.rows[0]?.detail).to.match(/; 3 lines not comparable$/);
    const push = await settled(o.client, await o.client.call('run.push', { body: { devices: ['ard-acc-1'] } }));
    expect(push.rows[0]).to.include({ outcome: 'already right' });
    expect(push.rows[0]?.detail).to.equal('it runs edition 1, as far as it shows: 3 lines not comparable');
    expect((await o.client.call('drift.show', { params })).drift).to.include({ lines: 0, notComparable: 3 });
    o.lab.device('ardle').options.faults.clear();
    expect((await compare()).counts).to.deep.equal({ 'as described': 1 });
  });

  it('says what each difference would mean, each tried, and saves nothing by that', async () => {
    const { memory } = o.lab.furrow('ardle');
    memory.load(
      'clock zone Europe/Oslo\nclock follow 10.77.0.99\nname ard-acc-9\nlane 999\n  title "hidden cove"\nsocket 1/1\n  about "closed"\n  state still\nsocket 1/2\n  lane 352\n',
    );
    expect((await compare()).counts).to.deep.equal({ differs: 1 });
    const items = await means();
    expect(
      items.map(({ difference, means: all, why }) => [difference.line, all.join('; '), why !== undefined]),
    ).to.have.deep.members([
      ['name ard-acc-1', '', true],
      ['clock zone Europe/London', 'setting time.zone of ard-acc-1 is Europe/Oslo', false],
      ['clock follow 10.77.0.99', 'setting time.servers of ard-acc-1 gets 10.77.0.99', false],
      ['lane 999', 'VLAN 999 of its site is "hidden cove"', false],
      ['about "ticket window"', 'interface 1/1 of ard-acc-1: description is closed', false],
      ['state live', 'interface 1/1 of ard-acc-1: enabled is false', false],
      ['lane 316', 'interface 1/2 of ard-acc-1: vlan is 352', false],
    ]);
    const { items: history } = await o.client.call('history.list', { query: { limit: '1' } });
    expect(JSON.stringify(history)).not.to.contain('hidden cove');
  });

  it('takes over what is named and no more, with what it would do to others said before', async () => {
    const take = [await idOf('lane 999'), await idOf('clock zone Europe/London')];
    const { taken } = await o.client.call('drift.takeOver', { params, body: { take } });
    expect(taken).to.have.members([
      'VLAN 999 of its site is "hidden cove"',
      'setting time.zone of ard-acc-1 is Europe/Oslo',
    ]);
    const { items } = await o.client.list('vlan', { where: 'site=ard number=999' });
    expect(items[0]).to.include({ title: 'hidden cove' });
    expect((await means()).map(({ difference }) => difference.line)).not.to.include('lane 999');
    expect((await refusal(o.client.call('drift.takeOver', { params, body: { take } }))).errors?.[0]?.code).to.equal(
      'take-over-gone',
    );
    const name = await idOf('name ard-acc-1');
    expect(
      (await refusal(o.client.call('drift.takeOver', { params, body: { take: [name] } }))).errors?.[0]?.code,
    ).to.equal('take-over-unread');
    expect((await refusal(o.clients.viewer.call('drift.means', { params }))).status).to.equal(403);
  });

  it('leaves the rest to be pushed: the edition has what was taken over, the switch what was not', async () => {
    const { number } = await o.client.call('edition.make', { params, body: { apply: true } });
    await o.client.call('edition.publish', { params: { ...params, number: String(number) }, body: {} });
    const run = await settled(o.client, await o.client.call('run.push', { body: { devices: ['ard-acc-1'] } }));
    const lines = run.rows[0]?.errand?.steps.map(({ line, away }) => `${away ? '-' : '+'} ${line}`);
    expect(lines).to.have.members([
      '+ name ard-acc-1',
      '- clock follow 10.77.0.99',
      '+ about "ticket window"',
      '+ state live',
      '+ lane 316',
    ]);
    const done = await settled(
      o.client,
      await o.client.call('run.go', { params: { id: String(run.id) }, body: { count: 1 } }),
    );
    expect(done.counts, done.rows[0]?.detail).to.deep.equal({ 'brought over': 1 });
    const printed = o.lab.device('ardle').print();
    expect(printed)
      .to.contain('title "hidden cove"')
      .and.contain('clock zone Europe/Oslo')
      .and.not.contain('10.77.0.99');
    expect((await o.client.call('drift.show', { params })).drift).to.include({ edition: 2, lines: 0, unkept: 0 });
  });
});
