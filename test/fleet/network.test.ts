/** A network that runs, taken into the records from what its devices answer. */
import { expect } from 'chai';
import { refusal } from '../service.ts';
import { acquainted, addDevice, addressOf, fleet, PASS, settled, TIME, USER, type Fleet } from './bench.ts';

describe('a network that runs', function () {
  this.timeout(60_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 0, quill: 0, shale: 0 });
    const hears = (on: string, neighbour: string, port: string) => [{ on, neighbour, port }];
    addDevice(f.lab, 'furrow', 1, { hears: hears('1/1', 'har-xr-1', 'cu1') });
    addDevice(f.lab, 'furrow', 2, { hears: hears('1/2', 'har-nobody', 'cu9') });
    addDevice(f.lab, 'quill', 1, { hears: hears('cu1', 'har-acc-1.brackwater.example', '1/1') });
    await f.client.add('site', { code: 'har', title: 'Harbour House' });
    for (const [dialect, name, n] of [
      ['furrow', 'har-acc-1', 1],
      ['furrow', 'har-acc-2', 2],
      ['quill', 'har-xr-1', 1],
    ] as const) {
      const body = {
        text: `${name} ${addressOf(dialect, n)}`,
        dialect,
        user: USER,
        password: PASS,
        label: 'found',
        site: 'har',
        apply: true,
      };
      expect((await f.client.call('import.paste', { body })).faults).to.deep.equal([]);
    }
    await acquainted(f.client);
  });
  after(() => f.end());

  const asked = async (...questions: string[]) => {
    const asks = questions.map((question) => ({ question }));
    const run = await settled(f.client, await f.client.call('run.ask', { body: { where: 'labels=found', asks } }));
    return String(run.id);
  };
  const take = (id: string, apply = false) => f.client.call('run.takeNetwork', { params: { id }, body: { apply } });

  it('is shown first, and nothing is saved then', async () => {
    const seen = await take(await asked('interfaces', 'vlans', 'neighbours', 'time'));
    expect([seen.applied, seen.faults]).to.deep.equal([false, []]);
    const kinds = (kind: string) => seen.items.filter((one) => one.kind === kind).map(({ key }) => key);
    expect(kinds('vlan')).to.include('har/304');
    expect(kinds('port')).to.include.members(['har-acc-1:1/1', 'har-acc-2:1/2', 'har-xr-1:cu1']);
    expect(kinds('interface')).to.include('har-acc-1:vlan304');
    expect(kinds('cable')).to.deep.equal(['har-acc-1:1/1']);
    // All of the site say it: it is said of the site, once.
    expect(kinds('value')).to.include('time.servers site har');
    expect(seen.left).to.include('har-acc-2: 1/2 hears har-nobody cu9: no device is called so');
    expect((await f.client.list('vlan', {})).items).to.deep.equal([]);
  });

  it('has first settings in what was captured, said once where all of a site say the same', async () => {
    const lines = 'journal to 10.77.0.7\nresolve suffix quay.example\n';
    const where = 'labels=found dialect=furrow';
    const body = { where, lines, questions: [], keep: true, everything: false };
    const errand = await settled(f.client, await f.client.call('run.errand', { body }));
    await settled(f.client, await f.client.call('run.go', { params: { id: String(errand.id) }, body: { count: 2 } }));
    await settled(f.client, await f.client.call('run.capture', { body: { where: 'labels=found' } }));
    const seen = await take(await asked('interfaces'));
    const values = seen.items.filter(({ kind }) => kind === 'value').map(({ key }) => key);
    expect(values).to.include.members(['log.servers site har', 'name.domain site har', 'time.servers site har']);
    expect(seen.faults).to.deep.equal([]);
    // What the records say already is not taken once more.
    const put = { setting: 'log.servers', layer: 'site' as const, of: 'har', value: ['10.77.0.7'] };
    await f.client.call('value.put', { body: put });
    const again = await take(await asked('interfaces'));
    expect(again.items.map(({ key }) => key)).to.not.include('log.servers site har');
    await f.client.call('value.remove', { body: { setting: 'log.servers', layer: 'site', of: 'har' } });
  });

  it('comes into the records in one change set, and there is nothing to do afterwards', async () => {
    const done = await take(await asked('interfaces', 'vlans', 'neighbours', 'time'), true);
    expect([done.applied, done.faults]).to.deep.equal([true, []]);
    const device = await f.client.show('device', 'har-acc-1');
    expect(device.management).to.equal('har-acc-1:vlan304');
    expect((await f.client.show('address', addressOf('furrow', 1))).interface).to.equal('har-acc-1:vlan304');
    expect(await f.client.show('cable', 'har-acc-1:1/1')).to.include({ to: 'har-xr-1:cu1' });
    expect(await f.client.show('interface', 'har-acc-1:1/1')).to.include({ mode: 'access', vlan: 'har/316' });
    const { items } = await f.client.call('device.settings', { params: { ref: 'har-acc-2' }, query: {} });
    expect(items.find(({ name }) => name === 'time.servers')).to.deep.include({ value: TIME });
    const again = await take(await asked('interfaces', 'vlans', 'neighbours', 'time'));
    expect(again.items).to.deep.equal([]);
    // Whoever looks at links live is told the same, by the names that the records have.
    const links = (await f.client.call('live.links', { query: {} })).items;
    expect(links.map(({ interface: on, agrees }) => [on, agrees])).to.deep.equal([
      ['1/1', true],
      ['1/2', false],
      ['cu1', true],
    ]);
  });

  it('leaves what the records say otherwise, and says so', async () => {
    await f.client.edit('interface', 'har-acc-1:1/3', { mode: 'trunk', vlan: null, tagged: [304] });
    await f.client.edit('cable', 'har-acc-1:1/1', { to: null, farEnd: 'ferry line' });
    const seen = await take(await asked('interfaces', 'vlans', 'neighbours'));
    expect(seen.items).to.deep.equal([]);
    expect(seen.left).to.deep.equal([
      'har-acc-1: 1/1 hears har-xr-1 cu1: the records have a cable to elsewhere',
      'har-acc-2: 1/2 hears har-nobody cu9: no device is called so',
      'har-xr-1: cu1 hears har-acc-1.brackwater.example 1/1: another cable is there',
    ]);
  });

  it('is taken from answers, and from nothing else', async () => {
    const reached = await settled(f.client, await f.client.call('run.reach', { body: { where: 'labels=found' } }));
    expect((await refusal(take(String(reached.id)))).code).to.equal('network-no-ask');
    const only = await take(await asked('version'));
    expect([only.items, only.left]).to.deep.equal([[], []]);
    const viewer = f.clients.viewer.call('run.takeNetwork', { params: { id: String(reached.id) }, body: {} });
    expect((await refusal(viewer)).code).to.equal('role-insufficient');
  });
});
