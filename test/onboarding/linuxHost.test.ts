/**
 * A Shale host that is a real Linux host: a network namespace with Debian's DHCP client and OpenSSH server, its files in a
 * folder. It boots from the script whose URL option 224 tells, and is proved with the password of its edition.
 */
import { spawn, type ChildProcess } from 'node:child_process';
import { copyFileSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { bootNet } from '../../ops/stack.ts';
import { demoService, type TestBench } from '../service.ts';
import { inside, obstacle, PORT, serviceInside, sh, stopped, taken, type Wire } from './namespaces.ts';

const DEVICE = 'cob-acc-2';
const SERIAL = 'TW8-5501';
const WIRE: Wire = {
  server: { space: `zpw${process.pid}`, link: 'zpwire', address: '10.77.32.9' },
  client: { space: `zph${process.pid}`, link: 'front8', mac: '00:00:5e:00:53:a8' },
};

describe('a Linux host that boots as Shale', function () {
  this.timeout(120_000);
  const folder = mkdtempSync(join(tmpdir(), 'zpine-host-'));
  const at = (...path: string[]) => join(folder, ...path);
  const children: ChildProcess[] = [];
  let bench: TestBench;
  let token: string;

  before(async function () {
    const why = obstacle(WIRE, ['dhclient', 'curl', '/usr/sbin/sshd']);
    if (why !== undefined) {
      process.stdout.write(`    skipped: no network namespaces here (${why})\n`);
      return this.skip();
    }
    bench = await demoService({ ...bootNet().env, ZPINE_BOOT_ADDRESS: WIRE.server.address });
    token = bench.tokens.engineer;
    const params = { ref: DEVICE };
    const { number } = await bench.clients.engineer.call('edition.make', { params, body: {} });
    await bench.clients.engineer.call('edition.publish', {
      params: { ...params, number: String(number) },
      body: { openHours: 1 },
    });
    // From here on it is the one inside that serves.
    await bench.stop();
    children.push(await serviceInside(WIRE, bench));
  });

  after(async () => {
    for (const child of children.reverse()) await stopped(child);
    taken(WIRE);
    rmSync(folder, { recursive: true, force: true });
  });

  const zpine = (...args: string[]): string =>
    inside(
      WIRE.server.space,
      ...['env', `ZPINE_URL=http://127.0.0.1:${PORT}`, `ZPINE_TOKEN=${token}`, 'NO_COLOR=1'],
      ...['./zpine', ...args],
    );

  /** In the namespace of the host, where accounts are those of its folder. */
  const onHost = (...command: string[]): ChildProcess => {
    const accounts = ['passwd', 'shadow'].map((file) => `mount --bind ${at('accounts', file)} /etc/${file}`);
    const child = spawn(
      'ip',
      ['netns', 'exec', WIRE.client.space, 'sh', '-c', `${accounts.join(' && ')} && exec "$@"`, 'sh', ...command],
      {
        env: {
          PATH: `${at('bin')}:/usr/sbin:/usr/bin:/sbin:/bin`,
          SHALE_ETC: at('etc'),
          SHALE_RUN: at('run'),
          SHALE_ACCOUNTS: at('accounts'),
        },
        stdio: ['ignore', 'inherit', 'inherit'],
      },
    );
    children.push(child);
    return child;
  };

  function install(): void {
    for (const part of ['etc', 'run', 'bin', 'accounts']) mkdirSync(at(part));
    for (const program of ['shale', 'lease']) copyFileSync(join('lab/shale', program), at('bin', program));
    writeFileSync(at('etc', 'about'), `name=${DEVICE}\nmodel=TW-8\nserial=${SERIAL}\nversion=2.4.0\n`);
    writeFileSync(at('accounts', 'passwd'), 'root:x:0:0::/:/bin/sh\nsshd:x:100:65534::/run/sshd:/usr/sbin/nologin\n');
    writeFileSync(at('accounts', 'shadow'), 'root:*:20000::::::\nsshd:*:20000::::::\n', { mode: 0o600 });
    sh('ssh-keygen', '-q', '-t', 'ed25519', '-N', '', '-f', at('host'));
    const served = `SHALE_ETC=${at('etc')} SHALE_RUN=${at('run')} PATH=${at('bin')}:/usr/sbin:/usr/bin:/sbin:/bin`;
    writeFileSync(
      at('sshd.conf'),
      [`HostKey ${at('host')}`, `PidFile none`, 'UsePAM no', 'PermitRootLogin yes', `SetEnv ${served}`, ''].join('\n'),
    );
    const serial = [0, ...Buffer.from(SERIAL)].map((byte) => byte.toString(16).padStart(2, '0')).join(':');
    writeFileSync(
      at('dhclient.conf'),
      [
        'option shale-script code 224 = text;',
        'send vendor-class-identifier "tarnwick TW-8 shale 2.4.0";',
        `send dhcp-client-identifier ${serial};`,
        'request subnet-mask, routers, host-name;',
        '',
      ].join('\n'),
    );
  }

  it('asks with the stock client, fetches a script, runs it, and is proved over the stock server', () => {
    install();
    mkdirSync('/run/sshd', { recursive: true });
    onHost('/usr/sbin/sshd', '-D', '-e', '-f', at('sshd.conf'));
    const variables = ['SHALE_ETC=' + at('etc'), 'SHALE_RUN=' + at('run'), 'SHALE_ACCOUNTS=' + at('accounts')];
    onHost(
      ...['dhclient', '-4', '-d', '-q', '-cf', at('dhclient.conf'), '-sf', at('bin', 'lease')],
      ...['-lf', at('leases'), '-pf', at('pid'), ...variables.flatMap((one) => ['-e', one])],
      ...['-e', `PATH=${at('bin')}:/usr/sbin:/usr/bin:/sbin:/bin`, WIRE.client.link],
    );
    const watched = zpine('arrival', 'watch', DEVICE, '--until-served', '--limit', '60');
    expect(watched).to.contain('serving');
    const shown = zpine('device', 'show', DEVICE);
    expect(shown).to.match(/serving/);
  });

  it('has what the script fetched beside its configuration, which it has kept', () => {
    expect(readFileSync(at('etc', 'motd'), 'utf8')).to.equal(`${DEVICE}, Brackwater Ferries\n`);
    expect(existsSync(at('etc', 'lines'))).to.equal(true);
    expect(readFileSync(at('etc', 'lines'), 'utf8')).to.match(/^host cob-acc-2\n/);
    expect(inside(WIRE.client.space, 'ip', '-brief', 'address', 'show', WIRE.client.link)).to.contain('10.77.32.');
  });

  it('is asked and compared afterwards like any other', () => {
    expect(zpine('ask', 'version', '--device', DEVICE)).to.contain(SERIAL);
    expect(zpine('compare', DEVICE)).to.contain('as described');
    const log = zpine('boot', 'log', DEVICE, '--limit', '20');
    expect(log).to.contain(`${DEVICE}/start`).and.to.contain(`${DEVICE}/motd`).and.to.contain(`${DEVICE}.shale`);
  });
});
