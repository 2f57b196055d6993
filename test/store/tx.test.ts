import { expect } from 'chai';
import { Refusal } from '@zpine/contract/errors';
import { actor, testStore } from '../service.ts';
import { expectSound } from '../sound.ts';
import { add, addOne } from '../../service/app/records/add.ts';
import { editOne } from '../../service/app/records/edit.ts';
import { removeOne } from '../../service/app/records/remove.ts';
import { renew } from '../../service/store/claims.ts';
import { claimJob, finishJob } from '../../service/store/jobs.ts';
import { byId, find } from '../../service/store/records.ts';
import type { Store } from '../../service/store/store.ts';
import { readOnly, transact } from '../../service/store/transact.ts';

describe('a unit of work', () => {
  let store: Store;
  before(async () => {
    store = await testStore();
  });
  after(async () => {
    await expectSound(store);
    await store.sequelize.close();
  });

  const write = <T>(work: Parameters<typeof transact<T>>[3]) =>
    transact(store, { ...actor, reason: 'because' }, 'test', work);
  const count = async (table: string): Promise<number> => {
    const row = await readOnly(store, actor, (tx) => tx.one<{ n: number }>(`SELECT COUNT(*) AS n FROM \`${table}\``));
    return Number(row?.n);
  };

  it('leaves nothing behind when it fails', async () => {
    const before = [await count('site'), await count('change_set'), await count('event'), await count('job')];
    const attempt = write(async (tx) => {
      await addOne(tx, 'site', { code: 'lost' });
      tx.job({ name: 'none', payload: {}, delaySeconds: 0 });
      throw new Refusal('busy');
    });
    await attempt.then(
      () => expect.fail('it should have been refused'),
      (error: Refusal) => expect(error.code).to.equal('busy'),
    );
    expect([await count('site'), await count('change_set'), await count('event'), await count('job')]).to.deep.equal(
      before,
    );
  });

  it('leaves nothing of a branch that goes on when another has failed', async () => {
    let late: Promise<unknown> = Promise.resolve();
    const work = transact(store, actor, 'test', async (tx) => {
      const slow = async (): Promise<void> => {
        await tx.select('SELECT SLEEP(0.05)');
        // By now the other has failed, and its unit of work is being taken back.
        await new Promise((resolve) => setTimeout(resolve, 100));
        await tx.execute("INSERT INTO job (name, payload, due_at) VALUES ('left behind', '{}', UTC_TIMESTAMP(3))");
      };
      late = slow();
      await Promise.all([late, Promise.reject(new Error('failed'))]);
    });
    expect(await work.catch((error: Error) => error.message)).to.equal('failed');
    expect(await late.catch((error: Error) => error.message)).to.equal('this unit of work has ended');
    expect(
      await readOnly(store, actor, (tx) => tx.select("SELECT id FROM job WHERE name = 'left behind'")),
    ).to.deep.equal([]);
  });

  it('records who changed what from which version to which, and why', async () => {
    const site = await write((tx) => addOne(tx, 'site', { code: 'ARD', title: 'Ardle' }));
    await write((tx) => editOne(tx, 'site', 'ard', { title: 'Ardle Pier' }));
    await write((tx) => removeOne(tx, 'site', 'ard'));
    const rows = await readOnly(store, actor, (tx) =>
      tx.select<{
        actor: string;
        reason: string;
        version_from: number;
        version_to: number;
        before: string;
        after: string;
      }>(
        `SELECT s.actor, s.reason, c.version_from, c.version_to, c.before, c.after FROM \`change\` c JOIN change_set s ON s.id = c.change_set_id
         WHERE c.kind = 'site' AND c.record_id = ? ORDER BY s.id`,
        [site.id],
      ),
    );
    expect(rows.map((r) => [r.actor, r.reason, r.version_from, r.version_to])).to.deep.equal([
      ['tester', 'because', null, 1],
      ['tester', 'because', 1, 2],
      ['tester', 'because', 2, null],
    ]);
    expect(JSON.parse(rows[1]?.before ?? '')).to.include({ title: 'Ardle' });
    expect(JSON.parse(rows[2]?.before ?? '')).to.include({ title: 'Ardle Pier' });
    expect(rows[2]?.after).to.equal(null);
  });

  it('never gives an id twice', async () => {
    const first = await write((tx) => addOne(tx, 'site', { code: 'once' }));
    await write((tx) => removeOne(tx, 'site', 'once'));
    const second = await write((tx) => addOne(tx, 'site', { code: 'once' }));
    expect(second.id).to.be.greaterThan(first.id);
  });

  it('is tried again when it met a deadlock', async () => {
    await write((tx) => add(tx, 'owner', [{ name: 'one' }, { name: 'two' }]));
    let tries = 0;
    const crossing = (first: string, second: string) =>
      write(async (tx) => {
        tries += 1;
        await tx.select('SELECT id FROM owner WHERE natural_key = ? FOR UPDATE', [first]);
        await new Promise((resolve) => setTimeout(resolve, 60));
        await tx.select('SELECT id FROM owner WHERE natural_key = ? FOR UPDATE', [second]);
        await editOne(tx, 'owner', first, { note: `${tries}` });
      });
    await Promise.all([crossing('one', 'two'), crossing('two', 'one')]);
    expect(tries).to.be.greaterThan(2);
    const owners = await readOnly(store, actor, (tx) => find(tx, 'owner', {}));
    expect(owners.map((o) => o.version)).to.deep.equal([2, 2]);
  });

  it('refuses to write when it only reads', async () => {
    const attempt = readOnly(store, actor, (tx) => tx.execute('DELETE FROM site'));
    expect(await attempt.catch((e: Error) => e.message)).to.include('only reads');
  });

  it('gives keys of renamed records to everything below them', async () => {
    await write(async (tx) => {
      await addOne(tx, 'site', { code: 'cob' });
      await addOne(tx, 'room', { site: 'cob', name: 'closet' });
      await addOne(tx, 'rack', { room: 'cob/closet', name: 'w1' });
      await addOne(tx, 'vlan', { site: 'cob', number: 304 });
    });
    await write((tx) => editOne(tx, 'site', 'cob', { code: 'cobble' }));
    const keys = await readOnly(store, actor, async (tx) => [
      ...(await find(tx, 'room', {})).map((r) => r.key),
      ...(await find(tx, 'rack', {})).map((r) => r.key),
      ...(await find(tx, 'vlan', {})).map((r) => r.key),
    ]);
    expect(keys).to.deep.equal(['cobble/closet', 'cobble/closet/w1', 'cobble/304']);
  });

  it('writes thousands of records in one change set', async () => {
    const inputs = Array.from({ length: 3000 }, (_, i) => ({ name: `many-${i}` }));
    await write((tx) => add(tx, 'duty', inputs));
    const sets = await readOnly(store, actor, (tx) =>
      tx.select<{ n: number }>("SELECT COUNT(*) AS n FROM `change` WHERE kind = 'duty' GROUP BY change_set_id"),
    );
    expect(sets.map((s) => Number(s.n))).to.deep.equal([3000]);
    const last = await readOnly(store, actor, (tx) => find(tx, 'duty', { natural_key: 'many-2999' }));
    expect(last).to.have.length(1);
  });
});

