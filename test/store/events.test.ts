/** Whoever listens hears of every change once, in whatever order transactions end. */
import { expect } from 'chai';
import { eventually } from '../../trials/eventually.ts';
import { EventFeed, type Hint } from '../../service/store/events.ts';
import type { Store } from '../../service/store/store.ts';
import { transact } from '../../service/store/transact.ts';
import { actor, testStore } from '../service.ts';

describe('the feed of changes', () => {
  let store: Store;
  let feed: EventFeed;
  const heard: Hint[] = [];
  let resyncs = 0;
  /** Without those by which it was seen to have begun. */
  const ids = () => heard.map(({ record }) => record).filter((record) => record > 1);

  before(async () => {
    store = await testStore();
    feed = new EventFeed(store, { warn: () => undefined });
    feed.listen((hints) => {
      if (hints === 'resync') resyncs += 1;
      else heard.push(...hints);
    });
    // It begins at the newest there is: from then on all is told.
    await eventually('the feed has begun', async () => {
      await write(1);
      return heard.length > 0;
    });
  });
  after(async () => {
    feed.stop();
    await store.sequelize.close();
  });
  beforeEach(() => {
    heard.length = 0;
    resyncs = 0;
  });

  /** One event, whose row gets its number at once and shows when `until` has come. */
  const write = (record: number, until: Promise<unknown> = Promise.resolve(), written?: () => void) =>
    transact(store, actor, 'test', async (tx) => {
      tx.hint('arrival', record, 1);
      await tx.flush();
      written?.();
      await until;
    });

  it('tells what became visible late, behind what came after it, and each once', async () => {
    let release = () => {};
    const held = new Promise<void>((resolve) => (release = resolve));
    let begun = () => {};
    const numbered = new Promise<void>((resolve) => (begun = resolve));
    const late = write(11, held, begun);
    await numbered;
    for (const record of [12, 13]) await write(record);
    await eventually('the later ones are heard', () => ids().includes(13));
    expect(ids()).to.deep.equal([12, 13]);
    release();
    await late;
    await eventually('the earlier one is heard', () => ids().includes(11));
    for (const record of [14, 15]) await write(record);
    await eventually('the last one is heard', () => ids().includes(15));
    expect(ids()).to.deep.equal([12, 13, 11, 14, 15]);
    const numbers = heard.map(({ id }) => id);
    expect(numbers).to.not.deep.equal([...numbers].sort((a, b) => a - b));
    expect(resyncs).to.equal(0);
  });

  it('tells nothing of what was taken back', async () => {
    await transact(store, actor, 'test', async (tx) => {
      tx.hint('arrival', 21, 1);
      await tx.flush();
      throw new Error('taken back');
    }).catch(() => undefined);
    await write(22);
    await eventually('the one that stands is heard', () => ids().includes(22));
    expect(ids()).to.deep.equal([22]);
  });

  it('says that all has to be asked again when more came than it tells', async () => {
    await transact(store, actor, 'test', (tx) => {
      for (let record = 0; record < 2500; record += 1) tx.hint('arrival', 1000 + record, 1);
      return Promise.resolve();
    });
    await eventually('somebody is told', () => resyncs > 0);
    await write(31);
    await eventually('it goes on', () => ids().includes(31));
    expect(ids()).to.deep.equal([31]);
  });
});
