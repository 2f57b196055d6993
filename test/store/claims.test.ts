/** What is claimed is one instance's; what another has by now is kept by nobody else. */
import { expect } from 'chai';
import {
  claimDue,
  holds,
  LeaseLost,
  mustHold,
  release,
  renew,
  whileHeld,
  type Lease,
} from '../../service/store/claims.ts';
import type { Store } from '../../service/store/store.ts';
import { transact } from '../../service/store/transact.ts';
import type { Tx } from '../../service/store/tx.ts';
import { actor, testStore } from '../service.ts';

describe('claims', () => {
  let store: Store;
  before(async () => {
    store = await testStore();
  });
  after(() => store.sequelize.close());
  beforeEach(() => write((tx) => tx.execute('DELETE FROM job')));

  const write = <T>(work: (tx: Tx) => Promise<T>) => transact(store, actor, 'test', work);
  const jobs = (count: number) =>
    write(async (tx) => {
      for (let i = 0; i < count; i += 1) tx.job({ name: 'test', payload: {}, delaySeconds: 0 });
      return Promise.resolve();
    });
  const claim = (most: number) =>
    write((tx) =>
      claimDue<{ id: number }>(tx, 'job', { columns: 'id', where: "name = 'test'", values: [], order: 'id', most }),
    );
  const one = async (): Promise<Lease> => {
    const [claimed] = await claim(1);
    if (!claimed) throw new Error('nothing was claimed');
    return claimed.lease;
  };
  /** As if nothing had been heard for long. */
  const lapse = (lease: Lease) =>
    write((tx) => tx.execute("UPDATE job SET claimed_until = '2026-01-01' WHERE id = ?", [lease.id]));

  it('never give one thing to two, however many ask at once', async () => {
    await jobs(30);
    const claimed = (await Promise.all(Array.from({ length: 10 }, () => claim(4)))).flat();
    expect(claimed).to.have.length(30);
    expect(new Set(claimed.map(({ id }) => id)).size).to.equal(30);
    expect(await claim(4)).to.deep.equal([]);
  });

  it('go on while there are signs of life, in the same millisecond too', async () => {
    await jobs(1);
    const lease = await one();
    for (let i = 0; i < 20; i += 1) expect(await write((tx) => renew(tx, lease))).to.equal(true);
    await write((tx) => mustHold(tx, lease));
    expect(await claim(1)).to.deep.equal([]);
  });

  it('go to another after silence; the first keeps nothing any more, and learns of it', async () => {
    await jobs(1);
    const first = await one();
    await lapse(first);
    const second = await one();
    expect(second.fence).to.equal(first.fence + 1);
    expect(await write((tx) => renew(tx, first))).to.equal(false);
    expect(await write((tx) => holds(tx, first))).to.equal(false);
    const kept = await write((tx) => mustHold(tx, first)).catch((error: unknown) => error);
    expect(kept).to.be.instanceOf(LeaseLost);
    expect(await write((tx) => release(tx, first))).to.equal(0);
    expect(await write((tx) => holds(tx, second))).to.equal(true);
    expect(await write((tx) => release(tx, second))).to.equal(1);
    expect((await one()).fence).to.equal(second.fence + 1);
  });

  it('stop the work that lost them, and leave alone the work that holds them', async () => {
    await jobs(2);
    const [kept, lost] = [await one(), await one()];
    const until = (signal: AbortSignal) =>
      new Promise<string>((done) => {
        const timer = setTimeout(() => done('to its end'), 600);
        signal.addEventListener('abort', () => (clearTimeout(timer), done(String(signal.reason))));
      });
    const working = Promise.all([whileHeld(store, actor, kept, until, 50), whileHeld(store, actor, lost, until, 50)]);
    await lapse(lost);
    // Where its own sign of life came first, it is its own again.
    for (let got: unknown[] = []; got.length === 0; got = await claim(1)) await lapse(lost);
    const [first, second] = await working;
    expect(first).to.equal('to its end');
    expect(second).to.contain('was given to another');
  });
});