describe('jobs', () => {
  let store: Store;
  before(async () => {
    store = await testStore();
    // What a new database has to do first.
    await transact(store, actor, 'test', (tx) => tx.execute('DELETE FROM job'));
  });
  after(() => store.sequelize.close());
  const put = (single?: string, delaySeconds = 0) =>
    transact(store, actor, 'test', async (tx) => {
      tx.job({ name: 'count', payload: { n: 1 }, delaySeconds, ...(single ? { single } : {}) });
      return Promise.resolve();
    });

  it('are claimed by one instance only', async () => {
    await Promise.all(Array.from({ length: 8 }, () => put()));
    const claimed = await Promise.all(Array.from({ length: 12 }, () => claimJob(store)));
    const ids = claimed.flatMap((job) => (job ? [job.id] : []));
    expect(ids).to.have.length(8);
    expect(new Set(ids).size).to.equal(8);
    for (const job of claimed) if (job) await finishJob(store, job);
  });

  it('wait once, however often they are asked for', async () => {
    await put('tidy');
    await put('tidy');
    const job = await claimJob(store);
    expect(job?.payload).to.deep.equal({ n: 1 });
    expect(await claimJob(store)).to.equal(undefined);
    if (job) await finishJob(store, job);
  });

  it('are not claimed before they are due', async () => {
    await put(undefined, 600);
    expect(await claimJob(store)).to.equal(undefined);
  });

  it('belong to whoever claimed them last', async () => {
    await put();
    const first = await claimJob(store);
    if (!first) throw new Error('nothing was claimed');
    await transact(store, actor, 'test', (tx) =>
      tx.execute('UPDATE job SET claimed_until = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND WHERE id = ?', [first.id]),
    );
    const second = await claimJob(store);
    expect(second?.id).to.equal(first.id);
    expect(await transact(store, actor, 'test', (tx) => renew(tx, first.lease))).to.equal(false);
    // However fast they come after one another: a row that is the same as before is theirs all the same.
    for (let n = 0; n < 40; n += 1)
      expect(second && (await transact(store, actor, 'test', (tx) => renew(tx, second.lease)))).to.equal(true);
    expect(await finishJob(store, first)).to.equal(0);
    expect(second && (await finishJob(store, second))).to.equal(1);
  });

  it('come again after the time they ask for', async () => {
    await put();
    const job = await claimJob(store);
    if (job) await finishJob(store, job, 0);
    const again = await claimJob(store);
    expect(again?.id).to.equal(job?.id);
    expect(again?.tries).to.equal(1);
    expect(await readOnly(store, actor, (tx) => byId(tx, 'vrf', 1))).to.have.property('key', 'default');
  });
});
