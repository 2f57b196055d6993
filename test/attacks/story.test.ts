/** A switch that is switched on while the database is away: it boots from memory, and serves when that is back. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { expect } from 'chai';
import { freePort, startMariadb } from '../../ops/mariadb.ts';
import { databaseEnv } from '../../ops/stack.ts';
import { attacked, type Attacked } from '../../trials/attacked.ts';
import { Booter } from '../../trials/booter.ts';
import { House } from '../../trials/chaos/house.ts';

const NAME = 'zpine_story';

describe('the story with the database stopped in the middle', function () {
  this.timeout(180_000);
  const folder = mkdtempSync(join(tmpdir(), 'zpine-story-'));
  let a: Attacked;
  let house: House;
  let booter: Booter;
  before(async () => {
    const server = await startMariadb({ folder, databases: [NAME] });
    a = await attacked(databaseEnv(server, NAME), {
      ZPINE_LISTEN_PORT: String(await freePort()),
      ZPINE_WAIT_PROBE: '1',
    });
    house = new House(a, { server, folder });
    booter = new Booter(a);
  });
  after(async () => {
    await booter.stop();
    await a.end();
    await house.stopDatabase();
    rmSync(folder, { recursive: true, force: true });
  });

  it('ends as it does otherwise, and says what was given without it', async () => {
    const device = await booter.declare();
    // Files of open windows are held within a second or two.
    await pause(3000);
    await house.kill('database');
    const begun = Date.now();
    booter.switchOn(device);
    // Address and file come within a moment; its sign of life is not heard until the database is back.
    await pause(6000);
    await house.restore('database');
    await booter.served(device, begun, 90_000);
    const { items } = await a.client.call('arrival.list', { query: { device, limit: '1' } });
    const reached = new Map(items[0]?.milestones.map(({ name, evidence }) => [name, evidence]));
    expect([...reached.keys()]).to.include.members(['powered', 'leased', 'file asked', 'file complete', 'serving']);
    expect(reached.get('file asked')?.confirmed).to.be.a('string');
  });
});
