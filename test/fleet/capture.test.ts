/** Captures of three dialects: a version only when something changed, secrets masked, search, differences, schedule. */
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { readOnly } from '../../service/store/transact.ts';
import { dropOldCaptures } from '../../service/app/fleet/captures.ts';
import { transact } from '../../service/store/transact.ts';
import { eventually } from '../../trials/eventually.ts';
import { actor } from '../service.ts';
import { acquainted, fleet, rowOf, settled, type Fleet } from './bench.ts';

describe('capturing the fleet', function () {
  this.timeout(60_000);
  let f: Fleet;
  const folder = mkdtempSync(join(tmpdir(), 'zpine-captures-'));
  const git = (...args: string[]) => spawnSync('git', ['-C', folder, ...args], { encoding: 'utf8' }).stdout;
  before(async () => {
    f = await fleet(
      { furrow: 4, quill: 3, shale: 3 },
      { ZPINE_CAPTURE_REPOSITORY: folder, ZPINE_CAPTURE_REPOSITORY_SECONDS: '1' },
    );
    await acquainted(f.client);
  });
  after(async () => {
    await f.end();
    rmSync(folder, { recursive: true, force: true });
  });

  const capture = async (where = 'stage=unproved') =>
    settled(f.client, await f.client.call('run.capture', { body: { where } }));
  const list = async (query: object) =>
    (await f.client.call('capture.list', { query: { limit: '500', ...query } })).items;
  const texts = async () =>
    Number(
      (
        await readOnly(f.store, actor, (tx) =>
          tx.one<{ n: number }>('SELECT COALESCE(SUM(LENGTH(content)), 0) AS n FROM captured_text'),
        )
      )?.n,
    );

  it('keeps running, stored and binary files of each, with size and digest', async () => {
    const run = await capture();
    expect(run.counts).to.deep.equal({ captured: 10 });
    const files = await list({ device: 'har-wb-1' });
    expect(files.map((one) => `${one.file} ${String(one.binary)}`).sort()).to.deep.equal([
      'licence true',
      'running false',
      'stored false',
    ]);
    const licence = files.find((one) => one.file === 'licence');
    const shown = await f.client.call('capture.show', { params: { id: String(licence?.id) } });
    expect(Buffer.from(shown.text, 'base64').toString('latin1')).to.equal('\u0000licence TW-8-1001\u0001');
    expect(licence?.fingerprint).to.match(/^[0-9a-f]{32}$/);
  });

  it('adds no text for what did not change, although the device shows another time at each reading', async () => {
    const before = await texts();
    const run = await capture();
    expect(run.counts).to.deep.equal({ unchanged: 10 });
    expect(await texts()).to.equal(before);
    expect(await list({ device: 'har-xr-1' })).to.have.length(2);
  });

  it('keeps a new version when a line changed, shows the difference, and masks secrets', async () => {
    f.lab.furrow('har-acc-2').memory.take([], 'journal to 10.77.0.7');
    const run = await capture('dialect=furrow');
    expect(run.counts).to.deep.equal({ captured: 1, unchanged: 3 });
    expect(rowOf(run, 'har-acc-2').files?.map((one) => `${one.file} ${String(one.changed)}`)).to.deep.equal([
      'running true',
      'stored false',
    ]);
    const [newest] = await list({ device: 'har-acc-2', file: 'running' });
    const diff = await f.client.call('capture.diff', { query: { from: String(newest?.id) } });
    expect(diff.lines.filter((line) => line.sign !== ' ')).to.deep.equal([{ sign: '+', text: 'journal to 10.77.0.7' }]);
    const shown = await f.client.call('capture.show', { params: { id: String(newest?.id) } });
    expect(shown.text).to.contain('phrase plain ••••••').and.not.contain('a-fleet-of-ferries');
    const whole = await f.client.call('capture.reveal', { params: { id: String(newest?.id) }, body: {} });
    expect(whole.text).to.contain('phrase plain a-fleet-of-ferries');
    const { items } = await f.client.call('history.list', { query: { kind: 'capture' } });
    expect(items[0]?.changes[0]?.key).to.equal('running of har-acc-2');
  });

  it('searches all current captures, and finds those that lack a line', async () => {
    const found = await f.client.call('capture.search', { query: { q: 'journal to' } });
    expect(found.items.map((one) => `${one.device} ${one.file} ${one.text}`)).to.deep.equal([
      'har-acc-2 running journal to 10.77.0.7',
    ]);
    const lacking = await f.client.call('capture.search', { query: { q: '10.77.0.6', missing: 'true' } });
    expect(lacking.items).to.deep.equal([]);
    const hidden = await f.client.call('capture.search', { query: { q: 'a-fleet-of-ferries' } });
    expect(hidden.items).to.deep.equal([]);
  });

  it('lets go of versions beyond those that are kept, and of their texts', async () => {
    f.lab.furrow('har-acc-2').memory.take([], 'journal to 10.77.0.8');
    await capture('dialect=furrow');
    const before = await texts();
    await transact(f.store, actor, 'housekeeping', (tx) => dropOldCaptures(tx, 1));
    expect(await texts()).to.be.lessThan(before);
    expect(await list({ device: 'har-acc-2', file: 'running' })).to.have.length(1);
  });

  it('captures by itself when it is due, and tells who was not captured for long', async () => {
    await f.client.call('value.put', {
      body: { setting: 'capture.hours', layer: 'dialect', of: 'quill', mode: 'set', value: 1 },
    });
    await transact(f.store, actor, 'test', (tx) =>
      tx.execute(
        'UPDATE capture_try SET tried_at = UTC_TIMESTAMP(3) - INTERVAL 2 HOUR, well_at = UTC_TIMESTAMP(3) - INTERVAL 9 DAY',
      ),
    );
    const { items } = await f.client.call('today', {});
    expect(items.filter((one) => one.code === 'not-captured').map((one) => one.key))
      .to.include('har-xr-1')
      .and.not.include('har-acc-1');
    const { watcher } = f;
    await watcher.planNow();
    const [run] = (await f.client.call('run.list', { query: { kind: 'capture' } })).items;
    expect({ by: run?.by, expected: run?.expected }).to.deep.equal({ by: 'watch', expected: 3 });
    await settled(f.client, { id: run?.id ?? 0 });
    await watcher.planNow();
    expect((await f.client.call('run.list', { query: { kind: 'capture' } })).items[0]?.id).to.equal(run?.id);
    const after = (await f.client.call('today', {})).items.filter((one) => one.code === 'not-captured');
    expect(after).to.deep.equal([]);
  });

  it('puts them into a repository, secrets masked, with a commit for what changed', async () => {
    await capture();
    const commits = () => git('log', '--format=%s').trim().split('\n');
    const has = (text: string) => git('log', '-p').includes(text);
    f.lab.furrow('har-acc-2').memory.take([], 'journal to 10.77.0.55');
    await capture('name=har-acc-2');
    await eventually('the repository has what changed', () => Promise.resolve(has('+journal to 10.77.0.55')));
    expect(commits()[0]).to.equal('Captured: har-acc-2');
    const before = commits().length;
    const text = readFileSync(join(folder, 'har-acc-2.running'), 'utf8');
    expect(text).to.contain('phrase plain ••••••').and.not.contain('a-fleet-of-ferries');
    await capture('name=har-acc-2');
    await new Promise((resolve) => setTimeout(resolve, 2500));
    expect(commits().length).to.equal(before);
    expect(git('status', '--porcelain')).to.equal('');
  });
});
