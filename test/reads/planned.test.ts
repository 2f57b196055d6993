/** Plans are made anew where anything has changed that they depend on, and only then. */
import { expect } from 'chai';
import { changedSince, type SeenEvents } from '../../service/app/fleet/planned.ts';
import { readOnly, transact } from '../../service/store/transact.ts';
import type { Tx } from '../../service/store/tx.ts';
import { expectStatements } from '../statements.ts';
import { actor, testService, type TestBench } from '../service.ts';

describe('what plans depend on', () => {
  let bench: TestBench;
  let last: SeenEvents | undefined;
  const changed = async (): Promise<boolean> => {
    const found = await readOnly(bench.store, actor, (tx) => changedSince(tx, last));
    last = found.now;
    return found.touched === undefined || found.touched.length > 0;
  };
  const api = () => bench.clients.engineer;

  it('has changed for who looks for the first time, and not again', async function () {
    this.timeout(30_000);
    bench = await testService();
    expect([await changed(), await changed()]).to.deep.equal([true, false]);
    await expectStatements(bench.store, 4, async () => void (await changed()));
  });

  it('changes with devices, with values in any layer, with labels; not with what is asked', async () => {
    await api().add('device', { name: 'one' });
    expect([await changed(), await changed()]).to.deep.equal([true, false]);
    await api().call('value.put', {
      body: { setting: 'watch.minutes', layer: 'device', of: 'one', mode: 'set', value: 5 },
    });
    expect([await changed(), await changed()]).to.deep.equal([true, false]);
    await api().call('device.stage', { params: { ref: 'one' }, body: { stage: 'unproved' } });
    expect([await changed(), await changed()]).to.deep.equal([true, false]);
    // A label that says nothing of it, yet; then one that does.
    await api().add('label', { name: 'quay' });
    expect(await changed()).to.equal(false);
    await api().edit('device', 'one', { labels: ['quay'] });
    expect([await changed(), await changed()]).to.deep.equal([true, false]);
    await api().call('value.put', {
      body: { setting: 'watch.minutes', layer: 'label', of: 'quay', mode: 'set', value: 5 },
    });
    expect([await changed(), await changed()]).to.deep.equal([true, false]);
    await api().edit('label', 'quay', { rank: 7 });
    expect([await changed(), await changed()]).to.deep.equal([true, false]);
    await api().call('run.reach', { body: { devices: ['one'] } });
    expect(await changed()).to.equal(false);
  });

  it('has changed, too, where somebody took a number early and saved late', async () => {
    const inStore = <T>(work: (tx: Tx) => Promise<T>) => transact(bench.store, actor, 'test', work);
    const row = await inStore((tx) =>
      tx.one<{ id: number } & Record<string, unknown>>(
        "SELECT * FROM event WHERE kind = 'device' ORDER BY id DESC LIMIT 1",
      ),
    );
    if (!row) throw new Error('no event of a device');
    await inStore((tx) => tx.execute('DELETE FROM event WHERE id = ?', [row.id]));
    await changed();
    expect(await changed()).to.equal(false);
    await api().add('owner', { name: 'ferry-line' });
    await changed();
    await inStore((tx) => tx.insertRows('event', [row], ''));
    expect(await changed()).to.equal(true);
  });

  after(() => bench.stop());
});
