/** The first ten minutes with devices that nobody modelled, on the command line. */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { PASSWORD } from '../../ops/stack.ts';
import { zpineIn } from '../zpine.ts';
import { addDevice, addressOf, fleet, PASS, USER, type Fleet } from './bench.ts';

describe('the running fleet on the command line', function () {
  this.timeout(60_000);
  const home = mkdtempSync(join(tmpdir(), 'zpine-fleet-cli-'));
  const { zpine, zpineWith, well } = zpineIn(home);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 0, quill: 0, shale: 0 });
    for (const n of [1, 2, 3])
      addDevice(f.lab, 'furrow', n, { hears: n === 2 ? [{ on: '1/2', mac: '02:00:00:ca:fe:02', vlan: 352 }] : [] });
    addDevice(f.lab, 'quill', 1);
    addDevice(f.lab, 'shale', 1);
    await zpineWith(PASSWORD, {}, 'sign-in', f.url, '--user', 'engineer');
  });
  after(async () => {
    await f.end();
    rmSync(home, { recursive: true, force: true });
  });
  const file = (name: string, text: string) => {
    writeFileSync(join(home, name), text);
    return join(home, name);
  };

  it('takes them in by a pasted list, with a dialect that ships and a login said once', async () => {
    const list = [1, 2, 3].map((n) => `har-acc-${n}  ${addressOf('furrow', n)}`).join('\n');
    const env = { ZPINE_LOGIN_PASSWORD: PASS };
    for (const [dialect, text] of [
      ['furrow', list],
      ['quill', `har-xr-1 ${addressOf('quill', 1)}`],
      ['shale', `har-wb-1 ${addressOf('shale', 1)}`],
    ] as const) {
      const path = file(`${dialect}.txt`, text);
      const said = await zpineWith(
        '',
        env,
        'device',
        'paste',
        path,
        '--dialect',
        dialect,
        '--user',
        USER,
        '--label',
        'quay',
        '--yes',
      );
      expect(said.status, said.err).to.equal(0);
    }
    expect(await well('dialect', 'list')).to.contain('quill');
  });

  it('reaches them: new keys are shown, accepted, and then all rungs hold', async () => {
    const first = await zpine('reach', '--where', 'labels=quay');
    expect(first.status).to.equal(1);
    expect(first.out).to.match(/har-acc-1 +● +● +● +● +\? +· +· +· +it is new: ssh-ed25519 SHA256:/);
    expect(first.out).to.contain('5 host keys to be looked at: the same with --accept');
    const again = await zpine('reach', '--where', 'labels=quay', '--accept', '--yes');
    expect(again.status, again.err).to.equal(0);
    expect(again.err).to.contain('SHA256:');
    expect(again.out).to.match(/har-xr-1 +(● +){8}CB-7, version 2\.4\.1, CB-7-1001/);
    expect(again.out).to.match(/5 devices: 5 reached {3}\d\d:\d\d:\d\d to \d\d:\d\d:\d\d, [\d.]+ s {3}run #\d+/);
  });

  it('asks them one question, as fields, and fails where an expectation is missed', async () => {
    expect(await well('ask', 'time', '--where', 'labels=quay', '--expect', '10.77.0.5')).to.match(
      /har-wb-1 +\d{4}-\d\d-\d\d [\d:]+ +10\.77\.0\.5, 10\.77\.0\.6 +in step +Europe\/London/,
    );
    f.lab.furrow('har-acc-3').memory.strike([], 'clock follow 10.77.0.6');
    const { out, status } = await zpine(
      'ask',
      '--command',
      'tell clock',
      '--where',
      'dialect=furrow',
      '--expect',
      '10.77.0.6',
    );
    expect(status).to.equal(1);
    expect(out).to.contain('tell clock: 2 alike, 1 differs').and.contain('-follows 10.77.0.6 in step');
    expect(out)
      .to.contain('2 of 3 answers are as expected')
      .and.match(/har-acc-3 +has no "10\.77\.0\.6"/);
    const csv = await well('ask', 'interfaces', 'macs', '--device', 'har-acc-2', '--csv');
    expect(csv.split('\r\n')[0]).to.equal('device,ask,interface,state,address,mac,vlan,remark');
    const refused = await zpine('ask', '--command', 'plough', '--where', 'dialect=furrow');
    expect(refused).to.include({ status: 1 });
    expect(refused.err).to.contain(`"plough" is not one of Furrow's read-only commands`);
    const json = JSON.parse(await well('ask', 'version', '--device', 'har-wb-1', '--json')) as {
      rows: { answers: { rows: object[] }[] }[];
    };
    expect(json.rows[0]?.answers[0]?.rows[0]).to.deep.equal({
      name: 'har-wb-1',
      model: 'TW-8',
      serial: 'TW-8-1001',
      version: '2.4.1',
    });
  });

  it('says where a MAC is, and whose address lies in a prefix', async () => {
    expect(await well('live', 'mac', 'cafe02')).to.match(/02:00:00:ca:fe:02 +har-acc-2 +1\/2 +352 +1/);
    expect(await well('live', 'addresses', '10.77.96.0/24')).to.match(
      /10\.77\.96\.12\/24 +har-acc-2 +lane 304 +exactly +up .* har-acc-2:management +● agree/,
    );
  });

  it('captures them, and shows, compares and searches what was captured', async () => {
    expect(await well('capture', 'now', '--where', 'labels=quay')).to.contain('5 devices: 5 captured');
    f.lab.furrow('har-acc-1').memory.take([], 'journal to 10.77.0.7');
    expect(await well('capture', 'now', '--where', 'labels=quay')).to.contain('5 devices: 1 captured, 4 unchanged');
    expect(await well('capture', 'diff', 'har-acc-1')).to.match(/^\+ journal to 10\.77\.0\.7$/m);
    expect(await well('capture', 'show', 'har-acc-1')).to.contain('phrase plain ••••••');
    expect(await well('capture', 'show', 'har-acc-1', '--reveal', '--reason', 'a test')).to.contain(PASS);
    expect(await well('capture', 'search', 'journal')).to.contain('har-acc-1');
    const lacking = await well('capture', 'search', 'clock follow 10.77.0.6', '--missing');
    expect(lacking).to.contain('har-acc-3').and.not.contain('har-acc-1');
  });

  it('sends an errand: previewed, confirmed by number, verified, taken back', async () => {
    const lines = file('gates.txt', 'journal to 10.77.0.7\nsocket 1/2\n  about "gate"\n');
    const unasked = await zpine('errand', 'run', lines, '--where', 'dialect=furrow', '--ask', 'wether');
    expect(unasked).to.include({ status: 1 });
    expect(unasked.err).to.match(/wether/);
    const preview = await zpine('errand', 'run', lines, '--where', 'dialect=furrow');
    expect(preview.out).to.contain(
      '1 device: har-acc-1\n  = journal to 10.77.0.7\n  + socket 1/2 > about "gate"   (instead of about "desk 2")',
    );
    expect(preview.out).to.contain('3 devices: 3 to be changed');
    const id = /zpine run go (\d+) 3/.exec(preview.err)?.[1] ?? '';
    const wrong = await zpine('errand', 'go', `#${id}`, '2');
    expect(wrong.err).to.contain('this would change 3 devices, not 2');
    expect(await well('errand', 'go', `#${id}`, '3'))
      .to.contain('3 devices: 3 brought over')
      .and.contain(`zpine run back ${id}`);
    expect(f.lab.device('har-acc-3').print()).to.contain('about "gate"');
    expect(await well('errand', 'run', lines, '--where', 'dialect=furrow')).to.contain('3 already right');
    expect(await well('errand', 'back', `#${id}`, '--go', '3')).to.contain('3 brought over');
    expect(f.lab.device('har-acc-3').print()).to.contain('about "desk 2"');
    const columns = file(
      'columns.csv',
      'har-acc-1;har-acc-2\nclock follow 10.77.0.8;\nclock follow 10.77.0.9;clock follow 10.77.0.9\n',
    );
    expect(await well('errand', 'run', '--table', columns, '--go', '2')).to.contain('2 brought over');
    expect(f.lab.device('har-acc-1').print()).to.contain('clock follow 10.77.0.8');
    expect(await well('run', 'list', '--kind', 'errand')).to.contain('#');
  });

  it('checks a sheet, and tries it on a session', async () => {
    const shipped = await well('dialect', 'shipped', 'furrow');
    const own = file(
      'ridge.yaml',
      `${shipped.replace('title: Furrow', 'title: Ridge').replace('keep: keep', 'kepe: keep')}\n`,
    );
    const bad = await zpine('dialect', 'check', own);
    expect(bad.status).to.equal(1);
    expect(bad.out).to.contain('ridge.yaml:21:1  kepe: unknown key "kepe"; did you mean keep?');
    const good = file('ridge.yaml', `${shipped.replace('title: Furrow', 'title: Ridge')}\n`);
    expect(await well('dialect', 'check', good)).to.contain('Ridge, no faults; it knows the questions version');
    const session = file(
      'terminal.log',
      'quay: tell about\nmodel LF-24\nserial S1\nquay: tell now\nname quay\nquay: \n',
    );
    expect(await well('dialect', 'try', good, '--session', session)).to.match(
      /● +version +tell about +2 of 2|● +version +tell about +1 of 2/,
    );
    expect(await well('dialect', 'try', good, '--device', 'har-acc-1')).to.contain('LF-24');
    expect(await well('dialect', 'put', 'ridge', good)).to.equal('ridge has the sheet of ridge.yaml');
  });

  it('says what is watched, and that nothing is', async () => {
    expect((await zpine('watch', 'list')).err).to.contain('nothing is watched');
    // What was changed behind its back and captured since is told.
    expect(await well('watch', 'notices')).to.contain('har-acc-1 runs another configuration than at');
    expect((await zpine('reach')).status).to.equal(2);
  });
});
