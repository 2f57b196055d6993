/** `./run demo` without its set-up: everything comes up, and everything it started goes with it. */
import { spawn, type ChildProcess } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { milestones } from '@zpine/core/arrival/arrival';
import { eventually } from '../trials/eventually.ts';

describe('the demo', function () {
  this.timeout(180_000);
  const state = mkdtempSync(join(tmpdir(), 'zpine-demo-'));
  after(() => rmSync(state, { recursive: true, force: true }));

  async function launch(
    ...args: string[]
  ): Promise<{ child: ChildProcess; said: string; url: string; ended: Promise<number | null> }> {
    const child = spawn(process.execPath, ['dist/launch.js', ...args], {
      env: { ...process.env, ZPINE_STATE: state, ZPINE_LISTEN_PORT: '0' },
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    const ended = new Promise<number | null>((done) => child.once('exit', done));
    let said = '';
    await new Promise<void>((done, fail) => {
      child.stdout?.on('data', (chunk: Buffer) => {
        said += chunk.toString();
        if (said.includes('Ctrl-C')) done();
      });
      void ended.then(() => fail(new Error(`it ended early: ${said}`)));
    });
    return { child, said, url: /http:\/\/[\d.]+:\d+/.exec(said)?.[0] ?? '', ended };
  }

  /** The processes of this machine whose command line or environment names the state folder. */
  const left = (): string[] =>
    readdirSync('/proc')
      .filter((pid) => /^\d+$/.test(pid) && Number(pid) !== process.pid)
      .filter((pid) => {
        try {
          return `${readFileSync(`/proc/${pid}/cmdline`, 'utf8')}${readFileSync(`/proc/${pid}/environ`, 'utf8')}`.includes(
            state,
          );
        } catch {
          return false;
        }
      });
  const nothingLeft = async () => {
    await eventually(
      () => `nothing is left of ${left().join(', ')}`,
      () => left().length === 0,
    );
  };

  it('begins anew when asked to: loads Brackwater Ferries and says where it is and how to sign in', async () => {
    // What another demo left, and what no database would begin with.
    mkdirSync(join(state, 'demo', 'data'), { recursive: true });
    for (const left of ['loaded', 'data/ibdata1']) writeFileSync(join(state, 'demo', left), 'left over');
    const { child, said, url, ended } = await launch('demo', '--fresh');
    expect(said).to.include('is loaded');
    const password = /m\.lind \/ (\S+)/.exec(said)?.[1] ?? '';
    const response = await fetch(`${url}/api/v1/session`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ name: 'm.lind', password }),
    });
    const Cookie = response.headers.get('set-cookie')?.split(';')[0] ?? '';
    const devices = (await (await fetch(`${url}/api/v1/devices?count=true`, { headers: { Cookie } })).json()) as {
      count: number;
    };
    expect(devices.count).to.equal(23);
    expect(await (await fetch(url)).text()).to.include('Zealous Pine');
    child.kill('SIGINT');
    expect(await ended).to.equal(0);
    await nothingLeft();
  });

  it('lets its switches boot until they serve, and says every milestone', async () => {
    const child = spawn(process.execPath, ['dist/launch.js', 'demo', '--until-served'], {
      env: { ...process.env, ZPINE_STATE: state, ZPINE_LISTEN_PORT: '0' },
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    let said = '';
    child.stdout.on('data', (chunk: Buffer) => (said += chunk.toString()));
    expect(await new Promise((done) => child.once('exit', done)), said).to.equal(0);
    // Of three dialects; Cobbleholm's switch fetches its image, too.
    const served = ['ard-acc-1', 'cob-acc-1', 'cob-xr-1', 'cob-acc-2'];
    for (const device of served)
      for (const milestone of milestones.filter((stone) => stone !== 'image' || device === 'cob-acc-1'))
        expect(said).to.match(new RegExp(`${device} +${milestone}`));
    expect(said).to.match(new RegExp(`${served.join(', ')}: serving\n$`));
    await nothingLeft();
  });

  it('is up again within seconds, with what it had', async () => {
    const start = Date.now();
    const { child, said, ended } = await launch('demo');
    expect(Date.now() - start).to.be.lessThan(30_000);
    expect(said).to.not.include('is loaded');
    child.kill('SIGTERM');
    await ended;
    await nothingLeft();
  });

  it('leaves nothing running when it is killed outright', async () => {
    const { child, ended } = await launch('demo');
    expect(left().length).to.be.greaterThan(1);
    child.kill('SIGKILL');
    await ended;
    await nothingLeft();
  });

  it('has a sibling for real use: an empty database, and a first administrator by a command', async () => {
    const { child, url, ended } = await launch('serve');
    const user = spawn(process.execPath, ['dist/launch.js', 'user', 'first', 'admin'], {
      env: { ...process.env, ZPINE_STATE: state },
      stdio: ['pipe', 'ignore', 'inherit'],
    });
    user.stdin.end('a password of my own\n');
    expect(await new Promise((done) => user.once('exit', done))).to.equal(0);
    const response = await fetch(`${url}/api/v1/session`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ name: 'first', password: 'a password of my own' }),
    });
    expect(await response.json()).to.include({ name: 'first', role: 'admin' });
    child.kill('SIGINT');
    expect(await ended).to.equal(0);
    await nothingLeft();
    expect(existsSync(join(state, 'serve', 'data'))).to.equal(true);
  });
});
