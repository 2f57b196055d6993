/** A transaction that met a deadlock leaves nothing behind, whatever was sent behind the statement that met it. */
import { expect } from 'chai';
import { connectionsOf } from '../../service/store/belowSequelize.ts';
import { isDeadlock } from '../../service/store/database.ts';
import type { Store } from '../../service/store/store.ts';
import { readOnly, transact } from '../../service/store/transact.ts';
import type { Connection, Connections } from '../../service/store/connections.ts';
import { Unit } from '../../service/store/unit.ts';
import { actor, testStore } from '../service.ts';
import { expectSound } from '../sound.ts';

describe('deadlocks between units of work that send their statements without waiting', () => {
  let store: Store;
  before(async () => {
    store = await testStore();
    await store.sequelize.query('CREATE TABLE berth (id int PRIMARY KEY, n int NOT NULL)');
    await store.sequelize.query('CREATE TABLE trace (round int, who char(1), what char(1))');
    await store.sequelize.query('INSERT INTO berth VALUES (1, 0), (2, 0)');
  });
  after(async () => {
    await expectSound(store);
    await store.sequelize.close();
  });

  const rows = <T extends object>(sql: string): Promise<T[]> => readOnly(store, actor, (tx) => tx.select<T>(sql));

  /** Each takes its own row, and then the other's together with all that follows. */
  async function cross(round: number): Promise<string[]> {
    const began = await Promise.all(
      (['a', 'b'] as const).map(async (who) => {
        const unit = await Unit.begin(connectionsOf(store.sequelize));
        await unit.send('UPDATE berth SET n = n + 1 WHERE id = ?', [who === 'a' ? 1 : 2]);
        return { who, unit };
      }),
    );
    const ends = await Promise.all(
      began.map(async ({ who, unit }) => {
        const mark = (what: string) => unit.send('INSERT INTO trace VALUES (?, ?, ?)', [round, who, what]);
        const sent = [
          unit.send('UPDATE berth SET n = n + 1 WHERE id = ?', [who === 'a' ? 2 : 1]),
          mark('x'),
          unit.send('UPDATE berth SET n = n + 100 WHERE id IN (1, 2)', []),
          mark('y'),
        ];
        const results = await Promise.allSettled(sent);
        const failed = results.some((one) => one.status === 'rejected');
        // The work took no notice: the unit of work knows all the same.
        return unit.commit().then(
          () => (failed ? `${who} kept what was lost` : `${who} done`),
          (error: unknown) => `${who} ${isDeadlock(error) ? 'lost' : String(error)}`,
        );
      }),
    );
    return ends;
  }

  it('leave nothing of the one that loses', async () => {
    let done = 0;
    for (let round = 1; round <= 8; round += 1) {
      const ends = await cross(round);
      const won = ends.filter((end) => end.endsWith('done')).map((end) => end[0]);
      expect(ends.filter((end) => !/ (done|lost)$/.test(end))).to.deep.equal([]);
      expect(won.length).to.be.lessThan(2);
      done += won.length;
      const left = await rows<{ who: string; what: string }>(`SELECT who, what FROM trace WHERE round = ${round}`);
      expect(left.map(({ who, what }) => who + what).sort()).to.deep.equal(
        won.flatMap((who) => [`${who}x`, `${who}y`]),
      );
    }
    expect(await rows('SELECT id, n FROM berth')).to.deep.equal([
      { id: 1, n: done * 101 },
      { id: 2, n: done * 101 },
    ]);
    // Connections go back as they came: single statements commit by themselves.
    expect(await rows('SELECT @@autocommit AS auto')).to.deep.equal([{ auto: 1 }]);
  });

  it('are tried again even where the work swallowed them', async () => {
    let tries = 0;
    const crossing = (first: number, second: number) =>
      transact(store, actor, 'test', async (tx) => {
        tries += 1;
        await tx.execute('UPDATE berth SET n = n + 1000 WHERE id = ?', [first]);
        await new Promise((resolve) => setTimeout(resolve, 60));
        await tx.execute('UPDATE berth SET n = n + 1000 WHERE id = ?', [second]).catch(() => 0);
      });
    const before = await rows<{ n: number }>('SELECT n FROM berth');
    await Promise.all([crossing(1, 2), crossing(2, 1)]);
    expect(tries).to.be.greaterThan(2);
    expect(await rows('SELECT n FROM berth')).to.deep.equal(before.map(({ n }) => ({ n: n + 2000 })));
  });
});

