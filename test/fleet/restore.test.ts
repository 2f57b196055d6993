/** What was captured is put back, by what differs or as a whole; devices are restarted and wiped. */
import { expect } from 'chai';
import type { RunRow } from '@zpine/contract/fleetShapes';
import { refusal } from '../service.ts';
import { acquainted, fleet, PASS, rowOf, settled, type Fleet } from './bench.ts';

describe('restores and operations', function () {
  this.timeout(120_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 3, quill: 2, shale: 2 });
    await acquainted(f.client);
    await f.client.call('value.put', {
      body: { setting: 'access.answer-seconds', layer: 'everywhere', mode: 'set', value: 5 },
    });
    await settled(f.client, await f.client.call('run.capture', { body: { where: 'stage!=retired' } }));
  });
  after(() => f.end());

  const printed = (name: string) => f.lab.device(name).print();
  const kept = (name: string) => f.lab.device(name).options.flash.kept;
  const captured = async (device: string, file: string) =>
    (await f.client.call('capture.list', { query: { device, file } })).items.at(-1)?.id ?? 0;
  const preview = async (body: Parameters<typeof restoreBody>[0]) =>
    settled(f.client, await f.client.call('run.restore', { body: restoreBody(body) }));
  const restoreBody = (body: { captures: number[]; whole?: boolean }) => body;
  const go = async (id: number, count: number) =>
    settled(f.client, await f.client.call('run.go', { params: { id: String(id) }, body: { count } }));
  const steps = (row: RunRow): string[] =>
    (row.errand?.steps ?? []).map(({ above, line, away }) => `${away ? '-' : '+'} ${[...above, line].join(' > ')}`);
  const lines = (text: string): string[] => text.split('\n').sort();

  it('put back by what differs alone, secrets and stored text included', async () => {
    const before = printed('har-acc-1');
    const { memory } = f.lab.furrow('har-acc-1');
    memory.take([], 'journal to 10.77.0.66');
    memory.strike([], 'clock follow 10.77.0.5');
    memory.strike(['socket 1/2'], 'about "desk 2"');
    memory.take(['account netops'], 'phrase plain another-one');
    memory.take(['account netops'], `phrase plain ${PASS}`);
    f.lab.device('har-acc-1').options.flash.kept = printed('har-acc-1');
    const run = await preview({ captures: [await captured('har-acc-1', 'running')] });
    expect(steps(rowOf(run, 'har-acc-1'))).to.have.members([
      '+ socket 1/2 > about "desk 2"',
      '+ clock follow 10.77.0.5',
      '- journal to 10.77.0.66',
    ]);
    const done = await go(run.id, 1);
    expect(done.counts).to.deep.equal({ 'brought over': 1 });
    expect(lines(printed('har-acc-1'))).to.deep.equal(lines(before));
    expect(kept('har-acc-1')).to.equal(printed('har-acc-1'));
    expect((await preview({ captures: [await captured('har-acc-1', 'stored')] })).counts).to.deep.equal({
      'already right': 1,
    });
    const back = await settled(
      f.client,
      await f.client.call('run.takeBack', { params: { id: String(run.id) }, body: {} }),
    );
    expect((await go(back.id, 1)).counts).to.deep.equal({ 'brought over': 1 });
    expect(printed('har-acc-1')).to.contain('journal to 10.77.0.66');
  });

  it('put back with their passwords: a capture shows dots, and the device gets what it had', async () => {
    const { memory } = f.lab.furrow('har-acc-2');
    memory.load(`account deck\n  phrase plain deep-water-9\n`);
    await settled(f.client, await f.client.call('run.capture', { body: { devices: ['har-acc-2'] } }));
    const [latest] = (await f.client.call('capture.list', { query: { device: 'har-acc-2', file: 'running' } })).items;
    expect((await f.client.call('capture.show', { params: { id: String(latest?.id) } })).text).not.to.contain(
      'deep-water-9',
    );
    memory.strike([], 'account deck');
    const run = await preview({ captures: [latest?.id ?? 0] });
    expect(JSON.stringify(run)).not.to.contain('deep-water-9');
    expect(JSON.stringify(await go(run.id, 1))).not.to.contain('deep-water-9');
    expect(printed('har-acc-2')).to.contain('phrase plain deep-water-9');
  });

  it('put back as a whole with a restart that must not store what runs first', async () => {
    const before = printed('har-xr-1');
    const change = await settled(
      f.client,
      await f.client.call('run.errand', {
        body: { devices: ['har-xr-1'], lines: 'log / server 10.77.0.66\n- clock / server 10.77.0.5' },
      }),
    );
    await go(change.id, 1);
    expect(printed('har-xr-1')).not.to.equal(before);
    const run = await preview({ captures: [await captured('har-xr-1', 'running')], whole: true });
    expect(run.rows[0]?.detail).to.match(/^put in as a whole, with a restart; \d lines differ$/);
    const done = await go(run.id, 1);
    expect(done.rows[0]?.outcome, done.rows[0]?.detail).to.equal('brought over');
    expect(done.rows[0]?.detail).to.match(
      /^put in as a whole, back after \d+ s; it runs and stores what was captured$/,
    );
    expect(lines(printed('har-xr-1'))).to.deep.equal(lines(before));
    expect(lines(kept('har-xr-1'))).to.deep.equal(lines(before));
    expect((await refusal(preview({ captures: [await captured('har-acc-3', 'running')], whole: true }))).code).to.equal(
      'restore-whole',
    );
  });

  it('put back files beside the configuration, binary ones too, with sizes and digests before and after', async () => {
    const licence = await captured('har-wb-1', 'licence');
    const host = f.lab.device('har-wb-1') as unknown as { memory: { licence: string } };
    const was = host.memory.licence;
    host.memory.licence = Buffer.from('wrong').toString('base64');
    const run = await preview({ captures: [licence] });
    expect(run.rows[0]?.detail).to.equal('1 file to be put back: licence');
    const done = await go(run.id, 1);
    expect(done.rows[0]?.outcome).to.equal('brought over');
    expect(done.rows[0]?.detail).to.match(/^licence: 5 B [0-9a-f]{12} before, \d+ B [0-9a-f]{12} now$/);
    expect(host.memory.licence).to.equal(was);
    expect((await preview({ captures: [licence] })).counts).to.deep.equal({ 'already right': 1 });
  });

  it('do not put in what would let nobody in any more, as a whole or by a restart, unless somebody insists', async () => {
    const name = 'har-xr-2';
    const shut = `${printed(name).replace('word plain', 'word sealed $6$x$').replace('netops', 'somebody')}`;
    const flash = f.lab.device(name).options.flash;
    const before = flash.kept;
    flash.kept = shut;
    await settled(f.client, await f.client.call('run.capture', { body: { devices: [name] } }));
    const [stored] = (await f.client.call('capture.list', { query: { device: name, file: 'stored', current: 'true' } }))
      .items;
    for (const whole of [true, false]) {
      const run = await preview({ captures: [stored?.id ?? 0], whole });
      expect(run.rows[0]?.outcome, run.rows[0]?.detail).to.equal('turned down');
      expect(run.rows[0]?.detail).to.contain('the service would not get in any more');
    }
    const body = { devices: [name], operation: 'restart' as const };
    const restart = await settled(f.client, await f.client.call('run.operation', { body }));
    expect(restart.rows[0]).to.include({ outcome: 'turned down' });
    expect(restart.rows[0]?.detail).to.match(/^what is stored would run: the service would not get in any more/);
    expect((await refusal(f.client.call('run.operation', { body: { ...body, insist: true } }))).code).to.equal(
      'insist-reason',
    );
    expect(f.lab.device(name).log.filter(({ text }) => text === 'power on')).to.have.length(1);
    flash.kept = before;
    const wipe = { devices: ['har-acc-3'], operation: 'wipe' as const, hours: 2 };
    expect((await refusal(f.client.call('run.operation', { body: wipe }))).code).to.equal('edition-none');
  });

  it('never make a secret of the stars that a device showed in its place', async () => {
    const device = f.lab.furrow('har-acc-3');
    device.memory.load('account deck\n  phrase plain deep-water-9\n');
    device.options.faults.add('hides-secrets');
    await settled(f.client, await f.client.call('run.capture', { body: { devices: ['har-acc-3'] } }));
    const [latest] = (await f.client.call('capture.list', { query: { device: 'har-acc-3', file: 'running' } })).items;
    device.memory.strike([], 'account deck');
    const run = await preview({ captures: [latest?.id ?? 0] });
    expect(run.rows[0]).to.include({ outcome: 'turned down' });
    expect(run.rows[0]?.detail).to.match(
      /^"account deck > phrase plain \*+" holds what was shown in place of a secret/,
    );
    device.options.faults.clear();
  });

  it('refuse two texts for one device, and captures that are not there', async () => {
    const captures = [await captured('har-acc-3', 'running'), await captured('har-acc-3', 'stored')];
    expect((await refusal(preview({ captures }))).errors?.[0]?.code).to.equal('restore-twice');
    expect((await refusal(preview({ captures: [999_999] }))).errors?.[0]?.code).to.equal('not-found');
  });

  it('restart devices: what is not stored is said first, and they are waited for', async () => {
    f.lab.furrow('har-acc-3').memory.take([], 'lane 999');
    const operation = (body: { devices: string[]; operation: 'restart' | 'wipe'; hours?: number }) =>
      f.client.call('run.operation', { body });
    const run = await settled(
      f.client,
      await operation({ devices: ['har-acc-3', 'har-xr-2', 'har-wb-2'], operation: 'restart' }),
    );
    expect({ state: run.state, toDo: run.toDo }).to.deep.equal({ state: 'previewed', toDo: 3 });
    expect(rowOf(run, 'har-acc-3').detail).to.equal(
      'would restart; 1 line of what runs is not stored so, and would be as stored',
    );
    expect(rowOf(run, 'har-xr-2').detail).to.equal('would restart');
    const done = await go(run.id, 3);
    expect(done.counts, JSON.stringify(done.rows.map(({ detail }) => detail))).to.deep.equal({ done: 3 });
    expect(rowOf(done, 'har-acc-3').detail).to.match(/^restarted, and back after \d+ s$/);
    expect(printed('har-acc-3')).not.to.contain('lane 999');
    // The question of the router was answered with no: what was stored is what runs.
    expect(f.lab.device('har-xr-2').log.filter(({ text }) => text === 'power on')).to.have.length(2);
    expect((await refusal(operation({ devices: ['har-wb-2'], operation: 'wipe' }))).code).to.equal('operation-unknown');
    const taken = refusal(f.client.call('run.takeBack', { params: { id: String(done.id) }, body: {} }));
    expect((await taken).code).to.equal('run-other-kind');
  });

  it('wipe devices, which then have nothing stored', async () => {
    const run = await settled(
      f.client,
      await f.client.call('run.operation', { body: { devices: ['har-acc-2'], operation: 'wipe' } }),
    );
    const done = await go(run.id, 1);
    expect(done.rows[0]).to.include({ outcome: 'done', detail: 'its memory is empty, and it restarts' });
    expect(kept('har-acc-2')).to.equal('');
  });
});
