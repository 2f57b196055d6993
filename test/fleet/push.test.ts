/** What devices should run, held against what they run, and brought there: three dialects, real sessions, faults in between. */
import { expect } from 'chai';
import type { RunRow } from '@zpine/contract/fleetShapes';
import type { Fault } from '@zpine/lab/faults';
import { eventually } from '../../trials/eventually.ts';
import { refusal } from '../service.ts';
import { acquainted, addDevice, fleet, paste, rowOf, settled, type Fleet } from './bench.ts';

/** Time and log servers are ours; all else of these devices is somebody else's. */
const templates = {
  furrow:
    '@part "time" owns "clock follow "\n@for server of set.time.servers\nclock follow @{server}\n@end\n@end\n@part "log" owns "journal to "\n@for server of set.log.servers\njournal to @{server}\n@end\n@end\n@part "desk" owns "socket 1/2 "\nsocket 1/2\n  about "desk of @{device.name}"\n  lane 316\n  state live\n@end\n',
  quill:
    '@part "time" owns "clock / server "\n@for server of set.time.servers\nclock / server @{server}\n@end\n@end\n@part "port" owns "port cu2 "\nport cu2 / note "to @{device.name}"\nport cu2 / link up\n@end\n',
  shale:
    '@part "time" owns "ntp "\n@for server of set.time.servers\nntp @{server}\n@end\n@end\n@part "log"\n@for server of set.log.servers\nlog @{server}\n@end\n@end\n',
} as const;

