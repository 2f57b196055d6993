/** Devices that run are brought to another image, proved, and brought back where they are not what they were. */
import { createHash } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { expect } from 'chai';
import type { ShownRun } from '@zpine/contract/fleetShapes';
import type { Fault } from '@zpine/lab/faults';
import { contentOf } from '../../demo/load.ts';
import { refusal } from '../service.ts';
import { acquainted, fleet, rowOf, settled, type Fleet } from './bench.ts';

const NEW = { furrow: 'furrow-9.0.0', quill: 'quill-9.0.0', shale: 'shale-9.0.0' } as const;
const BYTES = 700_000;

describe('upgrades', function () {
  this.timeout(90_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 6, quill: 2, shale: 2 }, { ZPINE_BOOT_ADDRESS: '10.77.0.10' });
    for (const [dialect, name] of Object.entries(NEW)) {
      await f.client.add('image', { name, dialect, release: '9.0.0', file: `${name}.img` });
      await f.client.putImage(name, {}, new Blob([contentOf(`image ${dialect} * 9.0.0`, BYTES)]));
    }
    for (const name of f.all)
      f.lab.device(name).options.hears = [{ on: portOf(name), neighbour: 'har-core-1', port: '1' }];
    await acquainted(f.client);
    for (const name of f.all) await keep(name);
  });
  after(() => f.end());

  const portOf = (name: string) => (name.includes('acc') ? '1/1' : name.includes('xr') ? 'cu1' : 'front1');
  /** What it runs is stored. */
  const keep = async (name: string) => {
    const device = f.lab.device(name);
    device.options.flash.kept = device.print();
    return Promise.resolve();
  };
  const fault = (name: string, ...words: Fault[]) =>
    words.forEach((word) => f.lab.device(name).options.faults.add(word));
  const look = async (body: object): Promise<ShownRun> =>
    settled(f.client, await f.client.call('run.upgrade', { body }));
  const go = async (run: ShownRun): Promise<ShownRun> =>
    settled(f.client, await f.client.call('run.go', { params: { id: String(run.id) }, body: { count: run.toDo } }));
  const upgraded = async (device: string, image: string = NEW.furrow): Promise<ShownRun['rows'][number]> =>
    rowOf(await go(await look({ devices: [device], image })), device);
  const runs = (name: string) => f.lab.device(name).images;

  it('are looked at first, of three dialects, and change nothing before somebody confirms', async () => {
    for (const [dialect, name] of Object.entries(NEW))
      await f.client.call('value.put', {
        body: { setting: 'image.wanted', layer: 'dialect', of: dialect, value: [name] },
      });
    const run = await look({ devices: ['har-acc-1', 'har-xr-1', 'har-wb-1'] });
    expect(run.state).to.equal('previewed');
    expect(run.toDo).to.equal(3);
    for (const row of run.rows) {
      expect(row.detail).to.match(/^runs 2\.4\.1; would fetch \S+-9\.0\.0\.img, 684 KiB, start with it, and restart$/);
      expect(runs(row.device).list()).to.have.length(1);
    }
    const done = await go(run);
    expect(done.counts, JSON.stringify(done.rows.map((row) => row.detail))).to.deep.equal({ 'brought over': 3 });
    for (const name of ['har-acc-1', 'har-xr-1', 'har-wb-1']) {
      expect(runs(name).version).to.equal('9.0.0');
      expect(rowOf(done, name).detail).to.match(/^runs 9\.0\.0 \(\S+\), ran 2\.4\.1; away for \d+ s$/);
      // The one-time part of the URL is nobody's to read.
      expect(JSON.stringify(rowOf(done, name))).not.to.match(/up-[A-Za-z0-9]/);
    }
    const again = await look({ devices: ['har-acc-1', 'har-xr-1', 'har-wb-1'] });
    expect(again.counts).to.deep.equal({ 'already right': 3 });
    const { devices, running } = await f.client.call('image.devices', { params: { ref: NEW.quill } });
    expect(running).to.equal(1);
    expect(devices.find(({ device }) => device === 'har-xr-1')).to.include({ version: '9.0.0', runs: true });
  });

  it('turn down what has no room, what is not stored, and what is for others, and send nothing', async () => {
    fault('har-acc-2', 'no-room');
    const full = rowOf(await look({ devices: ['har-acc-2'] }), 'har-acc-2');
    expect(full).to.include({ outcome: 'turned down' });
    expect(full.detail).to.match(/^no room: 0 KiB are free, 684 KiB are needed; it holds /);
    f.lab.device('har-acc-2').options.faults.clear();
    f.lab.furrow('har-acc-2').memory.take([], 'journal to 10.77.0.9');
    const unkept = rowOf(await look({ devices: ['har-acc-2'] }), 'har-acc-2');
    expect(unkept.detail).to.equal('1 line of what runs is not stored so, and would go with the restart');
    const insisted = await settled(
      f.client,
      await f.client.call('run.upgrade', { body: { devices: ['har-acc-2'], insist: true }, reason: 'a trial' }),
    );
    expect(rowOf(insisted, 'har-acc-2').detail).to.contain('would fetch');
    const other = await look({ devices: ['har-acc-2'], image: NEW.quill });
    expect(rowOf(other, 'har-acc-2')).to.include({ outcome: 'left out' });
    expect(rowOf(other, 'har-acc-2').detail).to.equal('quill-9.0.0 is for quill, and it has furrow');
    await keep('har-acc-2');
    expect(runs('har-acc-2').list()).to.have.length(1);
  });

  it('remove what has another digest on the device, and leave what ran', async () => {
    fault('har-acc-2', 'damages-files');
    const row = await upgraded('har-acc-2');
    expect(row).to.include({ outcome: 'turned down' });
    expect(row.detail).to.contain('another digest or size than the image; it was removed');
    expect(
      runs('har-acc-2')
        .list()
        .map(({ name }) => name),
    ).to.deep.equal(['furrow-2.4.1.img']);
    f.lab.device('har-acc-2').options.faults.clear();
    fault('har-acc-2', 'truncated');
    expect((await upgraded('har-acc-2')).detail).to.contain('the link broke');
    f.lab.device('har-acc-2').options.faults.clear();
  });

  it('say so when the new image does not start, and let it start with the old one', async () => {
    fault('har-acc-3', 'image-fails');
    const row = await upgraded('har-acc-3');
    expect(row).to.include({ outcome: 'not as expected' });
    expect(row.detail).to.match(
      /came back with version 2\.4\.1 after \d+ s; it starts with furrow-2\.4\.1\.img again$/,
    );
    expect(runs('har-acc-3')).to.include({ next: 'furrow-2.4.1.img', runs: 'furrow-2.4.1.img' });
  });

  it('go back where the device is not what it was, and where it says other things than expected', async () => {
    fault('har-acc-4', 'image-darkens');
    const dark = await upgraded('har-acc-4');
    expect(dark).to.include({ outcome: 'turned down' });
    expect(dark.detail).to.match(
      /^with 9\.0\.0: socket 1\/1 was up before, and is down; it was brought back to 2\.4\.1$/,
    );
    f.lab.device('har-acc-4').options.faults.clear();
    const run = await look({
      devices: ['har-acc-4'],
      questions: ['version'],
      expect: [{ kind: 'field', text: 'version=9.0.1' }],
    });
    const row = rowOf(await go(run), 'har-acc-4');
    expect(row.detail).to.contain('has no version=9.0.1; it was brought back to 2.4.1');
    expect(runs('har-acc-4').version).to.equal('2.4.1');
  });

  it('end with the first that does not come back: the others are not touched', async () => {
    const sheet = (await f.client.call('dialect.shipped', {})).items.find(({ name }) => name === 'furrow')?.sheet ?? '';
    await f.client.edit('dialect', 'furrow', {
      sheet: sheet.replace('command: restart\n', 'command: restart\n  backSeconds: 5\n'),
    });
    fault('har-acc-5', 'image-dies');
    const run = await go(await look({ devices: ['har-acc-5', 'har-acc-6'] }));
    expect(rowOf(run, 'har-acc-5')).to.include({ outcome: 'stopped midway' });
    expect(rowOf(run, 'har-acc-5').detail).to.match(
      /^it did not come back within 5 s: .*; it was to start with furrow-9\.0\.0\.img, and ran furrow-2\.4\.1\.img before: at its console it can be started with that$/,
    );
    expect(rowOf(run, 'har-acc-6')).to.include({ outcome: 'left out' });
    expect(runs('har-acc-6').list()).to.have.length(1);
  });

  it('want images that are there, with the content that was promised', async () => {
    const { client } = f;
    const content = Buffer.from('image furrow LF-24 9.1.0\n');
    const sha512 = createHash('sha512').update(content).digest('hex');
    await client.add('image', { name: 'furrow-9.1.0', dialect: 'furrow', release: '9.1.0', file: 'furrow-9.1.0.img' });
    expect(
      (await refusal(client.call('run.upgrade', { body: { devices: ['har-acc-6'], image: 'furrow-9.1.0' } }))).code,
    ).to.equal('image-empty');
    const wrong = await refusal(client.putImage('furrow-9.1.0', { digest: 'f'.repeat(64) }, new Blob([content])));
    expect(wrong).to.include({ code: 'image-digest' });
    expect(wrong.detail).to.contain('nothing was kept');
    expect(
      (await refusal(client.putImage('furrow-9.1.0', { digest: 'abc' }, new Blob([content])))).errors?.[0]?.code,
    ).to.equal('image-digest-form');
    expect((await refusal(client.putImage('furrow-9.1.0', {}, new Blob([])))).code).to.equal('image-nothing');
    const kept = await client.putImage('furrow-9.1.0', { digest: `sha512:${sha512}` }, new Blob([content]));
    expect(kept).to.include({ sha512, bytes: content.length, changed: true });
    // With its length announced, as the command line does.
    const announced = { length: content.length };
    expect((await client.putImage('furrow-9.1.0', {}, new Blob([content]), announced)).changed).to.equal(false);
    expect((await refusal(client.putImage('furrow-9.1.0', {}, new Blob(['other'])))).code).to.equal('image-other');
    const back = Buffer.from(await new Response(await client.getImage('furrow-9.1.0')).arrayBuffer());
    expect(back.equals(content)).to.equal(true);
    // What somebody does to the folder is found, and said.
    writeFileSync(f.store.contents.path(kept.sha256), 'image furrow LF-24 9.9.9\n');
    const found = await client.call('image.held', { query: { verify: 'true' } });
    expect(found.items.find(({ image }) => image === 'furrow-9.1.0')?.state).to.equal('damaged');
    writeFileSync(f.store.contents.path(kept.sha256), 'cut');
    expect((await client.call('image.held', {})).items.find(({ image }) => image === 'furrow-9.1.0')?.state).to.equal(
      'absent',
    );
    expect(
      (await refusal(client.call('run.upgrade', { body: { devices: ['har-acc-6'], image: 'furrow-9.1.0' } }))).code,
    ).to.equal('image-absent');
  });

  it('keep an image that a layer names, and take names of images that there are', async () => {
    const { client } = f;
    expect((await refusal(client.remove('image', NEW.furrow))).detail).to.equal(
      'furrow-9.0.0 is named by dialect furrow, where image.wanted is set',
    );
    expect((await refusal(client.edit('image', NEW.furrow, { name: 'other' }))).code).to.equal('image-wanted');
    const unknown = await refusal(
      client.call('value.put', { body: { setting: 'image.wanted', layer: 'everywhere', value: ['furow-9.0.0'] } }),
    );
    expect(unknown.errors?.[0]).to.include({ code: 'image-none' });
    expect(unknown.errors?.[0]?.remedy).to.contain('furrow-9.0.0');
    expect(
      (await refusal(client.add('image', { name: 'x', dialect: 'furrow', release: '1', file: '../x' }))).errors?.[0]
        ?.code,
    ).to.equal('image-file');
  });
});
