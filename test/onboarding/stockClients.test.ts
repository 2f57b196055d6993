/** Stock DHCP clients, broadcasting on a wire of their own: two network namespaces with a cable between them. */
import type { ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { bootNet } from '../../ops/stack.ts';
import { demoService, type TestBench } from '../service.ts';
import { until } from './bench.ts';
import { inside, obstacle, serviceInside, sh, stopped, taken, type Wire } from './namespaces.ts';
import { eventually } from '../../trials/eventually.ts';

const [SERVER, CLIENT] = [`zps${process.pid}`, `zpc${process.pid}`];
const SERVER_ADDRESS = '10.77.16.9';
const MAC = '00:00:5e:00:53:a1';

const WIRE: Wire = {
  server: { space: SERVER, link: 'zpup', address: SERVER_ADDRESS },
  client: { space: CLIENT, link: 'zpdown', mac: MAC },
};

describe('stock clients on a wire of their own', () => {
  let bench: TestBench;
  let service: ChildProcess | undefined;
  const folder = mkdtempSync(join(tmpdir(), 'zpine-clients-'));
  const script = join(folder, 'script');
  const dump = join(folder, 'dump');

  before(async function () {
    this.timeout(60_000);
    const why = obstacle(WIRE, ['dhclient', 'udhcpc', 'curl']);
    if (why !== undefined) {
      process.stdout.write(`    skipped: no network namespaces here (${why})\n`);
      return this.skip();
    }
    bench = await demoService({ ...bootNet().env, ZPINE_BOOT_ADDRESS: SERVER_ADDRESS });
    writeFileSync(
      script,
      `#!/bin/sh\nenv > ${dump}\ncase "$reason$1" in\nBOUND|bound) ip address replace "\${new_ip_address:-$ip}"/24 dev zpdown ;;\nesac\n`,
      { mode: 0o755 },
    );
    service = await serviceInside(WIRE, bench);
  });

  after(async () => {
    await stopped(service);
    taken(WIRE);
    await bench?.stop();
    rmSync(folder, { recursive: true, force: true });
  });

  /** What the client told its script. */
  const told = (): Record<string, string> =>
    Object.fromEntries(
      readFileSync(dump, 'utf8')
        .split('\n')
        .filter(Boolean)
        .map((line) => [line.slice(0, line.indexOf('=')), line.slice(line.indexOf('=') + 1)]),
    );

  const fetchFile = (): string => {
    const path = join(folder, 'file');
    inside(CLIENT, 'curl', '-sS', '--tftp-blksize', '1428', '-o', path, `tftp://${SERVER_ADDRESS}/ard-acc-1.furrow`);
    return readFileSync(path, 'utf8');
  };

  it('dhclient gets lease, options and file', async function () {
    this.timeout(30_000);
    const conf = join(folder, 'dhclient.conf');
    const pidFile = join(folder, 'pid');
    writeFileSync(
      conf,
      'option boot-servers code 150 = array of ip-address;\nrequest subnet-mask, routers, domain-name, domain-name-servers, host-name, ntp-servers, tftp-server-name, bootfile-name, boot-servers;\n',
    );
    inside(
      CLIENT,
      'env',
      '-i',
      `PATH=${process.env.PATH}`,
      'dhclient',
      '-4',
      '-1',
      '-cf',
      conf,
      '-sf',
      script,
      '-lf',
      join(folder, 'leases'),
      '-pf',
      pidFile,
      'zpdown',
    );
    // It goes to the background first, and only then writes its number.
    const client = await eventually('it has written its number', () => Number(readFileSync(pidFile, 'utf8')) || false);
    expect(client).to.be.greaterThan(1);
    process.kill(client);
    expect(told()).to.include({
      new_ip_address: '10.77.16.11',
      new_subnet_mask: '255.255.255.0',
      new_routers: '10.77.16.1',
      new_domain_name: 'brackwater.example',
      new_domain_name_servers: '10.77.0.6',
      new_host_name: 'ard-acc-1',
      new_ntp_servers: '10.77.0.5 10.77.0.6',
      new_tftp_server_name: SERVER_ADDRESS,
      new_bootfile_name: 'ard-acc-1.furrow',
      new_boot_servers: SERVER_ADDRESS,
      new_dhcp_lease_time: '3600',
      new_dhcp_server_identifier: SERVER_ADDRESS,
    });
    expect(fetchFile()).to.match(/^name ard-acc-1\n/);
    const arrival = await until(bench.clients.admin, 'ard-acc-1', (a) =>
      a.milestones.some((m) => m.name === 'file complete'),
    );
    expect(arrival.milestones.map((m) => m.name)).to.deep.equal([
      'powered',
      'offered',
      'leased',
      'file asked',
      'file complete',
    ]);
    expect(arrival.relay).to.equal(null);
  });

  it('udhcpc gets the same, as the client of another family', function () {
    this.timeout(30_000);
    inside(CLIENT, 'ip', 'address', 'flush', 'dev', 'zpdown');
    inside(
      CLIENT,
      'udhcpc',
      '-f',
      '-q',
      '-n',
      '-t',
      '3',
      '-T',
      '1',
      '-i',
      'zpdown',
      '-s',
      script,
      '-O',
      '66',
      '-O',
      '67',
      '-O',
      '150',
    );
    const seen = told();
    expect(seen).to.include({
      ip: '10.77.16.11',
      router: '10.77.16.1',
      domain: 'brackwater.example',
      lease: '3600',
      serverid: SERVER_ADDRESS,
    });
    expect(`${seen.boot_file ?? ''}${seen.bootfile ?? ''}`).to.contain('ard-acc-1.furrow');
    expect(fetchFile()).to.match(/^name ard-acc-1\n/);
  });

  it('nobody is answered on another wire of the same host, not even a device that is known', function () {
    this.timeout(30_000);
    const ends = ['name', 'zpbeside', 'netns', CLIENT, 'address', MAC];
    sh('ip', 'link', 'add', 'zpother', 'netns', SERVER, 'type', 'veth', 'peer', ...ends);
    inside(SERVER, 'ip', 'link', 'set', 'zpother', 'up');
    inside(CLIENT, 'ip', 'link', 'set', 'zpbeside', 'up');
    inside(SERVER, 'ip', 'address', 'add', '192.168.88.1/24', 'dev', 'zpother');
    const asking = (wire: string) => {
      try {
        inside(CLIENT, 'udhcpc', '-f', '-q', '-n', '-t', '2', '-T', '1', '-i', wire, '-s', script);
        return 'a lease';
      } catch {
        return 'nothing';
      }
    };
    expect(asking('zpbeside')).to.equal('nothing');
    expect(asking('zpdown')).to.equal('a lease');
  });
});