/** A connection that notes what it is sent, and fails where it is told to. */
class Noting implements Connection, Connections {
  readonly log: string[] = [];
  private readonly faults: Record<string, object>;
  private readonly waits: Record<string, number>;
  constructor(faults: Record<string, object> = {}, waits: Record<string, number> = {}) {
    this.faults = faults;
    this.waits = waits;
  }
  async query(sql: string): Promise<unknown> {
    this.log.push(sql);
    await new Promise((resolve) => setTimeout(resolve, this.waits[sql] ?? 0));
    this.log.push(`${sql} answered`);
    const fault = this.faults[sql];
    if (fault) throw Object.assign(new Error(sql), fault);
    return [];
  }
  take = () => Promise.resolve(this);
  giveBack = () => void this.log.push('given back');
  discard = () => Promise.resolve(void this.log.push('discarded'));
}

const errorOf = (call: Promise<unknown>): Promise<unknown> =>
  call.then(
    () => expect.fail('it should have failed'),
    (error: unknown) => error,
  );
const settled = () => new Promise((resolve) => setTimeout(resolve, 5));

describe('the end of a unit of work', () => {
  it('is not sent before every statement was answered', async () => {
    const noting = new Noting({}, { slow: 20 });
    const unit = await Unit.begin(noting);
    void unit.send('slow', []);
    await unit.commit();
    expect(noting.log.indexOf('COMMIT')).to.be.greaterThan(noting.log.indexOf('slow answered'));
    expect(noting.log.indexOf('SET autocommit = 1')).to.be.greaterThan(noting.log.indexOf('COMMIT answered'));
  });
  it('with a deadlock at COMMIT is one like any other', async () => {
    const noting = new Noting({ COMMIT: { errno: 1213 } });
    const unit = await Unit.begin(noting);
    expect(isDeadlock(await errorOf(unit.commit()))).to.equal(true);
    await settled();
    const end = noting.log.slice(noting.log.indexOf('COMMIT answered') + 1);
    expect(end.slice(0, 3)).to.deep.equal(['ROLLBACK', 'ROLLBACK answered', 'SET autocommit = 1']);
  });
  it('awaits ROLLBACK before statements commit by themselves again', async () => {
    const noting = new Noting({ bad: { errno: 1213 } }, { ROLLBACK: 20 });
    const unit = await Unit.begin(noting);
    await errorOf(unit.send('bad', []));
    await errorOf(unit.send('more', []));
    await errorOf(unit.commit());
    await settled();
    expect(noting.log).to.not.include('more').and.not.include('COMMIT');
    expect(noting.log.indexOf('SET autocommit = 1')).to.be.greaterThan(noting.log.indexOf('ROLLBACK answered'));
    expect(noting.log).to.include('given back').and.not.include('discarded');
  });
  it('closes a connection whose ROLLBACK failed', async () => {
    const noting = new Noting({ bad: { errno: 1213 }, ROLLBACK: { fatal: true } });
    const unit = await Unit.begin(noting);
    await errorOf(unit.send('bad', []));
    await unit.rollback();
    expect(noting.log).to.include('discarded').and.not.include('given back');
    expect(noting.log).to.not.include('SET autocommit = 1');
  });
  it('closes a connection that cannot be set back', async () => {
    const noting = new Noting({ 'SET autocommit = 1': { fatal: true } });
    const unit = await Unit.begin(noting);
    await unit.commit();
    await settled();
    expect(noting.log).to.include('discarded');
  });
});
