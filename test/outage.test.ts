/** The database goes away in the middle of work, and comes back: refused with 503, nothing lost, back by itself. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { startMariadb, type Mariadb } from '../ops/mariadb.ts';
import { clientFor, databaseEnv, makeUsers, startBuiltService, type TestService } from '../ops/stack.ts';
import type { Client } from '@zpine/contract/client';
import { refusal } from './service.ts';
import { eventually } from '../trials/eventually.ts';

describe('an outage', () => {
  const folder = mkdtempSync(join(tmpdir(), 'zpine-outage-'));
  let database: Mariadb;
  let service: TestService;
  let engineer: Client;
  before(async () => {
    database = await startMariadb({ folder, databases: ['zpine_outage'] });
    const env = { ...databaseEnv(database, 'zpine_outage'), ZPINE_LOG_LEVEL: 'silent' };
    await makeUsers(env, ['engineer', 'viewer']);
    service = await startBuiltService(env);
    engineer = await clientFor(service.url, 'engineer');
    await engineer.add('prefix', { cidr: '10.90.0.0/20' });
  });
  after(async () => {
    await service.stop();
    await database.stop();
    rmSync(folder, { recursive: true, force: true });
  });

  const ready = async () => (await fetch(`${service.url}/health/ready`)).status;
  const backAgain = async () => {
    await eventually('the service is ready again', async () => (await ready()) === 200);
  };
  const kill = async () => {
    process.kill(database.pid, 'SIGKILL');
    await database.ended;
  };

  it('is answered with 503 and when to try again, while the service stays alive', async () => {
    await kill();
    const problem = await refusal(engineer.list('prefix'));
    expect(problem).to.include({ status: 503, code: 'database-away' });
    const response = await fetch(`${service.url}/health/ready`);
    expect(response.status).to.equal(503);
    expect(response.headers.get('retry-after')).to.equal('2');
    expect((await fetch(`${service.url}/health/live`)).status).to.equal(200);
    expect(await refusal(engineer.add('owner', { name: 'nobody' }))).to.include({ code: 'database-away' });
  });

  it('ends by itself', async () => {
    database = await startMariadb({ folder, databases: ['zpine_outage'] });
    await backAgain();
    expect((await engineer.list('prefix')).items).to.have.length(1);
    expect((await engineer.list('owner')).items).to.deep.equal([]);
  });

  /** A thousand assignments by eight clients, with something done to them in the middle. */
  async function thousand(disturb: () => Promise<void>): Promise<void> {
    const acknowledged: string[] = [];
    let refused = 0;
    let begin: () => void = () => undefined;
    const underWay = new Promise<void>((done) => (begin = done));
    const worker = async () => {
      for (let i = 0; i < 125; i += 1) {
        try {
          acknowledged.push((await engineer.call('address.assign', { body: { prefix: '10.90.0.0/20' } })).address);
        } catch {
          refused += 1;
          await new Promise((resolve) => setTimeout(resolve, 20));
        }
        if (acknowledged.length > 150) begin();
      }
    };
    const workers = Array.from({ length: 8 }, worker);
    await underWay;
    await disturb();
    await Promise.all(workers);
    await backAgain();
    const stored: string[] = [];
    for await (const address of engineer.all('address')) stored.push(address.address);
    expect(refused).to.be.greaterThan(0);
    expect(new Set(acknowledged).size, 'acknowledged once').to.equal(acknowledged.length);
    expect(new Set(stored).size, 'stored once').to.equal(stored.length);
    expect(stored).to.include.members(acknowledged);
    // What is counted as free agrees with what stands there: nothing was taken by halves.
    const space = await engineer.call('prefix.space', { params: { ref: '10.90.0.0/20' } });
    expect(Number(space.free)).to.equal(4094 - stored.length);
  }

  it('in the middle of a thousand assignments loses none that was acknowledged, and gives none twice', async function () {
    this.timeout(90_000);
    await thousand(async () => {
      await kill();
      database = await startMariadb({ folder, databases: ['zpine_outage'] });
    });
  });

  it('of the service itself in the middle of a thousand assignments does the same', async function () {
    this.timeout(90_000);
    const before = await engineer.add('owner', { name: 'ferry-operations' });
    await thousand(async () => {
      await service.stop('SIGKILL');
      service = await startBuiltService({ ...databaseEnv(database, 'zpine_outage'), ZPINE_LOG_LEVEL: 'silent' });
      engineer = await clientFor(service.url, 'engineer');
    });
    expect((await engineer.show('owner', 'ferry-operations')).id).to.equal(before.id);
  });

  it('of order: a service that is asked to stop ends within its time, streams and all', async () => {
    const client = await clientFor(service.url, 'viewer');
    const stream = await fetch(`${service.url}/api/v1/events`, {
      headers: { Authorization: `Bearer ${(client as unknown as { options: { token: string } }).options.token}` },
    });
    const start = Date.now();
    await service.stop('SIGTERM');
    expect(Date.now() - start).to.be.lessThan(4000);
    await stream.body?.cancel().catch(() => undefined);
    service = await startBuiltService({ ...databaseEnv(database, 'zpine_outage'), ZPINE_LOG_LEVEL: 'silent' });
  });
});
