/** Errands and asks with a name: blanks typed and out of tables, fragments, expectations, an hour of the day. */
import { expect } from 'chai';
import { planRoutines } from '../../service/app/routines/plan.ts';
import { transact } from '../../service/store/transact.ts';
import { actor, refusal } from '../service.ts';
import { acquainted, fleet, rowOf, settled, type Fleet } from './bench.ts';

describe('routines', function () {
  this.timeout(60_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 3, quill: 1, shale: 1 });
    await acquainted(f.client);
    await f.client.call('routine.takeShipped', { body: {} });
  });
  after(() => f.end());

  const run = async (ref: string, body: object) =>
    settled(f.client, await f.client.call('routine.run', { params: { ref }, body }));
  const go = async (made: { id: number; toDo: number }) =>
    settled(f.client, await f.client.call('run.go', { params: { id: String(made.id) }, body: { count: made.toDo } }));
  const wrong = (ref: string, body: object) => refusal(f.client.call('routine.run', { params: { ref }, body }));
  const lines = (name: string) => f.lab.device(name).print();

  it('ship for every dialect, once, and every one of them has no fault', async () => {
    const { items } = await f.client.call('routine.shipped');
    expect(items.every(({ entered }) => entered)).to.equal(true);
    expect(new Set(items.map(({ dialect }) => dialect))).to.deep.equal(new Set(['furrow', 'quill', 'shale', 'any']));
    const again = await f.client.call('routine.takeShipped', { body: {} });
    expect(again).to.deep.equal({ added: [], standing: items.map(({ name }) => name) });
  });

  it('fill in blanks that are typed, and names of templates in them', async () => {
    const made = await run('furrow-desk-port', {
      devices: ['har-acc-1'],
      blanks: { port: '1/2', vlan: '352', about: 'desk of @{device.name}' },
    });
    expect(made).to.include({
      state: 'previewed',
      toDo: 1,
      title: 'furrow-desk-port: Puts a port into a VLAN, and switches it on',
    });
    const done = await go(made);
    expect(rowOf(done, 'har-acc-1').outcome).to.equal('brought over');
    expect(lines('har-acc-1')).to.contain('socket 1/2\n  about "desk of har-acc-1"\n  lane 352\n');
  });

  it('fill them in from a table: heads as people write them, several rows a device, devices by address', async () => {
    const text = 'Switch\tPort\tVLAN\tremark\nhar-acc-1\t1/3\t352\tx\nhar-acc-1\t1/4\t352\t\n10.77.96.12\t1/3\t352\t\n';
    const done = await go(await run('furrow-desk-port', { perDevice: { text } }));
    expect(done.counts).to.deep.equal({ 'brought over': 2 });
    for (const port of ['1/3', '1/4'])
      expect(lines('har-acc-1')).to.contain(`socket ${port}\n  about "desk"\n  lane 352`);
    expect(lines('har-acc-2')).to.contain('socket 1/3\n  about "desk"\n  lane 352');
  });

  it('tell all that is wrong with a table, by row and column, and reach no device', async () => {
    const before = (await f.client.call('run.list', { query: {} })).items.length;
    const text = 'device,port,vlan\nhar-acc-1,1/3,\nhar-acc-2,1/3,5000\n';
    expect(
      (await wrong('furrow-desk-port', { perDevice: { text } })).errors?.map(({ detail }) => detail),
    ).to.deep.equal(['row 2, column "vlan": nothing stands there', 'row 3, column "vlan": "5000": the most is 4094']);
    const columns = await wrong('furrow-desk-port', { perDevice: { text: 'device,prot,vlan\nhar-acc-1,1/3,352\n' } });
    expect(columns.errors?.[0]).to.include({ code: 'routine-column' });
    expect(columns.remedy).to.contain('port');
    const none = await wrong('furrow-desk-port', { perDevice: { text: 'device,socket\nhar-acc-1,1/3\n' } });
    expect(none.errors?.map(({ detail }) => detail)).to.deep.equal([
      'there is no column for port of furrow-desk-port; there is socket',
      'there is no column for vlan of furrow-desk-port; there is socket',
    ]);
    expect(
      (await wrong('furrow-desk-port', { devices: ['har-xr-1'], blanks: { port: '1', vlan: '1' } })).code,
    ).to.equal('routine-outside');
    expect((await f.client.call('run.list', { query: {} })).items).to.have.length(before);
  });

  it('take a selection to those that they are for', async () => {
    const made = await run('furrow-log-server', {
      where: 'site=none',
      everything: true,
      blanks: { server: '10.77.0.8' },
    });
    expect(made.rows.map(({ device }) => device)).to.deep.equal(['har-acc-1', 'har-acc-2', 'har-acc-3']);
    const whole = await run('furrow-log-server', { blanks: { server: '10.77.0.8' } });
    expect(whole.expected).to.equal(3);
  });

  it('ask: named questions with blanks and commands, each device its own', async () => {
    await f.client.add('routine', {
      name: 'way-to',
      title: 'Which way leads there',
      does: 'ask',
      blanks: 'address: { is: address }',
      source: '# of each its own\nquestion version\nquestion route address=@{blank.address}\n',
    });
    const text = 'device,address\nhar-acc-1,10.77.96.1\nhar-xr-1,192.0.2.1\nhar-wb-1,192.0.2.2\n';
    const asked = await run('way-to', { perDevice: { text } });
    expect(asked.counts).to.deep.equal({ answered: 3 });
    expect(rowOf(asked, 'har-acc-1').answers?.map((one) => one.ask)).to.deep.equal([
      'version',
      'route address=10.77.96.1',
    ]);
    expect(rowOf(asked, 'har-wb-1').answers?.[1]?.rows[0]).to.include({ prefix: 'default', gateway: '10.77.98.1' });
    const fields = { name: 'changes', title: 'Would change', does: 'ask' as const, source: 'plough\n' };
    await f.client.add('routine', fields);
    expect((await wrong('changes', { devices: ['har-acc-1'] })).code).to.equal('ask-changes');
  });

  it('insert fragments, and are not saved with a fault', async () => {
    const source = 'journal to 10.77.0.7\njournal to @{blank.second}\n';
    await f.client.add('template', { name: 'two-logs', fragment: true, source });
    await f.client.add('routine', {
      name: 'logs',
      title: 'Two logs',
      devices: 'dialect=furrow',
      blanks: 'second: { is: address }',
      source: '@insert "two-logs"\n',
    });
    const made = await run('logs', { devices: ['har-acc-3'], blanks: { second: '10.77.0.9' } });
    expect(rowOf(made, 'har-acc-3').errand?.steps.map(({ line }) => line)).to.deep.equal([
      'journal to 10.77.0.7',
      'journal to 10.77.0.9',
    ]);
    const faulty = async (more: object) =>
      (await refusal(f.client.add('routine', { name: 'faulty', title: 'Faulty', source: 'x\n', ...more }))).errors?.map(
        ({ code }) => code,
      );
    expect(await faulty({ source: '@{blank.vlna}\n', blanks: 'vlan: { is: number }' })).to.deep.equal([
      'routine-template',
    ]);
    expect(await faulty({ blanks: 'vlan: { is: nubmer }' })).to.deep.equal(['routine-blanks']);
    expect(await faulty({ blanks: 'vlan: [' })).to.include('routine-blanks');
    expect(await faulty({ questions: 'interfaces, vlns' })).to.deep.equal(['question-unknown']);
    expect(await faulty({ devices: 'sitte=har' })).to.have.length(1);
  });

  it('want nobody at an hour: usual values, a selection', async () => {
    const at = async (more: object) =>
      (
        await refusal(f.client.add('routine', { name: 'nightly', title: 'Nightly', source: 'x\n', hour: 3, ...more }))
      ).errors?.map(({ code }) => code);
    expect(await at({ devices: 'dialect=furrow', blanks: 'vlan: { is: number }' })).to.deep.equal(['routine-hour']);
    expect(await at({})).to.deep.equal(['routine-hour-devices']);
  });

  it('are run at their hour, once, whoever plans; and where more would be changed than is permitted, somebody is waited for', async () => {
    const clock = { day: '2030-01-01', hour: 4 };
    const add = (name: string, most: number, server: string) =>
      f.client.add('routine', {
        name,
        title: 'Log',
        devices: 'dialect=furrow',
        source: `journal to ${server}\n`,
        hour: 3,
        most,
      });
    await add('nightly', 3, '10.77.0.98');
    const [first] = await Promise.all(
      [1, 2].map(() => transact(f.store, actor, 'routine.due', (tx) => planRoutines(tx, clock))),
    );
    const runs = async () =>
      (await f.client.call('run.list', { query: { kind: 'errand' } })).items.filter(({ title }) =>
        title.startsWith('nightly'),
      );
    expect(first?.length === 1 || (await runs()).length === 1).to.equal(true);
    const [made] = await runs();
    if (!made) throw new Error('it was not begun');
    expect(await runs()).to.have.length(1);
    // It is looked at, and then done by itself.
    let ended = await settled(f.client, made);
    for (let i = 0; i < 100 && ended.state !== 'ended'; i += 1) {
      await new Promise((resolve) => setTimeout(resolve, 100));
      ended = await settled(f.client, made);
    }
    expect(ended.counts).to.deep.equal({ 'brought over': 3 });
    await add('nightly-few', 2, '10.77.0.99');
    const [few] = await transact(f.store, actor, 'routine.due', (tx) => planRoutines(tx, clock));
    if (!few) throw new Error('it was not begun');
    const waiting = await settled(f.client, few);
    expect(waiting).to.include({ state: 'previewed', toDo: 3 });
    expect(waiting.ended).to.equal(
      "3 devices would be changed, and its plan may change 2: it waits for somebody's word",
    );
    expect(lines('har-acc-1')).not.to.contain('10.77.0.99');
    expect((await go(waiting)).counts).to.deep.equal({ 'brought over': 3 });
  });
});
