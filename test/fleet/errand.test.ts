/** Some lines for many devices: previewed, confirmed by number, verified, kept, captured, and taken back. */
import type { SettingValue } from '@zpine/core/settings/layers';
import { expect } from 'chai';
import { acquainted, addDevice, fleet, paste, rowOf, settled, TIME, USER, type Fleet } from './bench.ts';
import { refusal } from '../service.ts';

describe('errands', function () {
  this.timeout(90_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 18, quill: 10, shale: 12 });
    await acquainted(f.client);
    await f.client.call('value.put', {
      body: { setting: 'access.answer-seconds', layer: 'everywhere', mode: 'set', value: 5 },
    });
  });
  after(() => f.end());

  const preview = async (body: object) => {
    const run = await settled(f.client, await f.client.call('run.errand', { body: body }));
    const away = run.rows.filter((row) => row.outcome === 'no contact').map((row) => `${row.device}: ${row.detail}`);
    expect(away).to.deep.equal([]);
    return run;
  };
  const go = async (id: number, count: number) =>
    settled(f.client, await f.client.call('run.go', { params: { id: String(id) }, body: { count } }));
  const printed = (name: string) => f.lab.device(name).print();

  it('previews per device what is there already and what would be new, and touches nothing', async () => {
    f.lab.furrow('har-acc-1').memory.take([], 'journal to 10.77.0.7');
    const before = printed('har-acc-2');
    const run = await preview({ where: 'dialect=furrow', lines: 'journal to 10.77.0.7\nsocket 1/2\n  about "gate"\n' });
    expect({ state: run.state, toDo: run.toDo }).to.deep.equal({ state: 'previewed', toDo: 18 });
    const steps = rowOf(run, 'har-acc-1').errand?.steps;
    expect(steps).to.deep.equal([
      { above: [], line: 'journal to 10.77.0.7', away: false, instead: null, right: true },
      { above: ['socket 1/2'], line: 'about "gate"', away: false, instead: 'about "desk 2"', right: false },
    ]);
    expect(printed('har-acc-2')).to.equal(before);
    expect((await refusal(go(run.id, 17))).code).to.equal('errand-count');
    const done = await go(run.id, 18);
    expect(done.counts).to.deep.equal({ 'brought over': 18 });
    expect(printed('har-acc-2'))
      .to.contain('journal to 10.77.0.7\n')
      .and.contain('socket 1/2\n  about "gate"\n  lane 316\n  state live');
    expect(f.lab.device('har-acc-2').options.flash.kept).to.equal(printed('har-acc-2'));
    expect(rowOf(done, 'har-acc-2').errand?.kept).to.equal('kept');
    const { items } = await f.client.call('capture.list', { query: { device: 'har-acc-2' } });
    expect(items.map((one) => one.file).sort()).to.deep.equal(['running', 'stored']);
  });

  it('finds everything right the second time', async () => {
    const run = await preview({ where: 'dialect=furrow', lines: 'journal to 10.77.0.7\nsocket 1/2\n  about "gate"\n' });
    expect({ state: run.state, counts: run.counts }).to.deep.equal({ state: 'ended', counts: { 'already right': 18 } });
  });

  it('puts a draft of blocks in brackets in force as a whole, or not at all', async () => {
    const run = await preview({
      where: 'dialect=quill',
      lines: 'log / server 10.77.0.7\nport cu1 [\n  note "to the crane"\n]',
    });
    expect((await go(run.id, 10)).counts).to.deep.equal({ 'brought over': 10 });
    expect(printed('har-xr-3')).to.contain('note "to the crane"').and.contain('server 10.77.0.7');
    const before = printed('har-xr-1');
    const bad = await preview({
      where: 'dialect=quill',
      lines: 'log / server 10.77.0.8\nport cu9 [\n  note "none"\n]',
    });
    const done = await go(bad.id, 10);
    expect(done.counts).to.deep.equal({ 'turned down': 1, 'left out': 9 });
    expect(done.rows[0]?.detail).to.equal('"port cu9 > note "none"": ports are cu1 to cu6, fi1, fi2 and self0');
    expect(printed('har-xr-1')).to.equal(before);
  });

  it('speaks a shell where that is the way, whatever is in the line', async () => {
    const run = await preview({ where: 'dialect=shale', lines: 'log 10.77.0.7\n- ntp 10.77.0.6\n' });
    expect((await go(run.id, 12)).counts).to.deep.equal({ 'brought over': 12 });
    expect(printed('har-wb-5')).to.contain('log 10.77.0.7').and.not.contain('ntp 10.77.0.6');
    const nasty = await preview({ devices: ['har-wb-5'], lines: "host a'; reboot; echo 'b" });
    const done = await go(nasty.id, 1);
    expect(done.rows[0]?.outcome).to.equal('turned down');
    expect(f.lab.device('har-wb-5').log.at(-1)?.text).to.contain('SSH opens');
  });

  it('takes a run back', async () => {
    const [last] = (await f.client.call('run.list', { query: { kind: 'errand', device: 'har-wb-6' } })).items;
    const back = await settled(
      f.client,
      await f.client.call('run.takeBack', { params: { id: String(last?.id) }, body: {} }),
    );
    expect({ toDo: back.toDo, takesBack: back.takesBack }).to.deep.equal({ toDo: 12, takesBack: last?.id });
    expect((await go(back.id, 12)).counts).to.deep.equal({ 'brought over': 12 });
    expect(printed('har-wb-6')).to.contain('ntp 10.77.0.6').and.not.contain('log 10.77.0.7');
    const first = (await f.client.call('run.list', { query: { kind: 'errand', device: 'har-acc-4' } })).items.at(-1);
    const furrow = await settled(
      f.client,
      await f.client.call('run.takeBack', { params: { id: String(first?.id) }, body: {} }),
    );
    await go(furrow.id, furrow.toDo);
    expect(printed('har-acc-4')).to.contain('about "desk 2"').and.not.contain('journal to');
    expect(printed('har-acc-1')).to.contain('journal to');
  });

  it('tries one device first, and leaves the others alone when it refuses', async () => {
    f.lab.device('har-acc-1').options.faults.add('rejects-line');
    const run = await preview({ where: 'dialect=furrow', lines: 'journal to 10.77.0.9\n' });
    const done = await go(run.id, 18);
    expect(done.counts).to.deep.equal({ 'turned down': 1, 'left out': 17 });
    expect(rowOf(done, 'har-acc-1').detail).to.equal('"journal to 10.77.0.9": internal fault');
    expect(rowOf(done, 'har-acc-1').errand?.sent.map((one) => one.command)).to.deep.equal([
      'plough',
      'journal to 10.77.0.9',
      'rest',
    ]);
    expect(done.ended).to.contain('har-acc-1: turned down');
    f.lab.device('har-acc-1').options.faults.clear();
  });

  it('tries the next one alone when the first is away', async () => {
    const devices = ['har-acc-13', 'har-acc-14', 'har-acc-15'];
    const run = await preview({ devices, lines: 'journal to 10.77.0.19' });
    await f.lab.device('har-acc-13').off();
    f.lab.device('har-acc-14').options.faults.add('rejects-line');
    const done = await go(run.id, 3);
    expect(done.rows.map((row) => row.outcome)).to.deep.equal(['no contact', 'turned down', 'left out']);
    f.lab.device('har-acc-14').options.faults.clear();
    f.lab.device('har-acc-13').on();
  });

  it('is not fooled by a line that is taken without a word, nor by one that is not kept', async () => {
    f.lab.device('har-acc-3').options.faults.add('drops-line');
    const swallowed = await preview({ devices: ['har-acc-3'], lines: 'journal to 10.77.0.10' });
    expect((await go(swallowed.id, 1)).rows[0]).to.include({
      outcome: 'turned down',
      detail: '"journal to 10.77.0.10" was taken without a word, and it is not there',
    });
    f.lab.device('har-xr-4').options.faults.add('no-room');
    const unkept = await preview({ devices: ['har-xr-4'], lines: 'log / server 10.77.0.10' });
    const done = await go(unkept.id, 1);
    expect(done.rows[0]).to.include({ outcome: 'stopped midway', detail: 'it runs, and is not kept: no room' });
    expect(done.rows[0]?.errand?.kept).to.equal('not kept');
    for (const name of ['har-acc-3', 'har-xr-4']) f.lab.device(name).options.faults.clear();
  });

  it('asks the same questions before and after', async () => {
    const run = await preview({ devices: ['har-wb-1'], lines: `- ntp ${TIME[1]}`, questions: ['time'] });
    const done = await go(run.id, 1);
    expect(done.rows[0]?.errand?.questions).to.deep.equal([
      {
        question: 'time',
        before: 'server=10.77.0.5 in step\nserver=10.77.0.6 in step\nzone=Europe/London',
        after: 'server=10.77.0.5 in step\nzone=Europe/London',
        changes: ['-server=10.77.0.6 in step'],
      },
    ]);
  });

  it('fills in names of the template language, and takes columns of a spreadsheet', async () => {
    const run = await preview({
      devices: ['har-acc-5', 'har-acc-6'],
      lines: 'socket 1/1\n  about "port of @{device.name}"\n',
      perDevice: { text: 'har-acc-5;har-acc-6\njournal to 10.77.0.11;\n;clock follow 10.77.0.12\n' },
    });
    expect(rowOf(run, 'har-acc-6').errand?.steps.map((step) => step.line)).to.deep.equal([
      'about "port of har-acc-6"',
      'clock follow 10.77.0.12',
    ]);
    expect((await go(run.id, 2)).counts).to.deep.equal({ 'brought over': 2 });
    const bad = await refusal(preview({ devices: ['har-acc-5'], lines: 'name @{device.nmae}' }));
    expect(bad.errors?.[0]?.detail).to.contain('nmae');
  });

  it('has a device for itself, and asks twice before it means everything', async () => {
    const all = await refusal(preview({ where: 'stage=unproved', lines: '- nothing' }));
    expect(all.errors?.[0]?.detail).to.equal('this selects all 40 devices');
    const [one, two] = await Promise.all(
      ['13', '14'].map((n) => preview({ devices: ['har-acc-8'], lines: `journal to 10.77.0.${n}` })),
    );
    f.lab.device('har-acc-8').options.faults.add('no-prompt');
    const first = f.client.call('run.go', { params: { id: String(one?.id) }, body: { count: 1 } });
    await first;
    await new Promise((resolve) => setTimeout(resolve, 600));
    const second = { id: two?.id ?? 0 };
    await f.client.call('run.go', { params: { id: String(second.id) }, body: { count: 1 } });
    await new Promise((resolve) => setTimeout(resolve, 1500));
    const waits = await f.client.call('run.show', { params: { id: String(second.id) }, query: {} });
    expect(waits.rows[0]).to.include({ state: 'working', outcome: null });
    // The first comes to nothing, as no prompt comes; the second has its turn then.
    f.lab.device('har-acc-8').options.faults.clear();
    expect((await settled(f.client, { id: one?.id ?? 0 })).counts).to.deep.equal({ 'no contact': 1 });
    expect((await settled(f.client, second)).counts).to.deep.equal({ 'brought over': 1 });
  });

  it('says what became of a device that went away in the middle', async () => {
    const run = await preview({ devices: ['har-acc-9'], lines: 'journal to 10.77.0.15' });
    f.lab.device('har-acc-9').options.faults.add('goes-away');
    const done = await go(run.id, 1);
    expect(done.rows[0]?.outcome).to.be.oneOf(['stopped midway', 'no contact']);
    expect(done.rows[0]?.detail).to.contain('the session ended');
  });

  it('sends no control character to a terminal', async () => {
    const problem = await refusal(preview({ devices: ['har-acc-12'], lines: 'name a\u001b[2J' }));
    expect(problem.errors?.[0]).to.include({ pointer: '/lines', code: 'text-control' });
  });

  it('shows no secret that was in its lines, not even in the list of runs', async () => {
    const run = await preview({ devices: ['har-acc-12'], lines: 'climb by topmost-secret' });
    const shown = JSON.stringify([run, (await f.client.call('run.list', { query: {} })).items]);
    expect(shown).to.contain('climb by ••••••').and.not.contain('topmost-secret');
    expect(JSON.stringify(await go(run.id, 1))).to.not.contain('topmost-secret');
    expect(printed('har-acc-12')).to.contain('climb by topmost-secret');
  });

  const access = (on: string, setting: string, value: SettingValue) =>
    f.client.call('value.put', { body: { setting, layer: 'device', of: on, mode: 'set', value: value } });

  it('does not lose the way in unseen: no account, no door, no address, another password', async () => {
    const ways: [lines: string, why: string][] = [
      ['- shell on', 'SSH would be off'],
      [`- account ${USER}`, `the service signs in as ${USER}; what would run has no account`],
      [`account ${USER}\n  phrase plain other-word-9`, `the password of ${USER} in what would run is not the one`],
      ['face lane 304\n  at 10.77.96.250/24', 'the service comes to 10.77.96.25, which would be gone'],
      ['- way 0.0.0.0/0 by 10.77.96.1', 'the way out is 10.77.96.1, and would be gone'],
    ];
    const before = printed('har-acc-15');
    for (const [lines, why] of ways) {
      const run = await preview({ devices: ['har-acc-15'], lines });
      expect(run).to.include({ state: 'ended', toDo: 0 });
      expect(run.rows[0]?.outcome, lines).to.equal('turned down');
      expect(run.rows[0]?.detail).to.contain(why);
    }
    expect(printed('har-acc-15')).to.equal(before);
    // What stays as it is, or is replaced by what the service will use, takes nothing away.
    const good = await preview({ devices: ['har-acc-15'], lines: 'clock zone UTC\nshell on' });
    expect(good).to.include({ state: 'previewed', toDo: 1 });
  });

  it('is sent all the same when somebody insists, and says why', async () => {
    const body = { devices: ['har-acc-15'], lines: '- shell on', insist: true };
    expect((await refusal(f.client.call('run.errand', { body: body }))).code).to.equal('insist-reason');
    const run = await settled(
      f.client,
      await f.client.call('run.errand', { body: body, reason: 'the console cable is in' }),
    );
    expect(run.rows[0]?.detail).to.equal('1 line to go; the service would not get in any more: SSH would be off');
    expect((await go(run.id, 1)).rows[0]).to.include({ outcome: 'brought over' });
    expect(printed('har-acc-15')).not.to.contain('shell on');
  });

  it('signs in a second time before anything is kept, and takes back what shut the door', async () => {
    const name = addDevice(f.lab, 'furrow', 41, { climb: 'up-the-mast' });
    await paste(f.client, 'furrow', [name]);
    await acquainted(f.client);
    await access(name, 'access.second', 'up-the-mast');
    const before = printed(name);
    const kept = f.lab.device(name).options.flash.kept;
    // No pattern of the sheet knows of the phrase for more rights: only trying shows it.
    const run = await preview({ devices: [name], lines: 'climb by another-phrase\njournal to 10.77.0.9' });
    const done = await go(run.id, 1);
    expect(done.rows[0]?.outcome).to.equal('turned down');
    expect(done.rows[0]?.detail).to.match(/^a second sign-in failed: .*; it was undone$/);
    expect(done.rows[0]?.errand?.kept).to.equal('not kept');
    expect(printed(name).split('\n').sort()).to.deep.equal(before.split('\n').sort());
    expect(f.lab.device(name).options.flash.kept).to.equal(kept);
    expect(JSON.stringify(done)).not.to.contain('another-phrase').and.not.to.contain('up-the-mast');
  });

  it('says that there is no such line, with the one that is meant, and takes away by its beginning', async () => {
    const name = 'har-acc-5';
    f.lab.furrow(name).memory.take([], 'alert to 10.77.0.8 word bell-buoy-9');
    const wrong = rowOf(await preview({ devices: [name], lines: '- alert to 10.77.0.8' }), name);
    expect(wrong.outcome).to.equal('turned down');
    expect(wrong.detail).to.equal(
      'there is no line "alert to 10.77.0.8"; there is "alert to 10.77.0.8 word ••••••": "- alert to 10.77.0.8 ..." takes away what begins so',
    );
    const run = await preview({ devices: [name], lines: '- alert to 10.77.0.8 ...' });
    expect(run.toDo).to.equal(1);
    expect((await go(run.id, 1)).counts).to.deep.equal({ 'brought over': 1 });
    expect(printed(name)).to.not.contain('alert to');
  });

  it('writes a block anew, exactly, and takes away what a file says', async () => {
    const name = 'har-acc-6';
    const memory = f.lab.furrow(name).memory;
    for (const line of ['| one line', '| another']) memory.take(memory.take([], 'greeting') && ['greeting'], line);
    const anew = await preview({ devices: [name], lines: '- greeting\ngreeting\n  | one line\n' });
    expect((await go(anew.id, 1)).counts).to.deep.equal({ 'brought over': 1 });
    expect(printed(name)).to.contain('greeting\n  | one line\n').and.not.contain('another');
    const exactly = await preview({ devices: [name], lines: 'exactly socket 1/2\n  lane 304\n  state still\n' });
    expect((await go(exactly.id, 1)).counts).to.deep.equal({ 'brought over': 1 });
    expect(printed(name)).to.contain('socket 1/2\n  lane 304\n  state still\n');
    const away = await preview({
      devices: [name],
      lines: 'greeting\n  | one line\njournal to 10.77.0.7\n',
      away: true,
    });
    expect((await go(away.id, 1)).counts).to.deep.equal({ 'brought over': 1 });
    expect(printed(name)).to.not.contain('greeting').and.not.contain('journal');
    const again = await preview({
      devices: [name],
      lines: 'greeting\n  | one line\njournal to 10.77.0.7\n',
      away: true,
    });
    expect(again.counts).to.deep.equal({ 'already right': 1 });
  });

  it('warns of what is odd about its lines, and is sent all the same when it is confirmed', async () => {
    const run = await preview({ devices: ['har-acc-7'], lines: 'jurnal to 10.77.0.7' });
    expect(rowOf(run, 'har-acc-7').errand?.warnings).to.deep.equal([
      'line 1: no line of Furrow that is known here begins with "jurnal"; did you mean "journal"?',
    ]);
    expect((await go(run.id, 1)).counts).to.deep.equal({ 'turned down': 1 });
  });

  it('is held against what is expected of each device, and stops the wave where that is not so', async () => {
    const devices = ['har-acc-16', 'har-acc-17'];
    const lines = 'clock follow 10.77.0.11';
    const expectation = (text: string) => ({ kind: 'field' as const, text });
    const asked = { devices, lines, questions: ['time'] };
    const nothing = await refusal(
      f.client.call('run.errand', { body: { devices, lines, expect: [expectation('a=b')] } }),
    );
    expect(nothing.code).to.equal('expect-nothing-asked');
    const odd = await refusal(f.client.call('run.errand', { body: { ...asked, expect: [expectation('no equals')] } }));
    expect(odd.errors?.[0]?.pointer).to.equal('/expect/0/text');
    const unknown = await refusal(
      f.client.call('run.errand', { body: { ...asked, expect: [expectation('server=@{device.nmae}')] } }),
    );
    expect(unknown.detail).to.contain('did you mean "name"?');
    const run = await preview({ ...asked, expect: [expectation('zone=@{device.name}')] });
    const done = await go(run.id, 2);
    expect(done.counts).to.deep.equal({ 'not as expected': 1, 'left out': 1 });
    expect(rowOf(done, 'har-acc-16').detail).to.equal('1 line there now; has no zone=har-acc-16');
    const well = await preview({
      devices: ['har-acc-17'],
      lines,
      questions: ['time'],
      expect: [expectation('zone=Europe/London'), { kind: 'has' as const, text: '10.77.0.11' }],
    });
    expect((await go(well.id, 1)).counts).to.deep.equal({ 'brought over': 1 });
  });

  it('takes no mask for a secret', async () => {
    const dots = 'account netops\n  phrase plain ••••••';
    const problem = await refusal(f.client.call('run.errand', { body: { devices: ['har-acc-1'], lines: dots } }));
    expect(problem.code).to.equal('mask-sent');
    expect(problem.errors?.[0]?.detail).to.match(/^har-acc-1, line 2: •{6} stands for a secret/);
    expect((await refusal(access('har-acc-1', 'access.password', '••••••'))).code).to.equal('mask-sent');
    expect((await refusal(access('har-acc-1', 'users', { netops: '••••••' }))).code).to.equal('mask-sent');
  });

  it('sends the secrets of a capture in place of its dots, and shows none of them', async () => {
    const name = 'har-acc-18';
    const memory = f.lab.furrow(name).memory;
    memory.take(memory.take([], 'account visitor') && ['account visitor'], 'phrase plain first-boat');
    memory.take([], 'alert to 10.77.0.8 word bell-buoy-9');
    await settled(f.client, await f.client.call('run.capture', { body: { devices: [name] } }));
    const { items } = await f.client.call('capture.list', { query: { device: name, file: 'running', limit: 5 } });
    const id = items[0]?.id ?? 0;
    const { text } = await f.client.call('capture.show', { params: { id: String(id) } });
    expect(text).to.contain('phrase plain ••••••').and.contain('word ••••••');
    memory.strike([], 'account visitor');
    memory.strike([], 'alert to 10.77.0.8 word bell-buoy-9');
    const lines = text
      .split('\n')
      .filter((line) => !line.startsWith('#'))
      .join('\n');
    const refused = await refusal(f.client.call('run.errand', { body: { devices: [name], lines } }));
    expect(refused.code).to.equal('mask-sent');
    const run = await preview({ devices: [name], lines, secretsFrom: id });
    expect(run.toDo).to.equal(1);
    const done = await go(run.id, 1);
    expect(done.counts).to.deep.equal({ 'brought over': 1 });
    expect(printed(name)).to.contain('phrase plain first-boat').and.contain('word bell-buoy-9');
    for (const secret of ['first-boat', 'bell-buoy-9']) expect(JSON.stringify(done)).to.not.contain(secret);
  });

  it('does the same with the secrets of an edition', async () => {
    const name = 'har-acc-17';
    const source = '@part "alert" owns "alert to "\nalert to 10.77.0.8 word @{set.trap.word}\n@end\n';
    await f.client.add('template', { name: 'with-a-word', dialect: 'furrow', source });
    await f.client.edit('device', name, { template: 'with-a-word' });
    await f.client.call('value.put', {
      body: { setting: 'trap.word', layer: 'device', of: name, mode: 'set', value: 'gong-buoy-3' },
    });
    const { number } = await f.client.call('edition.make', { params: { ref: name }, body: {} });
    const shown = await f.client.call('edition.show', { params: { ref: name, number: String(number) }, query: {} });
    const lines = shown.files[0]?.text ?? '';
    expect(lines).to.contain('alert to 10.77.0.8 word ••••••');
    expect((await refusal(preview({ devices: [name], lines }))).code).to.equal('mask-sent');
    const gone = refusal(preview({ devices: [name], lines, secretsFromEdition: { device: name, number: 99 } }));
    expect((await gone).code).to.equal('not-found');
    const run = await preview({ devices: [name], lines, secretsFromEdition: { device: name, number } });
    const done = await go(run.id, 1);
    expect(done.counts).to.deep.equal({ 'brought over': 1 });
    expect(printed(name)).to.contain('alert to 10.77.0.8 word gong-buoy-3');
    expect(JSON.stringify(done)).to.not.contain('gong-buoy-3');
  });

  it('climbs for more rights where the access set has the second password', async () => {
    const name = addDevice(f.lab, 'furrow', 40, { climb: 'up-the-mast' });
    await paste(f.client, 'furrow', [name]);
    await acquainted(f.client, `name=${name}`);
    const low = await preview({ devices: [name], lines: 'journal to 10.77.0.16' });
    expect((await go(low.id, 1)).rows[0]?.detail).to.equal('"plough": you only look; climb first');
    await f.client.call('value.put', {
      body: { setting: 'access.second', layer: 'device', of: name, mode: 'set', value: 'up-the-mast' },
    });
    const high = await preview({ devices: [name], lines: 'journal to 10.77.0.16' });
    expect((await go(high.id, 1)).counts).to.deep.equal({ 'brought over': 1 });
    await f.client.call('value.put', {
      body: { setting: 'access.second', layer: 'device', of: name, mode: 'set', value: 'wrong' },
    });
    const seen = await settled(f.client, await f.client.call('run.reach', { body: { devices: [name] } }));
    expect(seen.rows[0]?.detail).to.equal('Privilege: that is not the phrase');
  });
});
