/** Hosts whose configuration is files: compared, pushed, taken back and restored like any part of it. */
import { expect } from 'chai';
import type { RunRow } from '@zpine/contract/fleetShapes';
import type { Fault } from '@zpine/lab/faults';
import type { ShaleHost } from '@zpine/lab/shale/host';
import { refusal } from '../service.ts';
import { acquainted, fleet, rowOf, settled, type Fleet } from './bench.ts';

const SOURCE = `@part "time" owns "ntp "
@for server of set.time.servers
ntp @{server}
@end
@end
@output "motd"
This is @{device.name}.
@end
@output "relay.conf"
word @{set.trap.word ?? "none"}
@for server of set.log.servers
target @{server}
@end
@end
@if set.banner
@output "issue"
@{set.banner}
@end
@end
`;
const PLACES = [
  { output: 'motd', path: '/etc/motd', owner: 'root:root', mode: '0644' },
  {
    output: 'relay.conf',
    path: '/etc/relay/relay.conf',
    owner: 'root:adm',
    mode: '640',
    changed: 'systemctl reload relay',
  },
  { output: 'issue', path: '/etc/issue' },
];
const WORD = 'bell-buoy-9';

describe('files of hosts', function () {
  this.timeout(120_000);
  let f: Fleet;
  const ONE = 'har-wb-1';
  const set = (setting: string, value: string[] | string) =>
    f.client.call('value.put', { body: { setting, layer: 'everywhere', mode: 'set', value } });
  const publish = async (devices: readonly string[] = f.all) => {
    for (const ref of devices) {
      const { number } = await f.client.call('edition.make', { params: { ref }, body: { apply: true } });
      await f.client.call('edition.publish', {
        params: { ref, number: String(number) },
        body: { insist: true },
        reason: 'these run already, and never boot from here',
      });
    }
  };
  const preview = async (body: object) => settled(f.client, await f.client.call('run.push', { body }));
  const go = async (id: number, count: number) =>
    settled(f.client, await f.client.call('run.go', { params: { id: String(id) }, body: { count } }));
  const compare = async (device: string, captured = false) =>
    rowOf(
      await settled(f.client, await f.client.call('run.compare', { body: { devices: [device], captured } })),
      device,
    );
  const host = (name = ONE) => f.lab.device(name) as ShaleHost;
  const textAt = (path: string, name = ONE) => host(name).files.get(path)?.content.toString('utf8');
  const deeds = (row: RunRow) => (row.errand?.files ?? []).map(({ path, deed, why }) => [path, deed, ...why].join(' '));

  before(async () => {
    f = await fleet({ furrow: 1, quill: 0, shale: 3 });
    await acquainted(f.client);
    await set('time.servers', ['10.77.0.5', '10.77.0.6']);
    await set('log.servers', ['10.77.0.7']);
    await set('trap.word', WORD);
    await f.client.add('template', { name: 'white-box', dialect: 'shale', source: SOURCE, files: PLACES });
    await f.client.add('template', { name: 'switch', dialect: 'furrow', source: 'name @{device.name}\n' });
    await publish(f.names.shale);
  });
  after(() => f.end());

  it('go where the template says, and nowhere else: what cannot be is refused with its place', async () => {
    const add = (files: unknown) =>
      refusal(f.client.add('template', { name: 'odd', source: SOURCE, duty: null, files: files as object[] }));
    const typo = await add([{ output: 'modt', path: '/etc/motd' }]);
    expect(typo.errors?.[0]).to.include({ code: 'place-no-output', pointer: '/files/0/output' });
    expect(typo.errors?.[0]?.remedy).to.equal('did you mean "motd"?');
    const wild = await add([{ output: 'motd', path: '/etc/$(reboot)' }]);
    expect(wild.errors?.[0]?.pointer).to.equal('/files/0/path');
  });

  it('are compared by text, owner and mode; secrets in them are not shown', async () => {
    host().files.set('/etc/motd', { content: Buffer.from('This is another.\n'), owner: 'zpine:zpine', mode: '600' });
    host().files.set('/etc/issue', { content: Buffer.from('left over\n'), owner: 'root:root', mode: '644' });
    const row = await compare(ONE);
    expect(row.outcome).to.equal('differs');
    expect(row.compared?.comparison?.files?.map(({ path, deed, why }) => [path, deed, ...why])).to.deep.equal([
      ['/etc/motd', 'changed', 'text', 'owner', 'mode'],
      ['/etc/relay/relay.conf', 'new'],
      ['/etc/issue', 'gone'],
    ]);
    expect(row.detail).to.equal('5 lines not as in edition 1, in /etc/motd, /etc/relay/relay.conf, /etc/issue');
    expect(row.compared?.comparison?.files?.[0]?.lines.map(({ sign, text }) => `${sign}${text}`)).to.deep.equal([
      '-This is another.',
      `+This is ${ONE}.`,
    ]);
    expect(JSON.stringify(row)).to.not.contain(WORD);
    expect(JSON.stringify(row)).to.contain('word ••••••');
    const { groups } = await f.client.call('drift.list', { query: {} });
    expect(groups.find(({ devices }) => devices.includes(ONE))?.files).to.have.length(3);
  });

  it('are brought over: new, changed and gone, with what has to be called; a second push finds nothing', async () => {
    const run = await preview({ where: 'dialect=shale' });
    expect(run.toDo).to.equal(3);
    expect(deeds(rowOf(run, ONE))).to.deep.equal([
      '/etc/motd changed text owner mode',
      '/etc/relay/relay.conf new',
      '/etc/issue gone',
    ]);
    expect(textAt('/etc/motd')).to.equal('This is another.\n');
    const done = await go(run.id, 3);
    expect(done.counts).to.deep.equal({ 'brought over': 3 });
    expect(rowOf(done, ONE).detail).to.equal('/etc/motd changed, /etc/relay/relay.conf new, /etc/issue gone');
    expect(rowOf(done, 'har-wb-2').detail).to.equal('/etc/motd new, /etc/relay/relay.conf new');
    expect(textAt('/etc/relay/relay.conf')).to.equal(`word ${WORD}\ntarget 10.77.0.7\n`);
    expect(host().files.get('/etc/relay/relay.conf')).to.include({ owner: 'root:adm', mode: '640' });
    expect(host().files.get('/etc/motd')).to.include({ owner: 'root:root', mode: '644' });
    expect(host().files.has('/etc/issue')).to.equal(false);
    expect([...host().files.keys()].filter((path) => path.endsWith('.zpine-new'))).to.deep.equal([]);
    expect(JSON.stringify(host().log)).to.contain('relay read its files again');
    const sent = JSON.stringify(rowOf(done, ONE).errand?.sent);
    for (const hidden of [WORD, Buffer.from(`word ${WORD}`).toString('base64').slice(0, 12)])
      expect(sent).to.not.contain(hidden);
    const again = await preview({ where: 'dialect=shale' });
    expect(again.counts).to.deep.equal({ 'already right': 3 });
    expect((await compare(ONE)).outcome).to.equal('as described');
  });

  it('are captured with the rest, and compared by captures', async () => {
    const run = await settled(f.client, await f.client.call('run.capture', { body: { devices: [ONE] } }));
    // A licence beside its configuration was never asked for before.
    expect(
      rowOf(run, ONE)
        .files?.filter(({ changed }) => changed)
        .map(({ file }) => file),
    ).to.deep.equal(['licence']);
    const { items } = await f.client.call('capture.list', { query: { device: ONE, current: 'true', limit: 50 } });
    expect(items.map(({ file }) => file)).to.include.members(['/etc/motd', '/etc/relay/relay.conf', 'running']);
    const relay = items.find(({ file }) => file === '/etc/relay/relay.conf');
    const { text } = await f.client.call('capture.show', { params: { id: String(relay?.id) } });
    expect(text).to.equal('word ••••••\ntarget 10.77.0.7\n');
    expect((await compare(ONE, true)).outcome).to.equal('as described');
    host().files.delete('/etc/motd');
    await settled(f.client, await f.client.call('run.capture', { body: { devices: [ONE] } }));
    const { drift } = await f.client.call('drift.show', { params: { ref: ONE } });
    expect(drift?.parts).to.deep.equal(['/etc/motd']);
    const now = await f.client.call('capture.list', { query: { device: ONE, current: 'true', limit: 50 } });
    expect(now.items.find(({ file }) => file === '/etc/motd')).to.include({ gone: true, bytes: 0 });
    // What is not there is known by captures, too.
    expect((await compare(ONE, true)).outcome).to.equal('differs');
    await go((await preview({ devices: [ONE] })).id, 1);
  });

  it('change with a line and go together; undone they are both as before', async () => {
    await set('log.servers', ['10.77.0.8']);
    await set('time.servers', ['10.77.0.6']);
    await set('banner', 'Brackwater Ferries');
    await publish(f.names.shale);
    const run = await preview({ devices: [ONE] });
    expect(rowOf(run, ONE).detail).to.equal('1 line to go; /etc/relay/relay.conf changed, /etc/issue new');
    const done = await go(run.id, 1);
    expect(rowOf(done, ONE).outcome).to.equal('brought over');
    expect(textAt('/etc/issue')).to.equal('Brackwater Ferries\n');
    const back = await settled(
      f.client,
      await f.client.call('run.takeBack', { params: { id: String(run.id) }, body: {} }),
    );
    expect(deeds(rowOf(back, ONE))).to.deep.equal(['/etc/relay/relay.conf changed text', '/etc/issue gone']);
    const undone = await go(back.id, 1);
    expect(rowOf(undone, ONE).outcome).to.equal('brought over');
    expect(textAt('/etc/relay/relay.conf')).to.equal(`word ${WORD}\ntarget 10.77.0.7\n`);
    expect(host().files.get('/etc/relay/relay.conf')).to.include({ owner: 'root:adm', mode: '640' });
    expect(host().files.has('/etc/issue')).to.equal(false);
    expect(host().print()).to.contain('ntp 10.77.0.5');
  });

  const faulty = async (fault: Fault): Promise<RunRow> => {
    host().options.faults.add(fault);
    const run = await go((await preview({ devices: [ONE] })).id, 1);
    host().options.faults.clear();
    return rowOf(run, ONE);
  };

  it('leave nothing half done: no room, what is lost without a word, a door that is shut', async () => {
    const before = textAt('/etc/relay/relay.conf');
    const full = await faulty('no-room');
    expect(full.outcome).to.equal('turned down');
    expect(full.detail).to.match(/No space left on device; it was undone$/);
    expect([...host().files.keys()].filter((path) => path.endsWith('.zpine-new'))).to.deep.equal([]);
    expect(textAt('/etc/relay/relay.conf')).to.equal(before);
    expect(host().print()).to.contain('ntp 10.77.0.5');
    const shut = await faulty('shuts-door');
    expect(shut.outcome, shut.detail).to.equal('turned down');
    expect(shut.detail).to.match(/^a second sign-in failed: .*; it was undone$/);
    expect(textAt('/etc/relay/relay.conf')).to.equal(before);
    expect(host().files.has('/etc/issue')).to.equal(false);
    expect(host().print()).to.contain('ntp 10.77.0.5');
    await host().off();
    host().on();
    const lost = await faulty('drops-line');
    expect(lost.outcome).to.equal('never taken');
    expect(lost.detail).to.contain('was taken without a word');
    await go((await preview({ devices: [ONE] })).id, 1);
    expect((await preview({ devices: [ONE] })).counts).to.deep.equal({ 'already right': 1 });
  });

  it('are put back from captures, as they were', async () => {
    const { items } = await f.client.call('capture.list', { query: { device: ONE, file: '/etc/motd', limit: 50 } });
    host().files.set('/etc/motd', { content: Buffer.from('scribble\n'), owner: 'root:root', mode: '600' });
    const made = await settled(
      f.client,
      await f.client.call('run.restore', { body: { captures: [items[0]?.id ?? 0] } }),
    );
    expect(deeds(rowOf(made, ONE))).to.deep.equal(['/etc/motd changed text']);
    const done = await go(made.id, 1);
    expect(rowOf(done, ONE).outcome).to.equal('brought over');
    expect(textAt('/etc/motd')).to.equal(`This is ${ONE}.\n`);
    expect(host().files.get('/etc/motd')?.mode).to.equal('600');
  });

  it('larger than a command are sent in pieces; what a dialect cannot put is said', async () => {
    const long = SOURCE.replace('@{set.banner}', '@for n of range(1, 4000)\nline @{n} of a long notice\n@end');
    await f.client.edit('template', 'white-box', { source: long });
    await publish([ONE]);
    const done = await go((await preview({ devices: [ONE] })).id, 1);
    expect(rowOf(done, ONE).outcome, rowOf(done, ONE).detail).to.equal('brought over');
    const text = textAt('/etc/issue') ?? '';
    expect(text.split('\n')).to.have.length(4001);
    expect(text)
      .to.match(/^line 1 of a long notice\n/)
      .and.to.match(/\nline 4000 of a long notice\n$/);
    await f.client.edit('template', 'switch', {
      source: '@output "motd"\nhello\n@end\n',
      files: [{ output: 'motd', path: '/etc/motd' }],
    });
    await publish(['har-acc-1']);
    const row = rowOf(await preview({ devices: ['har-acc-1'] }), 'har-acc-1');
    expect(row).to.include({ outcome: 'turned down' });
    expect(row.detail).to.equal('the sheet of Furrow does not say how files are read and put');
    expect((await compare('har-acc-1')).detail).to.contain('not compared: motd');
  });
});
