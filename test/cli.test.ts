/** The command line as people use it: the built program, a real service, its own configuration folder. */
import { mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { PASSWORD } from '../ops/stack.ts';
import { kindNames } from '@zpine/contract/kinds';
import { testService, type TestBench } from './service.ts';
import { zpineIn } from './zpine.ts';

describe('the command line', () => {
  const home = mkdtempSync(join(tmpdir(), 'zpine-cli-'));
  let bench: TestBench;
  before(async () => {
    bench = await testService();
  });
  after(async () => {
    await bench.stop();
    rmSync(home, { recursive: true, force: true });
  });

  const { zpineWith, zpine, well } = zpineIn(home);

  it('asks for sign-in before anything else', async () => {
    const { err, status } = await zpine('device', 'list');
    expect(err).to.include('zpine sign-in');
    expect(status).to.equal(2);
  });

  it('signs in and keeps a token that only its owner can read', async () => {
    const wrong = await zpineWith('not the password\n', {}, 'sign-in', bench.url, '--user', 'engineer');
    expect(wrong).to.include({ status: 1 });
    expect(wrong.err).to.include('refused: the user name or the password is not right');
    const { out, status } = await zpineWith(`${PASSWORD}\n`, {}, 'sign-in', bench.url, '--user', 'engineer');
    expect(status).to.equal(0);
    expect(out).to.include('signed in as engineer (engineer)');
    const file = join(home, 'zealous-pine', 'sign-in.json');
    expect(statSync(file).mode & 0o777).to.equal(0o600);
    expect(readFileSync(file, 'utf8')).to.not.include(PASSWORD);
    expect(await well('who')).to.equal(`engineer, engineer, at ${bench.url}`);
  });

  it('declares a site, a rack, a device with its box and a management prefix, and gets the next free address', async () => {
    await well('area', 'add', 'north-line', '--title', 'North line');
    await well('site', 'add', 'ARD', '--title', 'Ardle', '--area', 'north-line', '--timeZone', 'Europe/London');
    await well('room', 'add', 'ard/closet', '--title', 'Wiring closet');
    expect(await well('rack', 'add', 'ard/closet/w1', '--heightU', '12')).to.equal('added rack ard/closet/w1');
    await well('vendor', 'add', 'larkfield');
    await well('model', 'add', 'larkfield/lf-24', '--title', 'LF-24');
    await well('use', 'add', 'management', '--management', 'yes');
    await well('duty', 'add', 'access');
    await well('vlan', 'add', 'ard/304', '--use', 'management', '--title', 'management');
    await well(
      'prefix',
      'add',
      '10.77.16.0/24',
      '--vlan',
      'ard/304',
      '--gateway',
      '10.77.16.1',
      '--heldBack',
      '10.77.16.2-10.77.16.10',
    );
    await well(
      'device',
      'add',
      'ard-acc-1',
      '--duty',
      'access',
      '--model',
      'larkfield/lf-24',
      '--rack',
      'ard/closet/w1',
      '--positionU',
      '7',
    );
    await well(
      'box',
      'add',
      'LF24-0188-01',
      '--model',
      'larkfield/lf-24',
      '--mac',
      '00005E0053A1',
      '--device',
      'ard-acc-1',
    );
    expect(await well('address', 'next', '10.77.16.0/24')).to.equal(
      '10.77.16.11/24 is free (management at ARD, 244 left)',
    );
    expect(await well('address', 'next', '--for', 'ard-acc-1')).to.equal(
      '10.77.16.11/24 for ard-acc-1 on vlan 304 (management at ARD, 243 left)',
    );
    expect(await well('address', 'next', '--for', 'ard-acc-1')).to.match(/, as before$/);
  });

  it('shows a device at a glance', async () => {
    const lines = (await well('device', 'show', 'ard-acc-1')).split('\n');
    expect(lines[0]).to.match(/^ard-acc-1 +○ sketched since \d+ s {4}access · LF-24 · LF24-0188-01$/);
    expect(lines[1]).to.match(/^place +ard\/closet\/w1 U 7 front$/);
    expect(lines[2]).to.match(/^management +10\.77\.16\.11\/24 on vlan 304, gateway 10\.77\.16\.1$/);
    const further = lines.map((line) => line.split(/ {2,}/)).filter(([field]) => field === 'provisioned');
    expect(further).to.deep.equal([['provisioned', 'yes']]);
  });

  it('lists in columns for people, and in JSON and CSV for programs', async () => {
    await well('device', 'add', 'ard-acc-10', '--site', 'ard');
    await well('device', 'add', 'ard-acc-2', '--site', 'ard');
    const rows = (await well('device', 'list', '--site', 'ARD')).split('\n');
    expect(rows.map((row) => row.split(/\s+/)[0])).to.deep.equal(['device', 'ard-acc-1', 'ard-acc-2', 'ard-acc-10']);
    expect((JSON.parse(await well('device', 'list', '--json')) as { key: string }[]).map((d) => d.key)).to.have.length(
      3,
    );
    expect((await well('--csv', 'device', 'list', '--duty', 'access')).split('\r\n')[1]).to.match(
      /^ard-acc-1,access,larkfield\/lf-24,,ard,ard\/closet\/w1,7,front,left,sketched/,
    );
    expect(await well('box', 'list', '--mac', '00-00-5e-00-53-a1')).to.include('lf24-0188-01');
  });

  it('asks network or host when host bits are set', async () => {
    const { err, status } = await zpine('prefix', 'add', '10.77.48.7/24', '--site', 'ARD');
    expect(status).to.equal(1);
    expect(err.trimEnd().split('\n')).to.deep.equal([
      'refused: 10.77.48.7/24 has host bits set (field cidr)',
      '  meant the network?  10.77.48.0/24',
      '  meant the host?     zpine address add 10.77.48.7 --for DEVICE',
    ]);
  });

  it('gives a device the address that is named', async () => {
    expect(await well('address', 'add', '10.77.16.5', '--for', 'ard-acc-2')).to.equal(
      '10.77.16.5/24 for ard-acc-2 on vlan 304 (management at ARD, 243 left)',
    );
    // Another one is neither assigned in silence nor taken for the one that is there.
    const other = await zpine('address', 'add', '10.77.16.6', '--for', 'ard-acc-2');
    expect(other.status).to.equal(1);
    expect(other.err).to.contain('ard-acc-2 has the management address 10.77.16.5 already');
    expect(await well('address', 'add', '10.77.16.5', '--for', 'ard-acc-2')).to.contain('as before');
    // No model says how its interface is called: it has a name that no device could have for its own.
    expect(await well('address', 'release', '10.77.16.5')).to.equal('released 10.77.16.5 of ard-acc-2:management');
  });

  it('edits with a look at what changed, clears, and removes', async () => {
    expect(await well('rack', 'edit', 'ard/closet/w1', '--heightU', '15', '--reason', 'a bigger one')).to.equal(
      'edited rack ard/closet/w1\n  heightU  12 → 15',
    );
    expect(await well('rack', 'edit', 'ard/closet/w1', '--heightU', '15')).to.include('nothing was different');
    expect(await well('site', 'edit', 'ard', '--clear', 'area')).to.include('area  north-line → (empty)');
    expect((await zpine('area', 'remove', 'north-line')).status).to.equal(1);
    expect(await well('area', 'remove', 'north-line', '--yes')).to.equal(
      'removed area north-line; zpine restore area north-line brings it back',
    );
    const history = await well('history', 'rack', 'ard/closet/w1');
    expect(history).to.include('“a bigger one”').and.to.include('heightU 12 → 15');
  });

  it('says all faults at once', async () => {
    const { err, status } = await zpine('rack', 'add', 'ard/closett/w2', '--heightU', 'twelve');
    expect(status).to.equal(1);
    expect(err).to.include('field heightU').and.to.include('a number is expected here');
    const { err: other } = await zpine('rack', 'add', 'ard/closett/w2', '--purpose', 'none-such');
    expect(other).to.include('2 faults, nothing saved').and.to.include('did you mean ard/closet?');
  });

  it('suggests what was meant in the command itself', async () => {
    const { err, status } = await zpine('rack', 'edit', 'ard/closet/w1', '--hightU', '14');
    expect(status).to.equal(2);
    expect(err).to.include('--heightU');
    expect((await zpine('devise', 'list')).err).to.include('device');
  });

  it('finds a MAC however it was written', async () => {
    for (const typed of ['00:00:5e:00:53:a1', '0000.5E00.53A1', '00005e0053a1'])
      expect(await well('search', typed)).to.include('lf24-0188-01');
    expect(await well('search', '10.77.16.11')).to.include('ard-acc-1');
    expect(await well('search', 'wiring')).to.include('ard/closet');
  });

  it('tells what waits for somebody', async () => {
    expect(await well('today')).to.match(
      /no management address\s+ard-acc-10\s+It has no management address; ARD has 243 free\.\s+zpine address next --for ard-acc-10/,
    );
  });

  it('may no more than its user', async () => {
    const env = { ZPINE_URL: bench.url, ZPINE_TOKEN: bench.tokens.viewer };
    const { err, status } = await zpineWith('', env, 'site', 'add', 'cob');
    expect(status).to.equal(1);
    expect(err).to.include('this needs the role engineer; yours is viewer');
  });

  it('says when the service is not reached', async () => {
    const { err, status } = await zpineWith(
      '',
      { ZPINE_URL: 'http://127.0.0.1:9', ZPINE_TOKEN: 'zpt_x' },
      'site',
      'list',
    );
    expect(status).to.equal(3);
    expect(err).to.include('not reached: http://127.0.0.1:9 does not answer');
  });

  it('has the five verbs for every kind, with examples', async () => {
    const help = await well('--help');
    for (const kind of kindNames) expect(help).to.match(new RegExp(`^  ${kind} `, 'm'));
    for (const verb of ['list', 'show', 'add', 'edit', 'remove']) {
      const said = await well('rack', verb, '--help');
      expect(said).to.include('Usage: zpine rack');
    }
    expect(await well('rack', 'add', '--help')).to.include('zpine rack add ard/closet/w1');
  });

  it('signs out and leaves no token behind', async () => {
    expect(await well('sign-out')).to.equal('signed out');
    expect((await zpine('who')).status).to.equal(2);
    const tokens = await bench.clients.engineer.call('token.list');
    expect(tokens.items.filter((t) => t.title.startsWith('zpine on'))).to.deep.equal([]);
  });
});
