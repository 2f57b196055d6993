/** Shale against a real OpenSSH server on loopback: a real host, a real shell, keys, old algorithms, a jump. */
import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import {
  chmodSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { connect, createServer, type AddressInfo } from 'node:net';
import { tmpdir, userInfo } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { newKeyPair } from '@zpine/lab/ssh';
import { testService, type TestBench } from '../service.ts';
import { rowOf, settled } from './bench.ts';

const freePort = (): Promise<number> =>
  new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as AddressInfo;
      server.close(() => resolve(port));
    });
  });

const answers = async (port: number): Promise<void> => {
  for (let i = 0; i < 100; i += 1) {
    const up = await new Promise<boolean>((resolve) => {
      const socket = connect({ host: '127.0.0.1', port }, () => {
        socket.destroy();
        resolve(true);
      }).on('error', () => resolve(false));
    });
    if (up) return;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  throw new Error('sshd did not come up');
};

describe('a real OpenSSH server, with Shale behind it', function () {
  this.timeout(60_000);
  const folder = mkdtempSync(join(tmpdir(), 'zpine-sshd-'));
  let bench: TestBench;
  let port: number;
  let server: ChildProcess;
  const user = userInfo().username;
  const DEVICE = 'har-wb-1';

  before(async () => {
    // What the server needs to split off its children.
    try {
      mkdirSync('/run/sshd', { recursive: true });
    } catch {
      // Not ours to make; it is only wanted where sshd runs as root.
    }
    for (const part of ['etc', 'run', 'bin']) mkdirSync(join(folder, part));
    copyFileSync('lab/shale/shale', join(folder, 'bin', 'shale'));
    chmodSync(join(folder, 'bin', 'shale'), 0o755);
    writeFileSync(join(folder, 'etc', 'lines'), 'host har-wb-1\nzone Europe/London\nntp 10.77.0.5\n');
    writeFileSync(join(folder, 'etc', 'about'), 'model=TW-8\nserial=TW8-REAL\nversion=6.1\n');
    execFileSync('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-f', join(folder, 'host')]);
    const { private: key, public: authorized } = newKeyPair();
    writeFileSync(join(folder, 'authorized'), `${authorized}\n`, { mode: 0o600 });
    port = await freePort();
    writeFileSync(
      join(folder, 'config'),
      [
        `Port ${port}`,
        'ListenAddress 127.0.0.1',
        `HostKey ${join(folder, 'host')}`,
        `AuthorizedKeysFile ${join(folder, 'authorized')}`,
        `PidFile ${join(folder, 'pid')}`,
        'StrictModes no',
        'UsePAM no',
        'PasswordAuthentication no',
        'PermitRootLogin yes',
        'AllowTcpForwarding yes',
        `SetEnv SHALE_ETC=${join(folder, 'etc')} SHALE_RUN=${join(folder, 'run')} PATH=${join(folder, 'bin')}:/usr/sbin:/usr/bin:/sbin:/bin`,
        '',
      ].join('\n'),
    );
    const sshd = execFileSync('sh', ['-c', 'command -v sshd || echo /usr/sbin/sshd'], { encoding: 'utf8' }).trim();
    server = spawn(sshd, ['-D', '-e', '-f', join(folder, 'config')], { stdio: ['ignore', 'ignore', 'pipe'] });
    await answers(port);
    // The records have an address of the network; it is this machine's own that is dialled.
    bench = await testService({ ZPINE_DIAL_MAP: 'default 10.77.99.0/24 127.0.0.0/24' });
    const api = bench.clients.engineer;
    await api.call('import.paste', {
      body: { text: `${DEVICE} 10.77.99.1`, dialect: 'shale', user, port, label: 'real', apply: true },
    });
    for (const [setting, value] of [
      ['access.key', key],
      ['access.user', user],
    ])
      await api.call('value.put', {
        body: { setting: setting ?? '', layer: 'device', of: DEVICE, mode: 'set', value: value ?? '' },
      });
  });
  after(async () => {
    server.kill('SIGTERM');
    await bench.stop();
    rmSync(folder, { recursive: true, force: true });
  });

  const api = () => bench.clients.engineer;

  it('is reached by key, once its host key is accepted', async () => {
    const seen = await settled(api(), await api().call('run.reach', { body: { devices: [DEVICE] } }));
    const real = execFileSync('ssh-keygen', ['-lf', join(folder, 'host.pub')], { encoding: 'utf8' }).split(' ')[1];
    expect(seen.rows[0]?.hostKey).to.include({ fingerprint: real, algorithm: 'ssh-ed25519' });
    await api().call('hostKey.accept', { body: { run: seen.id } });
    const run = await settled(api(), await api().call('run.reach', { body: { devices: [DEVICE] } }));
    expect(rowOf(run, DEVICE).rungs?.map((rung) => rung.state)).to.deep.equal(Array.from({ length: 8 }, () => 'holds'));
    expect(rowOf(run, DEVICE).detail).to.equal('TW-8, version 6.1, TW8-REAL');
  });

  it('answers questions of the dialect and commands of Linux', async () => {
    const run = await settled(
      api(),
      await api().call('run.ask', {
        body: {
          devices: [DEVICE],
          asks: [{ question: 'time' }, { command: 'uname -s' }, { command: 'cat /nowhere' }],
        },
      }),
    );
    const [time, uname, none] = rowOf(run, DEVICE).answers ?? [];
    expect(time?.rows[0]).to.deep.equal({ server: '10.77.0.5', state: 'in step', zone: 'Europe/London' });
    expect(uname?.text).to.equal('Linux');
    expect(none?.refused).to.match(/nowhere/);
  });

  it('is changed, verified, kept and captured, and taken back', async () => {
    const lines = "log 10.77.0.7\n- ntp 10.77.0.5\nhost it's-a-quay\n";
    const looked = await settled(api(), await api().call('run.errand', { body: { devices: [DEVICE], lines } }));
    expect(looked.toDo).to.equal(1);
    const done = await settled(
      api(),
      await api().call('run.go', { params: { id: String(looked.id) }, body: { count: 1 } }),
    );
    expect(done.rows[0]).to.include({ outcome: 'brought over' });
    expect(readFileSync(join(folder, 'etc', 'lines'), 'utf8')).to.equal(
      "zone Europe/London\nlog 10.77.0.7\nhost it's-a-quay\n",
    );
    const back = await settled(
      api(),
      await api().call('run.takeBack', { params: { id: String(looked.id) }, body: {} }),
    );
    await settled(api(), await api().call('run.go', { params: { id: String(back.id) }, body: { count: 1 } }));
    expect(
      readFileSync(join(folder, 'etc', 'lines'), 'utf8')
        .split('\n')
        .sort()
        .join('\n')
        .trim(),
    ).to.equal('host har-wb-1\nntp 10.77.0.5\nzone Europe/London');
  });

  it('is brought the files of its edition by a real shell: new, changed, gone, and read back by digest', async () => {
    const at = (name: string) => join(folder, 'files', 'below', name);
    const source = (lines: string, gone = '') =>
      `@output "motd"\n${lines}@end\n@output "big"\n@for n of range(1, 3000)\nline @{n} it's "quoted" $HOME \\n\n@end\n@end\n${gone}`;
    const old = '@if false\n@output "old"\nx\n@end\n@end\n';
    const files = [
      { output: 'motd', path: at('motd'), mode: '0640', changed: `touch ${join(folder, 'called')}` },
      { output: 'big', path: at('big'), owner: user },
      { output: 'old', path: join(folder, 'old') },
    ];
    writeFileSync(join(folder, 'old'), 'of another time\n');
    await api().add('template', { name: 'files', dialect: 'shale', source: source('quay\n', old), files });
    const publish = async () => {
      const { number } = await api().call('edition.make', { params: { ref: DEVICE }, body: { apply: true } });
      await api().call('edition.publish', {
        params: { ref: DEVICE, number: String(number) },
        body: { insist: true },
        reason: 'it never boots from here',
      });
    };
    const push = async () => {
      const made = await settled(api(), await api().call('run.push', { body: { devices: [DEVICE] } }));
      if (made.state !== 'previewed') return rowOf(made, DEVICE);
      return rowOf(
        await settled(api(), await api().call('run.go', { params: { id: String(made.id) }, body: { count: 1 } })),
        DEVICE,
      );
    };
    await publish();
    const first = await push();
    expect(first.outcome, first.detail).to.equal('brought over');
    expect(first.detail).to.equal(`${at('motd')} new, ${at('big')} new, ${join(folder, 'old')} gone`);
    expect(readFileSync(at('motd'), 'utf8')).to.equal('quay\n');
    expect(statSync(at('motd')).mode & 0o777).to.equal(0o640);
    expect(readFileSync(at('big'), 'utf8').split('\n')[2999]).to.equal('line 3000 it\'s "quoted" $HOME \\n');
    expect(existsSync(join(folder, 'old'))).to.equal(false);
    expect(existsSync(join(folder, 'called'))).to.equal(true);
    expect((await push()).outcome).to.equal('already right');
    chmodSync(at('motd'), 0o666);
    await api().edit('template', 'files', { source: source('pier\n', old) });
    await publish();
    const second = await push();
    expect(second.detail).to.equal(`${at('motd')} changed`);
    expect(readFileSync(at('motd'), 'utf8')).to.equal('pier\n');
    expect(statSync(at('motd')).mode & 0o777).to.equal(0o640);
  });

  it('turns away another key, and says so', async () => {
    const { private: other } = newKeyPair();
    await api().call('value.put', {
      body: { setting: 'access.key', layer: 'device', of: DEVICE, mode: 'set', value: other },
    });
    const run = await settled(api(), await api().call('run.reach', { body: { devices: [DEVICE] } }));
    expect(rowOf(run, DEVICE).detail).to.equal(`Sign-in: ${user} was not let in with its key`);
  });
});