describe('compare, drift and push', function () {
  this.timeout(120_000);
  let f: Fleet;
  const set = (setting: string, value: string[] | number, of?: string) =>
    f.client.call('value.put', {
      body: {
        setting,
        layer: of === undefined ? 'everywhere' : 'device',
        ...(of === undefined ? {} : { of }),
        mode: 'set',
        value,
      },
    });
  const publish = async (devices: readonly string[]) => {
    for (const ref of devices) {
      const { number } = await f.client.call('edition.make', { params: { ref }, body: { apply: true } });
      await f.client.call('edition.publish', {
        params: { ref, number: String(number) },
        body: { insist: true },
        reason: 'these run already, and never boot from here',
      });
    }
  };
  before(async () => {
    f = await fleet({ furrow: 8, quill: 4, shale: 4 });
    await acquainted(f.client);
    await set('access.answer-seconds', 5);
    await set('time.servers', ['10.77.0.5', '10.77.0.6']);
    await set('log.servers', ['10.77.0.7']);
    for (const [dialect, source] of Object.entries(templates))
      await f.client.add('template', { name: `plain-${dialect}`, dialect, source });
    await publish(f.all);
  });
  after(() => f.end());

  const compare = async (body: object) => settled(f.client, await f.client.call('run.compare', { body }));
  const preview = async (body: object) => settled(f.client, await f.client.call('run.push', { body }));
  const go = async (id: number, count: number) =>
    settled(f.client, await f.client.call('run.go', { params: { id: String(id) }, body: { count } }));
  const steps = (row: RunRow): string[] =>
    (row.errand?.steps ?? []).map(
      ({ above, line, away, instead }) =>
        `${away ? '-' : '+'} ${[...above, line].join(' > ')}${instead === null ? '' : ` for ${instead}`}`,
    );
  const drift = async (ref: string) => (await f.client.call('drift.show', { params: { ref } })).drift;
  const kept = (name: string) => f.lab.device(name).options.flash.kept;
  const printed = (name: string) => f.lab.device(name).print();

  it('says of each device what differs in owned parts, and leaves the rest alone', async () => {
    const run = await compare({ where: 'stage!=retired' });
    expect(run.counts).to.deep.equal({ differs: 16 });
    const row = rowOf(run, 'har-acc-1');
    expect(
      row.compared?.comparison?.differences.map(({ kind, part, line, instead }) => [kind, part, line, instead]),
    ).to.deep.equal([
      ['missing', 'log', 'journal to 10.77.0.7', null],
      ['changed', 'desk', 'about "desk of har-acc-1"', 'about "desk 2"'],
    ]);
    expect(row.detail).to.equal('2 lines not as in edition 1, in log, desk');
    expect(rowOf(run, 'har-wb-1').detail).to.equal('1 line not as in edition 1, in log');
    const { groups, count, compared } = await f.client.call('drift.list', { query: {} });
    expect({ count, compared }).to.deep.equal({ count: 16, compared: 16 });
    // The white boxes differ alike; switches and routers each in a line that names them.
    expect(groups[0]).to.deep.include({ count: 4, devices: f.names.shale, lines: 1, parts: ['log'] });
    expect(groups).to.have.length(1 + 8 + 4);
    const today = await f.client.call('today', {});
    expect(today.items.filter((one) => one.code === 'drift')).to.have.length.greaterThan(3);
    const seen = await f.client.call('device.overview', { params: { ref: 'har-acc-1' } });
    expect(seen.drift).to.include({ lines: 2, edition: 1, published: 1, unkept: 0 });
  });

  it('pushes the smallest set of lines: previewed, confirmed by number, verified, kept, captured; a second time finds nothing', async () => {
    const run = await preview({ where: 'dialect=furrow' });
    expect({ state: run.state, toDo: run.toDo }).to.deep.equal({ state: 'previewed', toDo: 8 });
    expect(steps(rowOf(run, 'har-acc-3'))).to.deep.equal([
      '+ socket 1/2 > about "desk of har-acc-3" for about "desk 2"',
      '+ journal to 10.77.0.7',
    ]);
    expect(printed('har-acc-3')).not.to.contain('journal');
    expect((await refusal(go(run.id, 7))).detail).to.equal('this would change 8 devices, not 7');
    const done = await go(run.id, 8);
    expect(done.counts).to.deep.equal({ 'brought over': 8 });
    expect(rowOf(done, 'har-acc-3')).to.include({ edition: 1 });
    expect(kept('har-acc-3')).to.equal(printed('har-acc-3')).and.to.contain('about "desk of har-acc-3"');
    expect(await drift('har-acc-3')).to.include({ lines: 0, unkept: 0, since: null });
    const again = await preview({ where: 'dialect=furrow' });
    expect({ state: again.state, counts: again.counts }).to.deep.equal({
      state: 'ended',
      counts: { 'already right': 8 },
    });
    await f.lab.device('har-acc-3').off();
    f.lab.device('har-acc-3').on();
    await acquainted(f.client, 'name=har-acc-3');
    expect((await preview({ devices: ['har-acc-3'] })).counts).to.deep.equal({ 'already right': 1 });
    const rest = await preview({ where: 'dialect=quill or dialect=shale' });
    expect((await go(rest.id, 8)).counts).to.deep.equal({ 'brought over': 8 });
    expect(printed('har-xr-2')).to.contain('note "to har-xr-2"');
    expect((await f.client.call('drift.list', { query: {} })).count).to.equal(0);
  });

  it('follows the edition: what is published differs at once by the last captures, and what was ours goes', async () => {
    await set('time.servers', ['10.77.0.6', '10.77.0.9']);
    const stale = await preview({ devices: ['har-acc-1', 'har-wb-1'] });
    expect(stale.counts).to.deep.equal({ 'left out': 2 });
    expect(stale.rows[0]?.detail).to.contain(
      'edition 1 is stale, its inputs have changed since: zpine edition make har-acc-1',
    );
    await publish(f.all);
    await eventually(
      'what was published is held against the last capture',
      async () => (await drift('har-acc-1'))?.edition === 2,
    );
    expect(await drift('har-acc-1')).to.include({ edition: 2, published: 2, lines: 2 });
    const run = await compare({ where: 'stage!=retired', captured: true });
    expect(run.counts).to.deep.equal({ differs: 16 });
    expect(run.rows.every(({ ms }) => ms === 0)).to.equal(true);
    const push = await preview({ where: 'stage!=retired', everything: true });
    expect(steps(rowOf(push, 'har-wb-2'))).to.deep.equal(['+ ntp 10.77.0.9', '- ntp 10.77.0.5']);
    expect((await go(push.id, 16)).counts).to.deep.equal({ 'brought over': 16 });
    await set('time.servers', []);
    await publish(['har-acc-1']);
    const none = await preview({ devices: ['har-acc-1'] });
    // The part renders nothing any more, and owns its lines all the same.
    expect(steps(rowOf(none, 'har-acc-1'))).to.deep.equal(['- clock follow 10.77.0.9', '- clock follow 10.77.0.6']);
    await go(none.id, 1);
    expect(printed('har-acc-1')).not.to.contain('clock follow');
    await set('time.servers', ['10.77.0.6', '10.77.0.9']);
    await publish(['har-acc-1']);
    await go((await preview({ devices: ['har-acc-1'] })).id, 1);
  });

  it('finds what runs and is not stored, says so, and stores it', async () => {
    f.lab.furrow('har-acc-2').memory.take([], 'lane 999');
    const run = await compare({ devices: ['har-acc-2'] });
    expect(rowOf(run, 'har-acc-2').detail).to.equal(
      'it runs edition 2, 7 lines; 1 line of what runs is not stored so: a restart would bring back what is',
    );
    const [notice] = (await f.client.call('notice.list', { query: {} })).items;
    expect(notice).to.include({ device: 'har-acc-2', what: 'configuration' });
    expect(notice?.text).to.match(
      /^har-acc-2 runs another configuration than at .*, by other hands: zpine capture diff har-acc-2$/,
    );
    const { groups } = await f.client.call('drift.list', { query: { of: 'stored' } });
    expect(
      groups.map(({ devices, differences }) => [devices, differences.map(({ kind, line }) => [kind, line])]),
    ).to.deep.equal([[['har-acc-2'], [['missing', 'lane 999']]]]);
    expect((await f.client.call('today', {})).items.find((one) => one.code === 'unkept')?.key).to.equal('har-acc-2');
    // What is ours is stored: nothing is to be pushed, and what is somebody else's is not stored for them.
    expect((await preview({ devices: ['har-acc-2'] })).counts).to.deep.equal({ 'already right': 1 });
    f.lab.furrow('har-acc-2').memory.strike([], 'clock follow 10.77.0.9');
    const errand = await settled(
      f.client,
      await f.client.call('run.errand', {
        body: { devices: ['har-acc-2'], lines: 'clock follow 10.77.0.9', keep: false },
      }),
    );
    await go(errand.id, 1);
    f.lab.device('har-acc-2').options.flash.kept = kept('har-acc-2').replace('clock follow 10.77.0.9\n', '');
    const push = await preview({ devices: ['har-acc-2'] });
    expect(push.rows[0]?.detail).to.equal('all of it runs, and is not stored: "clock follow 10.77.0.9" is not there');
    const done = await go(push.id, 1);
    expect(done.rows[0]).to.include({ outcome: 'brought over', detail: 'it ran already, and is stored now' });
    expect(kept('har-acc-2')).to.contain('clock follow 10.77.0.9').and.contain('lane 999');
    expect(await drift('har-acc-2')).to.include({ lines: 0, unkept: 0 });
  });

  it('is taken back by what ran before, later too', async () => {
    f.lab.furrow('har-acc-4').memory.take([], 'journal to 10.77.0.66');
    const before = printed('har-acc-4');
    const push = await preview({ devices: ['har-acc-4'] });
    await go(push.id, 1);
    expect(printed('har-acc-4')).not.to.contain('10.77.0.66');
    const back = await settled(
      f.client,
      await f.client.call('run.takeBack', { params: { id: String(push.id) }, body: {} }),
    );
    expect((await go(back.id, 1)).counts).to.deep.equal({ 'brought over': 1 });
    expect(printed('har-acc-4').split('\n').sort()).to.deep.equal(before.split('\n').sort());
    expect(await drift('har-acc-4')).to.include({ lines: 1 });
    await go((await preview({ devices: ['har-acc-4'] })).id, 1);
  });

  it('says what a device turned down, undoes what came before it, and lets those be that were not begun with', async () => {
    await set('log.servers', ['10.77.0.7', '10.77.0.8']);
    await publish(f.names.furrow);
    f.lab.device('har-acc-5').options.faults.add('rejects-line');
    const before = printed('har-acc-5');
    const run = await go((await preview({ devices: ['har-acc-5', 'har-acc-6'] })).id, 2);
    expect(run.counts).to.deep.equal({ 'turned down': 1, 'left out': 1 });
    expect(rowOf(run, 'har-acc-5').detail).to.contain('"journal to 10.77.0.8": internal fault');
    expect(printed('har-acc-5')).to.equal(before);
    f.lab.device('har-acc-5').options.faults.delete('rejects-line');
    f.lab.device('har-acc-5').options.faults.add('drops-line');
    const dropped = await go((await preview({ devices: ['har-acc-5'] })).id, 1);
    expect(dropped.rows[0]).to.include({
      outcome: 'never taken',
      detail: '"journal to 10.77.0.8" was taken without a word, and it is not there',
    });
    f.lab.device('har-acc-5').options.faults.clear();
    // Once more, for the one alone that did not do well.
    const again = await settled(
      f.client,
      await f.client.call('run.retry', { params: { id: String(dropped.id) }, body: {} }),
    );
    expect({ expected: again.expected, toDo: again.toDo }).to.deep.equal({ expected: 1, toDo: 1 });
    expect((await go(again.id, 1)).counts).to.deep.equal({ 'brought over': 1 });
    expect((await refusal(f.client.call('run.retry', { params: { id: String(again.id) }, body: {} }))).code).to.equal(
      'run-nothing-left',
    );
  });

  it('selects devices by how they came out of a run, and by what they differ from', async () => {
    const run = await preview({ where: 'dialect=shale or name=har-acc-8', stale: true });
    const [list] = (await f.client.call('run.list', { query: { kind: 'push', limit: '1' } })).items;
    expect(list?.id).to.equal(run.id);
    const names = async (where: string) => (await f.client.list('device', { where })).items.map(({ name }) => name);
    expect(await names(`run=${run.id} outcome="already right" dialect=shale`)).to.deep.equal(f.names.shale);
    expect(await names(`run=${run.id} outcome!="already right"`)).not.to.include('har-wb-1');
    f.lab.furrow('har-acc-8').memory.take([], 'journal to 10.77.0.66');
    await compare({ devices: ['har-acc-8'] });
    expect(await names('differs=edition'))
      .to.include('har-acc-8')
      .and.not.include('har-wb-1');
    expect(await names('differs=stored')).to.include('har-acc-8');
    expect(await names('not differs=edition dialect=furrow')).not.to.include('har-acc-8');
    for (const wrong of ['outcome="brought over"', 'run=x', `run=${run.id} outcome=fine`, 'differs=much', 'run>3'])
      expect((await refusal(names(wrong))).errors?.[0]?.code, wrong).to.equal('where-syntax');
    await go((await preview({ devices: ['har-acc-8'] })).id, 1);
  });

  it('waits when it is paused, and goes on', async () => {
    const run = await settled(
      f.client,
      await f.client.call('run.errand', {
        body: { devices: f.names.shale.slice(0, 3), lines: 'log 10.77.0.44', perSite: 1 },
      }),
    );
    const params = { id: String(run.id) };
    await f.client.call('run.pause', { params, body: { paused: true } });
    await f.client.call('run.go', { params, body: { count: 3 } });
    await new Promise((resolve) => setTimeout(resolve, 1500));
    const waiting = await f.client.call('run.show', { params, query: {} });
    expect(waiting).to.include({ paused: true });
    expect(waiting.rows.filter(({ outcome }) => outcome !== null).length).to.be.lessThan(3);
    await f.client.call('run.pause', { params, body: { paused: false } });
    expect((await settled(f.client, run)).counts).to.deep.equal({ 'brought over': 3 });
    await settled(f.client, await f.client.call('run.takeBack', { params, body: {} })).then((back) => go(back.id, 3));
    expect((await refusal(f.client.call('run.pause', { params, body: { paused: true } }))).code).to.equal('run-over');
  });

  /** One push on a device that has a fault, from the preview to its end. */
  const faulty = async (name: string, fault: Fault): Promise<RunRow> => {
    f.lab.device(name).options.faults.add(fault);
    const looked = await preview({ devices: [name] });
    expect(looked.state, rowOf(looked, name).detail).to.equal('previewed');
    const run = await go(looked.id, 1);
    f.lab.device(name).options.faults.clear();
    return rowOf(run, name);
  };
  const well = async (name: string) => {
    expect((await go((await preview({ devices: [name] })).id, 1)).counts).to.deep.equal({ 'brought over': 1 });
    expect(await drift(name)).to.include({ lines: 0, unkept: 0 });
  };

  it('undoes in the session that stands what would have locked it out, whatever the dialect', async () => {
    await set('time.servers', ['10.77.0.6', '10.77.0.8', '10.77.0.9']);
    await publish(f.all);
    for (const name of ['har-acc-6', 'har-xr-1', 'har-wb-1']) {
      const before = [printed(name), kept(name)];
      const row = await faulty(name, 'shuts-door');
      expect(row.outcome, row.detail).to.equal('turned down');
      expect(row.detail).to.match(/^a second sign-in failed: .*; it was undone$/);
      expect(printed(name).split('\n').sort()).to.deep.equal(before[0]?.split('\n').sort());
      expect(kept(name)).to.equal(before[1]);
      await f.lab.device(name).off();
      f.lab.device(name).on();
      await well(name);
    }
  });

  it('says where a session ended midway, and goes on from there the next time', async () => {
    await set('time.servers', ['10.77.0.2', '10.77.0.3', '10.77.0.4']);
    await publish(['har-acc-7', 'har-acc-8', 'har-xr-3']);
    const cut = await faulty('har-acc-7', 'cut-off');
    expect(cut.outcome).to.equal('stopped midway');
    expect(cut.detail).to.contain('the session ended after "');
    await well('har-acc-7');
    // A draft that nobody put in force leaves nothing behind.
    const before = printed('har-xr-3');
    const restarted = await faulty('har-xr-3', 'restarts-midway');
    expect(restarted.outcome).to.equal('stopped midway');
    await eventually('it runs again', () => Promise.resolve(f.lab.device('har-xr-3').isOn), { limitMs: 5000 });
    expect(printed('har-xr-3')).to.equal(before);
    await well('har-xr-3');
    const prompt = await faulty('har-acc-8', 'other-prompt');
    expect(prompt.outcome).to.equal('stopped midway');
    await f.lab.device('har-acc-8').off();
    f.lab.device('har-acc-8').on();
    await well('har-acc-8');
  });

  it('names what runs and could not be stored, and stores it the next time', async () => {
    await set('time.servers', ['10.77.0.5']);
    await publish(['har-acc-7']);
    const row = await faulty('har-acc-7', 'no-room');
    expect(row).to.include({ outcome: 'stopped midway', detail: 'it runs, and is not kept: no room in flash' });
    expect(await drift('har-acc-7')).to.include({ lines: 0, unkept: 4 });
    await well('har-acc-7');
  });

  it('finds the same on a device that writes otherwise, and brings it there', async () => {
    f.lab.device('har-acc-1').options.faults.add('own-spelling');
    await publish(['har-acc-1']);
    await well('har-acc-1');
    expect((await preview({ devices: ['har-acc-1'] })).counts).to.deep.equal({ 'already right': 1 });
    f.lab.device('har-acc-1').options.faults.clear();
  });

  it('says which port is live in the lines and dark on the device, and who is not heard any more', async () => {
    const hears = [{ on: '1/2', neighbour: 'har-xr-1', port: 'cu2', mac: '02:00:00:ca:fe:01', vlan: 316 }];
    await paste(f.client, 'furrow', [addDevice(f.lab, 'furrow', 20, { hears })]);
    await acquainted(f.client, 'name=har-acc-20');
    await publish(['har-acc-20']);
    const dark = await faulty('har-acc-20', 'dark-port');
    expect(dark.outcome).to.equal('dark on the device');
    expect(dark.detail).to.equal(
      '3 lines there now, 1 line gone; socket 1/2 was live before, and is dark now: its state is down: no link; har-xr-1 cu2 was heard on 1/2, and is not any more',
    );
    // It runs and is kept as it should be: what is wrong is not in the lines.
    expect(await drift('har-acc-20')).to.include({ lines: 0, unkept: 0 });
    f.lab.furrow('har-acc-20').memory.take(['socket 1/2'], 'about "by hand"');
    await well('har-acc-20');
  });

  it('waits for what its lines stand on, and says how long where that never comes', async () => {
    await f.client.edit('template', 'plain-furrow', { source: templates.furrow.replace('desk of', 'window of') });
    await publish(['har-acc-7']);
    const row = await faulty('har-acc-7', 'starts-late');
    expect(row.outcome, row.detail).to.equal('brought over');
    expect(printed('har-acc-7')).to.contain('about "window of har-acc-7"');
    // What was tried several times is told once.
    const sent = row.errand?.sent.filter(({ command }) => command === 'socket 1/2') ?? [];
    expect(sent.map(({ refused }) => refused)).to.deep.equal([null]);
    await f.client.edit('template', 'plain-furrow', { source: templates.furrow });
    await publish(['har-acc-7']);
    await well('har-acc-7');
  });

  it('says why an address is dark: its VLAN is on no live port', async () => {
    await f.client.edit('template', 'plain-furrow', {
      source: `${templates.furrow}@part "staff" owns "face lane 316"\nface lane 316\n  at 10.77.17.7/24\n@end\n`,
    });
    await publish(['har-acc-7']);
    const row = await faulty('har-acc-7', 'lane-nowhere');
    expect(row.outcome).to.equal('dark on the device');
    expect(row.detail).to.contain(
      '10.77.17.7/24 is on lane 316, which is dark: VLAN 316 is on no live port: 1/1, 1/2, 1/3, 1/4',
    );
    await f.client.edit('template', 'plain-furrow', { source: templates.furrow });
    await publish(['har-acc-7']);
    // Nobody answers for it any more: it is left alone.
    expect((await preview({ devices: ['har-acc-7'] })).counts).to.deep.equal({ 'already right': 1 });
  });

  it('sends a secret that a device hides only when that is asked for, and says that it could not be told', async () => {
    const withAccount = (password: string) =>
      `${templates.furrow}@part "people" owns "account visitor"\naccount visitor\n  phrase plain ${password}\n@end\n`;
    await f.client.edit('template', 'plain-furrow', { source: withAccount('first-boat') });
    await publish(['har-acc-7']);
    await well('har-acc-7');
    await f.client.edit('template', 'plain-furrow', { source: withAccount('second-boat') });
    await publish(['har-acc-7']);
    f.lab.device('har-acc-7').options.faults.add('hides-secrets');
    const plain = await preview({ devices: ['har-acc-7'] });
    expect(rowOf(plain, 'har-acc-7').outcome).to.equal('already right');
    expect(rowOf(plain, 'har-acc-7').detail).to.contain('not comparable');
    expect(printed('har-acc-7')).to.contain('first-boat');
    const asked = await preview({ devices: ['har-acc-7'], secrets: true });
    expect(asked.toDo).to.equal(1);
    const done = rowOf(await go(asked.id, 1), 'har-acc-7');
    expect(done.outcome, done.detail).to.equal('brought over');
    expect(printed('har-acc-7')).to.contain('second-boat').and.not.to.contain('first-boat');
    expect(JSON.stringify(done)).to.not.contain('second-boat');
    f.lab.device('har-acc-7').options.faults.clear();
    await f.client.edit('template', 'plain-furrow', { source: templates.furrow });
    await publish(['har-acc-7']);
  });

  it('refuses to cut the way in, unless somebody insists with a reason', async () => {
    await f.client.edit('template', 'plain-furrow', {
      source: `${templates.furrow}@part "shell"\nshell off\n@end\n`,
    });
    await publish(['har-acc-4']);
    const run = await preview({ devices: ['har-acc-4'] });
    expect(run.rows[0]).to.include({ outcome: 'turned down' });
    expect(run.rows[0]?.detail).to.equal(
      'the service would not get in any more: SSH would be off; nothing is sent unless somebody insists',
    );
    await f.client.edit('template', 'plain-furrow', { source: templates.furrow });
    const twice = `${templates.furrow}@part "more"\njournal to 10.77.0.99\n@end\n`;
    await f.client.edit('template', 'plain-furrow', { source: twice });
    const fault = await refusal(f.client.call('edition.make', { params: { ref: 'har-acc-4' }, body: { apply: true } }));
    expect(fault).to.include({ code: 'parts-own-twice' });
    expect(fault.detail).to.contain(
      'parts "log" and "more" of template plain-furrow both answer for "journal to 10.77.0.99"',
    );
    await f.client.edit('template', 'plain-furrow', { source: templates.furrow });
  });

  it('leaves out what has no edition, and refuses where nothing has one', async () => {
    await f.client.add('device', { name: 'har-acc-99', dialect: 'furrow' });
    expect((await refusal(preview({ devices: ['har-acc-99'] }))).code).to.equal('push-no-edition');
    const run = await preview({ devices: ['har-acc-99', 'har-acc-7'] });
    expect(rowOf(run, 'har-acc-99')).to.include({ outcome: 'left out', detail: 'it has no published edition' });
    expect(await drift('har-acc-99')).to.equal(null);
    expect((await refusal(f.clients.viewer.call('run.push', { body: { devices: ['har-acc-7'] } }))).status).to.equal(
      403,
    );
  });
});
