/** A database of before templates had parts: what it holds is read, traced and taken back in the words of today. */
import { expect } from 'chai';
import type { Store } from '../../service/store/store.ts';
import { migrate } from '../../service/store/migrate.ts';
import { wholeSteps } from '../../service/store/migrations/whole.ts';
import { readOnly, transact } from '../../service/store/transact.ts';
import { onboarding, type Onboarding } from '../onboarding/bench.ts';
import { actor } from '../service.ts';

const former = (source: string): string =>
  source.replaceAll('@part', '@section').replaceAll('@end part', '@end section');

/** Writes every text and edition as an earlier version did. */
const asBefore = (store: Store): Promise<void> =>
  transact(store, actor, 'test', async (tx) => {
    for (const { id, source } of await tx.select<{ id: number; source: string }>('SELECT id, source FROM template'))
      await tx.execute('UPDATE template SET source = ? WHERE id = ?', [former(source), id]);
    const editions = await tx.select<{ id: number; shown: string; content: string; inputs: string }>(
      'SELECT id, shown, content, inputs FROM edition',
    );
    const older = (text: string): string => text.replaceAll('"parts":', '"sections":');
    for (const { id, shown, content, inputs } of editions)
      await tx.execute(
        "UPDATE edition SET digest = REPEAT('a', 64), inputs_digest = REPEAT('b', 64), shown = ?, content = ?, inputs = ? WHERE id = ?",
        [
          older(shown),
          tx.sealer.seal(older(tx.sealer.open(content))),
          tx.sealer.seal(former(tx.sealer.open(inputs))),
          id,
        ],
      );
    await tx.execute('UPDATE `change` SET `before` = REPLACE(`before`, "@part", "@section") WHERE kind = "template"');
    await tx.execute('UPDATE `change` SET `after` = REPLACE(`after`, "@part", "@section") WHERE kind = "template"');
    await tx.execute('DELETE FROM migration WHERE name IN (?)', [wholeSteps.map((step) => step.name)]);
  });

const latest = async (o: Onboarding, trace = false) => {
  const [head] = (await o.client.call('edition.list', { params: { ref: 'ard-acc-1' } })).items;
  const params = { ref: 'ard-acc-1', number: String(head?.number) };
  return o.client.call('edition.show', { params, query: trace ? { trace: 'true' } : {} });
};

describe('a database of before templates had parts', () => {
  let o: Onboarding;
  let digest: string;
  before(async function () {
    this.timeout(60_000);
    o = await onboarding();
    await o.client.call('edition.make', { params: { ref: 'ard-acc-1' } });
    digest = (await latest(o)).digest;
    await asBefore(o.store);
    expect(await migrate(o.store)).to.deep.equal(wholeSteps.map((step) => step.name));
  });
  after(() => o.end());

  it('has the templates of today', async () => {
    const { source } = await o.client.show('template', 'furrow-access');
    expect(source).to.contain('@part "identity"').and.to.not.contain('@section');
  });
  it('has editions that are what they were, and not stale', async () => {
    const edition = await latest(o);
    expect(edition.digest).to.equal(digest);
    expect(edition.stale).to.equal(false);
    expect(edition.files[0]?.parts.map((part) => part.name)).to.include('management');
  });
  it('traces them from their frozen inputs', async () => {
    const edition = await latest(o, true);
    const { text = '', trace = [] } = edition.files[0] ?? {};
    expect(trace).to.have.length(text.replace(/\n$/, '').split('\n').length);
    expect(trace[0]?.template).to.equal('furrow-access');
  });
  it('gives back by undo what can still be read', async () => {
    await o.client.edit('template', 'furrow-access', { source: 'name @{device.name}\n' });
    const [set] = (await o.client.call('history.list', { query: { limit: '1' } })).items;
    const id = String(set?.id);
    // The image of before, as an earlier version wrote it.
    await transact(o.store, actor, 'test', (tx) =>
      tx.execute('UPDATE `change` SET `before` = REPLACE(`before`, "@part", "@section") WHERE change_set_id = ?', [id]),
    );
    await o.client.call('history.undo', { params: { id } });
    const { source } = await o.client.show('template', 'furrow-access');
    expect(source).to.contain('@part "identity"').and.to.not.contain('@section');
  });
  it('keeps no plain digest of a text with secrets', async () => {
    const rows = await readOnly(o.store, actor, (tx) =>
      tx.select<{ digest: string }>('SELECT digest FROM edition UNION SELECT inputs_digest FROM edition'),
    );
    for (const row of rows) expect(row.digest).to.match(/^[0-9a-f]{32}$/);
  });
});
