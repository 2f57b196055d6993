/** What the service does when its parts die, or its database is late. */
import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import type { ShownProcess } from '@zpine/contract/processes';
import { freePort, startMariadb, type Mariadb } from '../../ops/mariadb.ts';
import { databaseEnv } from '../../ops/stack.ts';
import { additions } from '../../trials/chaos/deeds.ts';
import { House } from '../../trials/chaos/house.ts';
import { rounds } from '../../trials/chaos/rounds.ts';
import { attacked, offerAfter, type Attacked } from './bench.ts';
import { eventually } from '../../trials/eventually.ts';

const alive = (pid: number): boolean => {
  try {
    process.kill(pid, 0);
    return true;
  } catch {
    return false;
  }
};

describe('the parts of the service', function () {
  this.timeout(60_000);
  let a: Attacked;
  before(async () => {
    // Started again, it listens where it did.
    a = await attacked({ ZPINE_LISTEN_PORT: String(await freePort()) });
  });
  after(() => a.end());

  const shown = async (name: string): Promise<ShownProcess | undefined> =>
    (await a.client.call('doctor.processes')).items.find((one) => one.name === name);
  const restarted = (name: string, pid: number) =>
    eventually(`${name} is there again`, async () => {
      const now = await shown(name);
      return now !== undefined && now.pid !== 0 && now.pid !== pid && alive(now.pid) && now;
    });

  it('boots devices while the API is dead, and starts that again', async () => {
    const before = await shown('api');
    process.kill(before?.pid ?? 0, 'SIGKILL');
    expect(await offerAfter(a, 3000)).to.be.a('number');
    const now = await restarted('api', before?.pid ?? 0);
    expect(now.starts).to.equal(1);
    expect(now.lastEnd?.how).to.equal('ended by SIGKILL');
  });

  it('answers while nothing boots, and starts that again', async () => {
    const before = await shown('boot');
    process.kill(before?.pid ?? 0, 'SIGKILL');
    const down = await eventually('it is seen that boot is down', async () => {
      const now = await shown('boot');
      return now?.lastEnd?.how;
    });
    expect(down).to.equal('ended by SIGKILL');
    await restarted('boot', before?.pid ?? 0);
    expect(await offerAfter(a, 3000)).to.be.a('number');
  });

  it('is started again at longer and longer intervals as long as it goes on dying', async () => {
    const pauses: number[] = [];
    for (let i = 0; i < 3; i += 1) {
      const { pid } = (await shown('boot')) ?? { pid: 0 };
      const begun = Date.now();
      process.kill(pid, 'SIGKILL');
      await restarted('boot', pid);
      pauses.push(Date.now() - begun);
    }
    expect(pauses[2]).to.be.greaterThan(2 * 500 * 2);
    expect(pauses[2]).to.be.greaterThan(pauses[0] ?? 0);
  });

  it('loses nothing that was acknowledged when all of it is killed in the midst of work', async function () {
    this.timeout(120_000);
    const house = new House(a);
    const [round] = await rounds(house, {
      count: 1,
      seed: Math.floor(Math.random() * 2 ** 31),
      victims: ['service'],
      only: ['additions', 'undo', 'published', 'arrival'],
    });
    expect(round?.faults).to.deep.equal([]);
    expect(round?.acknowledged.additions).to.be.greaterThan(0);
    // And a loss would be seen.
    const deed = additions(a.client, 77);
    await eventually('something was added', () => Promise.resolve(deed.acknowledged() > 3));
    await deed.stop();
    const { items } = await a.client.list('owner', { where: 'name=owner-77-*' });
    await a.client.remove('owner', items[0]?.key ?? '');
    expect(await deed.faults()).to.deep.equal([`owner ${items[0]?.key} was acknowledged and changed 2 times`]);
  });

  it('leaves nothing behind when it is killed itself', async () => {
    const pids = (await a.client.call('doctor.processes')).items.map(({ pid }) => pid);
    expect(pids.length).to.be.at.least(2);
    await a.service.stop('SIGKILL');
    await eventually('all have ended', () => Promise.resolve(!pids.some(alive)));
  });
});

describe('a service that is started before its database', function () {
  this.timeout(60_000);
  const folder = mkdtempSync(join(tmpdir(), 'zpine-late-'));
  let database: Mariadb | undefined;
  after(async () => {
    await database?.stop();
    rmSync(folder, { recursive: true, force: true });
  });

  it('waits for it, says so, and serves then', async () => {
    // Where it will be, and with which password, is known once it has been there.
    database = await startMariadb({ folder, databases: ['zpine'], throwaway: true });
    await database.stop();
    const child = spawn(process.execPath, ['dist/service.js'], {
      env: {
        ...process.env,
        ...databaseEnv(database, 'zpine'),
        ZPINE_LISTEN_PORT: '0',
        ZPINE_LOG_LEVEL: 'warn',
      },
      stdio: ['ignore', 'pipe', 'inherit', 'ipc'],
    });
    let log = '';
    child.stdout?.on('data', (text: Buffer) => (log += String(text)));
    const ready = new Promise<string>((done) => child.once('message', (said) => done((said as { url: string }).url)));
    try {
      await eventually('it says that it waits', () =>
        Promise.resolve(/the database is not reached; waiting/.test(log)),
      );
      expect(child.exitCode).to.equal(null);
      database = await startMariadb({ folder, databases: ['zpine'], throwaway: true });
      const response = await fetch(`${await ready}/health/ready`);
      expect(await response.json()).to.deep.equal({ ready: true });
    } finally {
      const ended = new Promise((done) => child.once('exit', done));
      child.kill('SIGTERM');
      await ended;
    }
  });

  it('makes no new key for a database that is sealed with another', () => {
    const known = database;
    if (!known) throw new Error('the database of the test before is wanted');
    const lost = join(folder, 'lost-key');
    for (const args of [[], ['user', 'somebody', 'viewer']]) {
      const ended = spawnSync(process.execPath, ['dist/service.js', ...args], {
        env: {
          ...process.env,
          ...databaseEnv(known, 'zpine'),
          ZPINE_KEY_FILE: lost,
          ZPINE_LISTEN_PORT: '0',
          ZPINE_LOG_LEVEL: 'silent',
        },
        input: 'kelp lantern 7 oar\n',
        encoding: 'utf8',
      });
      expect(ended.status).to.equal(1);
      expect(ended.stderr.trim()).to.match(
        /^zealous-pine: there is no key for secrets at .*lost-key, and this database is sealed/,
      );
      expect(ended.stderr).not.to.contain('    at ');
      expect(existsSync(lost)).to.equal(false);
    }
  });
});
