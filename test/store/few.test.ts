/** Records that are held in memory are those of the database, whoever changes them, and however. */
import { expect } from 'chai';
import { add } from '../../service/app/records/add.ts';
import { editOne } from '../../service/app/records/edit.ts';
import { openStore } from '../../service/stores.ts';
import { allOf, byIds, byKeys, find, keyOf } from '../../service/store/records.ts';
import { remove } from '../../service/store/recordWrites.ts';
import type { Store } from '../../service/store/store.ts';
import { readOnly, transact } from '../../service/store/transact.ts';
import type { Tx } from '../../service/store/tx.ts';
import { actor, testConfig, testStore } from '../service.ts';
import { statementsOf } from '../statements.ts';

describe('kinds with few records', () => {
  let store: Store;
  /** Another process on the same database. */
  let other: Store;
  before(async () => {
    store = await testStore();
    other = openStore(testConfig(String(store.sequelize.config.database)));
    await transact(store, actor, 'test', (tx) => add(tx, 'duty', [{ name: 'acc' }, { name: 'dis' }]));
  });
  after(() => Promise.all([store.sequelize.close(), other.sequelize.close()]));

  const names = (at: Store) => readOnly(at, actor, async (tx) => (await allOf(tx, 'duty')).map(({ name }) => name));
  const inDatabase = () =>
    readOnly(store, actor, async (tx) => (await find(tx, 'duty', {}, { order: ['sort_key'] })).map(({ name }) => name));
  const same = async () => {
    const wanted = await inDatabase();
    expect(await names(store)).to.deep.equal(wanted);
    expect(await names(other)).to.deep.equal(wanted);
    return wanted;
  };
  const write = (at: Store, work: (tx: Tx) => Promise<unknown>) => transact(at, actor, 'test', work);

  it('asks one question for all of them, and none again within a unit of work', async () => {
    await names(store);
    const sent = await statementsOf(store, () =>
      readOnly(store, actor, async (tx) => {
        const [duty] = await allOf(tx, 'duty');
        await byKeys(tx, 'duty', ['dis']);
        await byIds(tx, 'duty', [duty?.id ?? 0]);
        await keyOf(tx, 'duty', duty?.id ?? 0);
        await allOf(tx, 'area');
      }),
    );
    expect(sent.filter((sql) => sql.startsWith("SELECT 'area' AS kind"))).to.have.length(1);
    expect(sent.filter((sql) => sql.includes('FROM `duty` WHERE'))).to.deep.equal([]);
  });

  it('sees what another process adds, edits and removes, at once', async () => {
    expect(await same()).to.deep.equal(['acc', 'dis']);
    await write(other, (tx) => add(tx, 'duty', [{ name: 'cor' }]));
    expect(await same()).to.deep.equal(['acc', 'cor', 'dis']);
    await write(other, (tx) => editOne(tx, 'duty', 'cor', { name: 'edge' }));
    expect(await same()).to.deep.equal(['acc', 'dis', 'edge']);
    // One goes and another comes: as many as before.
    await write(other, async (tx) => {
      await remove(tx, 'duty', await find(tx, 'duty', { name: 'edge' }));
      await add(tx, 'duty', [{ name: 'fog' }]);
    });
    expect(await same()).to.deep.equal(['acc', 'dis', 'fog']);
  });

  it('shows a unit of work what it wrote itself, and nobody else until it is committed', async () => {
    await write(store, async (tx) => {
      await allOf(tx, 'duty');
      await add(tx, 'duty', [{ name: 'gate' }]);
      expect((await allOf(tx, 'duty')).map(({ name }) => name)).to.contain('gate');
      expect((await byKeys(tx, 'duty', ['gate'])).size).to.equal(1);
      expect(await names(store)).to.not.contain('gate');
      expect(await names(other)).to.not.contain('gate');
      tx.discarded = true;
    });
    expect(await same()).to.deep.equal(['acc', 'dis', 'fog']);
  });

  it('leaves nothing of work that failed', async () => {
    const failed = await write(store, async (tx) => {
      await editOne(tx, 'duty', 'acc', { name: 'access' });
      await allOf(tx, 'duty');
      throw new Error('on purpose');
    }).catch((error: unknown) => String(error));
    expect(failed).to.contain('on purpose');
    expect(await same()).to.deep.equal(['acc', 'dis', 'fog']);
  });

  it('keeps up with writers on both sides', async () => {
    const writer = (at: Store, letter: string) => async () => {
      for (let i = 0; i < 15; i += 1) {
        await write(at, (tx) => add(tx, 'duty', [{ name: `${letter}${i}` }]));
        expect(await names(at)).to.contain(`${letter}${i}`);
        if (i % 3 === 0)
          await write(at, async (tx) => remove(tx, 'duty', await find(tx, 'duty', { name: `${letter}${i}` })));
      }
    };
    const reader = async () => {
      for (let i = 0; i < 40; i += 1) await Promise.all([names(store), names(other)]);
    };
    await Promise.all([writer(store, 'p')(), writer(other, 'q')(), reader()]);
    expect(await same()).to.have.length(3 + 20);
  });

  it('keeps nothing of what came and went while a kind was read', async () => {
    // A stamp that says as much as before may not stand for what was there in between.
    store.few = undefined;
    await readOnly(store, actor, async (tx) => {
      await allOf(tx, 'area');
      await write(other, (tx2) => add(tx2, 'duty', [{ name: 'passing' }]));
      expect((await allOf(tx, 'duty')).map(({ name }) => name)).to.contain('passing');
    });
    await write(other, async (tx) => remove(tx, 'duty', await find(tx, 'duty', { name: 'passing' })));
    expect(await same()).to.not.contain('passing');
  });

  it('hands out records that nobody can change by accident', async () => {
    const [duty] = await readOnly(store, actor, (tx) => allOf(tx, 'duty'));
    expect(() => Object.assign(duty ?? {}, { name: 'spoilt' })).to.throw(TypeError);
  });

  it('looks again in work that goes on for long', async () => {
    await readOnly(store, actor, async (tx) => {
      await allOf(tx, 'duty');
      await write(other, (tx2) => add(tx2, 'duty', [{ name: 'late' }]));
      await new Promise((done) => setTimeout(done, 1100));
      expect((await allOf(tx, 'duty')).map(({ name }) => name)).to.contain('late');
    });
  });
});
