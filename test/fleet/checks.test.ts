/** What is asserted about devices: judged by what they say, by what was captured and by the records, and never by hope. */
import { expect } from 'chai';
import { checkCounts, checkResults, saveJudged } from '../../service/app/checks/results.ts';
import { find } from '../../service/store/records.ts';
import { readOnly, transact } from '../../service/store/transact.ts';
import type { Tx } from '../../service/store/tx.ts';
import { planChecks } from '../../service/app/checks/runs.ts';
import { actor, refusal } from '../service.ts';
import { expectStatements } from '../statements.ts';
import { acquainted, addDevice, fleet, paste, PASS, rowOf, settled, USER, type Fleet } from './bench.ts';

describe('checks', function () {
  this.timeout(120_000);
  let f: Fleet;
  const set = (setting: string, value: string | string[], of?: string) =>
    f.client.call('value.put', {
      body: { setting, ...(of === undefined ? { layer: 'everywhere' } : { layer: 'device', of }), mode: 'set', value },
    });
  const run = async (body: object = {}) => settled(f.client, await f.client.call('run.check', { body }));
  const errand = async (device: string, lines: string, keep = true) => {
    const made = await settled(
      f.client,
      await f.client.call('run.errand', { body: { devices: [device], lines, keep } }),
    );
    return settled(f.client, await f.client.call('run.go', { params: { id: String(made.id) }, body: { count: 1 } }));
  };
  const results = async (query: object) => (await f.client.call('check.results', { query })).items;
  const stateOf = async (check: string, device: string) => {
    const [one] = await results({ check, device });
    return one && { state: one.state, found: one.findings.length > 0 ? one.findings : one.why };
  };
  const judgedOf = (ran: Awaited<ReturnType<typeof run>>, device: string, check: string) =>
    rowOf(ran, device).judged?.find((one) => one.check === check);

  before(async () => {
    f = await fleet({ furrow: 3, quill: 1, shale: 1 });
    await acquainted(f.client);
    await set('time.servers', ['10.77.0.5', '10.77.0.6']);
  });
  after(() => f.end());

  it('are refused with every fault of text, selection and remedy, with place and the likely word', async () => {
    const add = (more: object) => refusal(f.client.add('check', { name: 'odd', title: 'Odd', source: 'x\n', ...more }));
    const problem = await add({
      source: '@for row of answers.interfces\n@{row.nonsense}\n@end\n',
      devices: 'dutty=access',
      remedy: 'setting',
    });
    expect(problem.errors?.map(({ pointer, code }) => `${pointer} ${code}`)).to.deep.equal([
      '/source check-question',
      '/devices where-syntax',
      '/remedyWith check-remedy',
    ]);
    expect(problem.errors?.[0]?.remedy).to.equal('did you mean answers.interfaces?');
    expect((await add({ source: '@{setz.time}\n' })).detail).to.contain('did you mean "set"?');
    expect((await add({ source: '@for q, rows of answers\n@end\n' })).code).to.equal('check-answers');
    expect((await add({ remedy: 'setting', remedyWith: 'time.servres' })).code).to.equal('check-setting');
    expect((await add({ remedy: 'errand' })).code).to.equal('check-remedy');
    expect((await add({ hour: 24 })).code).to.equal('value-high');
    expect((await refusal(f.client.call('run.check', { body: {} }))).remedy).to.contain('zpine check take-shipped');
  });

  it('ship as a set, entered once, and are records like any other', async () => {
    const { added } = await f.client.call('check.takeShipped', { body: {} });
    expect(added).to.have.members([
      'time-servers',
      'ssh-only',
      'no-live-port-without-cable',
      'gateway-seen',
      'no-factory-login',
      'software-version',
      'kept',
      'vlans-end-to-end',
    ]);
    await f.client.edit('check', 'kept', { title: 'Keeps' });
    const again = await f.client.call('check.takeShipped', { body: {} });
    expect(again).to.deep.include({ added: [] });
    expect(again.standing).to.have.length(8);
    expect((await f.client.show('check', 'kept')).title).to.equal('Keeps');
    const unknown = await refusal(f.client.call('check.takeShipped', { body: { checks: ['keept'] } }));
    expect(unknown.detail).to.contain('keept');
  });

  it('are judged by what devices say, and say not known where nobody can tell', async () => {
    const ran = await run();
    expect(ran.expected).to.equal(5);
    expect(judgedOf(ran, 'har-acc-1', 'time-servers')?.state).to.equal('holds');
    expect(judgedOf(ran, 'har-acc-1', 'kept')?.state).to.equal('holds');
    expect(judgedOf(ran, 'har-acc-1', 'ssh-only')?.state).to.equal('holds');
    expect(judgedOf(ran, 'har-wb-1', 'ssh-only')).to.include({
      state: 'unknown',
      why: 'its dialect does not tell which lines open another way in',
    });
    expect(judgedOf(ran, 'har-acc-1', 'software-version')?.why).to.contain('no version is wanted');
    expect(judgedOf(ran, 'har-acc-1', 'no-factory-login')?.why).to.contain('access.factory-user');
    expect(judgedOf(ran, 'har-acc-1', 'gateway-seen')?.why).to.contain('no gateway');
    expect(rowOf(ran, 'har-acc-1').outcome).to.equal('not known');
  });

  it('find what is not so, on Today in one row a check, with since when', async () => {
    await errand('har-acc-1', 'bare on\naccount lark\n  phrase plain first-light\n- clock follow 10.77.0.6', false);
    for (const [name, value] of [
      ['software.version', '9.9'],
      ['access.factory-user', 'lark'],
      ['access.factory-password', 'first-light'],
    ] as const)
      await set(name, value);
    const ran = await run({ where: 'dialect=furrow' });
    expect(rowOf(ran, 'har-acc-1').outcome).to.equal('does not hold');
    expect(await stateOf('ssh-only', 'har-acc-1')).to.deep.equal({
      state: 'broken',
      found: ['another way in is open: bare on'],
    });
    expect(await stateOf('time-servers', 'har-acc-1')).to.deep.equal({
      state: 'broken',
      found: ['does not follow 10.77.0.6'],
    });
    expect(await stateOf('no-factory-login', 'har-acc-1')).to.deep.equal({
      state: 'broken',
      found: ['lets in whoever has the factory login of its model, user lark'],
    });
    expect(await stateOf('no-factory-login', 'har-acc-2')).to.deep.equal({ state: 'holds', found: '' });
    expect((await stateOf('software-version', 'har-acc-2'))?.found).to.deep.equal(['runs 2.4.1, wanted is 9.9']);
    expect((await stateOf('kept', 'har-acc-1'))?.found).to.deep.equal([
      'runs, and is not stored: bare on',
      'runs, and is not stored: account lark',
      'runs, and is not stored: account lark / phrase plain ••••••',
      'is stored, and does not run: clock follow 10.77.0.6',
    ]);
    const { items } = await f.client.call('today', {});
    const told = items.filter(({ code }) => code === 'check' || code === 'check-failure');
    expect(told.map(({ code, key, detail }) => [code, key, detail])).to.have.deep.members([
      ['check-failure', 'ssh-only', 'On har-acc-1: another way in is open: bare on.'],
      [
        'check-failure',
        'no-factory-login',
        'On har-acc-1: lets in whoever has the factory login of its model, user lark.',
      ],
      ['check', 'time-servers', 'On har-acc-1: does not follow 10.77.0.6.'],
      ['check', 'software-version', 'On 3 devices; on har-acc-1: runs 2.4.1, wanted is 9.9.'],
    ]);
    const [first] = await results({ check: 'ssh-only', device: 'har-acc-1' });
    await run({ devices: ['har-acc-1'], checks: ['ssh-only'] });
    const [again] = await results({ check: 'ssh-only', device: 'har-acc-1' });
    expect(again?.since).to.equal(first?.since);
    expect(again?.judgedAt).to.not.equal(first?.judgedAt);
    const { items: past } = await f.client.call('check.past', { query: { check: 'ssh-only', device: 'har-acc-1' } });
    expect(past.map(({ state }) => state)).to.deep.equal(['broken', 'holds']);
    const { items: broken } = await f.client.list('device', { where: 'breaks=ssh-only' });
    expect(broken.map(({ key }) => key)).to.deep.equal(['har-acc-1']);
  });

  it('tell no secret: neither in findings, nor one that a check tries to print', async () => {
    await f.client.add('check', {
      name: 'talkative',
      title: 'Prints what it should not',
      source: 'sign in with @{set.access.password ?? "nothing"}\n@for line of running.lines\n@{line}\n@end\n',
    });
    await run({ devices: ['har-acc-1', 'har-wb-1'], checks: ['talkative'] });
    const whole = JSON.stringify(await results({ check: 'talkative' }));
    for (const secret of [PASS, 'first-light']) expect(whole).to.not.contain(secret);
    expect(whole).to.contain('account lark / phrase plain ••••••');
    await f.client.remove('check', 'talkative');
  });

  it('excepts a device until a day, with its reason, and no longer', async () => {
    const key = 'ssh-only/har-acc-1';
    const fields = { check: 'ssh-only', device: 'har-acc-1', until: '2999-12-31', why: 'until the old console goes' };
    expect((await refusal(f.client.add('exception', { ...fields, until: '2020-01-01' }))).code).to.equal(
      'exception-over',
    );
    expect((await refusal(f.client.add('exception', { ...fields, until: '2999-02-30' }))).detail).to.equal(
      '"2999-02-30" is no day',
    );
    await f.client.add('exception', fields);
    const [one] = await results({ check: 'ssh-only', device: 'har-acc-1' });
    expect(one).to.deep.include({ state: 'excepted', until: '2999-12-31', because: fields.why, command: '' });
    const codes = async () => (await f.client.call('today', {})).items.map((item) => item.key);
    expect(await codes()).to.not.include('ssh-only');
    const { items: broken } = await f.client.list('device', { where: 'breaks=ssh-only' });
    expect(broken).to.have.length(0);
    await transact(f.store, actor, 'test', (tx) =>
      tx.execute("UPDATE exception SET until = '2020-01-01' WHERE natural_key = ?", [key]),
    );
    expect((await stateOf('ssh-only', 'har-acc-1'))?.state).to.equal('broken');
    expect(await codes()).to.include('ssh-only');
    await f.client.remove('exception', key);
  });

  it('hold both ends of cables against each other, by what each runs', async () => {
    await f.client.add('cable', { from: 'har-acc-2:1/1', to: 'har-acc-3:1/1' }).catch(async () => {
      for (const device of ['har-acc-2', 'har-acc-3'])
        for (const name of ['1/1', '1/2']) await f.client.add('port', { device, name });
      await f.client.add('cable', { from: 'har-acc-2:1/1', to: 'har-acc-3:1/1' });
    });
    await errand('har-acc-2', 'socket 1/1\n  lanes 304,316,328');
    await errand('har-acc-3', 'socket 1/1\n  lanes 304,316');
    await run({ devices: ['har-acc-2', 'har-acc-3'], checks: ['vlans-end-to-end'] });
    expect((await stateOf('vlans-end-to-end', 'har-acc-2'))?.found).to.include(
      'VLAN 328 ends at har-acc-3: carried on 1/1, and not on its 1/1',
    );
    expect((await stateOf('vlans-end-to-end', 'har-acc-3'))?.found).to.include(
      'VLAN 328 ends here: carried by har-acc-2 on its 1/1, and not on 1/1',
    );
  });

  it('say no contact of who cannot be reached, and judge by what is known where that is asked for', async () => {
    await f.lab.device('har-acc-3').off();
    const ran = await run({ devices: ['har-acc-3'], checks: ['kept', 'software-version'] });
    expect(rowOf(ran, 'har-acc-3').outcome).to.equal('no contact');
    expect(judgedOf(ran, 'har-acc-3', 'kept')?.why).to.match(/^no contact: /);
    expect((await stateOf('kept', 'har-acc-3'))?.state).to.equal('unknown');
    const known = await run({ devices: ['har-acc-3'], checks: ['kept', 'software-version'], captured: true });
    expect(judgedOf(known, 'har-acc-3', 'kept')?.state).to.equal('holds');
    expect(judgedOf(known, 'har-acc-3', 'software-version')).to.include({
      state: 'unknown',
      why: 'the device was not asked for its version',
    });
    f.lab.device('har-acc-3').on();
  });

  it('forget what another text found, and devices that they are for no more', async () => {
    await f.client.edit('check', 'software-version', { devices: 'dialect=quill' });
    expect(await results({ check: 'software-version' })).to.have.length(0);
    const { items } = await f.client.call('check.counts', { query: {} });
    expect(items.find(({ check }) => check === 'software-version')).to.include({ devices: 1, unjudged: 1, holds: 0 });
    const kept = items.find(({ check }) => check === 'kept');
    expect(kept).to.include({ devices: 5, unjudged: 0 });
    expect((kept?.holds ?? 0) + (kept?.broken ?? 0) + (kept?.unknown ?? 0)).to.equal(5);
  });

  it('save nothing of a text that was edited while it was judged', async () => {
    const before = await f.client.show('check', 'kept');
    const made = await transact(f.store, actor, 'test', async (tx) => {
      const [device] = await find(tx, 'device', { name: 'har-acc-2' });
      await saveJudged(tx, device?.id ?? 0, null, [
        {
          id: before.id,
          version: before.version - 1,
          check: 'kept',
          state: 'broken',
          findings: ['of another text'],
          why: '',
        },
      ]);
      return device;
    });
    expect(made).to.include({ key: 'har-acc-2' });
    expect(JSON.stringify(await results({ check: 'kept', device: 'har-acc-2' }))).to.not.contain('of another text');
  });

  it('are planned at their hour, once a day, whoever plans, and not for an hour that is over when it is named', async () => {
    const planned = (day: string, hour: number) =>
      transact(f.store, actor, 'plan', (tx) => planChecks(tx, { day, hour }));
    expect(await planned('2999-01-01', 23)).to.deep.equal([]);
    await f.client.edit('check', 'kept', { hour: 6 });
    expect(await planned('2999-01-01', 5)).to.deep.equal([]);
    const both = await Promise.all([planned('2999-01-01', 6), planned('2999-01-01', 6)]);
    expect(both.flat()).to.have.length(1);
    expect(both.flat()[0]).to.deep.include({ kind: 'check', expected: 5 });
    expect(await planned('2999-01-01', 7)).to.deep.equal([]);
    expect(await planned('2999-01-02', 9)).to.have.length(1);
    const { day, hour } = { day: new Date().toLocaleDateString('sv'), hour: new Date().getHours() };
    await f.client.edit('check', 'ssh-only', { hour: 0 });
    expect((await planned(day, hour)).flatMap(({ title }) => title)).to.not.include('ssh-only');
  });

  it('are tried before they are saved, by what is known, with faults in their places', async () => {
    const attempt = (source: string) => f.client.call('check.try', { body: { source, device: 'har-acc-1' } });
    expect(await attempt('@for line of running.doors\nopen: @{line}\n@end\n')).to.deep.include({
      faults: [],
      state: 'broken',
      findings: ['open: bare on'],
    });
    expect((await attempt('@{nothing.here}\n')).faults[0]).to.include({ line: 1, column: 3 });
    expect(await attempt('@for row of answers.arp\n@end\n')).to.deep.include({
      state: 'unknown',
      why: 'the device was not asked for its arp',
      questions: ['arp'],
    });
  });

  it('let viewers read and not judge; CSV and what devices are told stay the same for many', async () => {
    const viewer = f.clients.viewer;
    expect((await viewer.call('check.results', { query: {} })).items.length).to.be.greaterThan(5);
    expect((await refusal(viewer.call('run.check', { body: {} }))).status).to.equal(403);
    expect((await refusal(viewer.call('check.try', { body: { source: '', device: 'har-acc-1' } }))).status).to.equal(
      403,
    );
    for (let n = 4; n <= 9; n += 1) addDevice(f.lab, 'furrow', n);
    await paste(f.client, 'furrow', ['har-acc-4', 'har-acc-5', 'har-acc-6', 'har-acc-7', 'har-acc-8', 'har-acc-9']);
    const read = <T>(work: (tx: Tx) => Promise<T>) => readOnly(f.store, actor, work);
    await expectStatements(f.store, 12, () => read((tx) => checkResults(tx, { limit: 500 })));
    await expectStatements(f.store, 30, () => read((tx) => checkCounts(tx, {})));
  });

  it('go with their device, and with themselves; what was found goes along', async () => {
    // In the midst of a run that has to do with it.
    const made = await f.client.call('run.check', { body: {} });
    await f.client.remove('device', 'har-wb-1');
    expect((await settled(f.client, made, 15_000)).state).to.equal('ended');
    expect(await results({ check: 'kept' }).then((all) => all.map(({ device }) => device))).to.not.include('har-wb-1');
    await f.client.remove('check', 'kept');
    expect((await f.client.call('check.results', { query: {} })).items.map(({ check }) => check)).to.not.include(
      'kept',
    );
    expect(USER).to.be.a('string');
  });
});
