/** Every mechanism that serves all kinds, tried on each of them: the list of kinds makes the tests. */
import { expect } from 'chai';
import type { AnyRecord } from '@zpine/contract/kind';
import { kindNames, kindOf } from '@zpine/contract/kinds';
import { refusal, testService, type TestBench } from '../service.ts';
import { addSample, NOTE, otherNames } from './samples.ts';

describe('every kind', () => {
  let bench: TestBench;
  before(async () => {
    bench = await testService();
  });
  after(() => bench.stop());
  const client = () => bench.clients.engineer;

  for (const kind of kindNames) {
    describe(kind, () => {
      let one: AnyRecord;
      let two: AnyRecord;
      const word = `of-${kind}`;
      const shown = async (record: AnyRecord) => await client().show(kind, `#${record.id}`);
      const lastSet = async () => (await client().call('history.list', { query: { limit: '1' } })).items[0];

      before(async () => {
        one = (await addSample(client(), kind, { labels: [word, 'Spare'] })) as AnyRecord;
        two = (await addSample(client(), kind, { labels: word })) as AnyRecord;
      });

      it('has a note and labels', () => {
        expect(one.note).to.equal(NOTE);
        expect(one.labels).to.deep.equal([word, 'spare'].sort());
      });

      it('is narrowed by labels, in a filter and in a selection', async () => {
        const keys = async (query: object) =>
          (await client().list(kind, { ...query, limit: 500 })).items.map((r) => r.key);
        expect(await keys({ labels: word })).to.have.members([one.key, two.key]);
        expect(await keys({ where: `label=${word} label!=spare` })).to.deep.equal([two.key]);
        expect(await keys({ where: `label=${word.slice(0, -1)}*` })).to.have.members([one.key, two.key]);
        expect(await keys({ where: `label=none key=${one.key}` })).to.deep.equal([]);
      });

      it('is found by key, label and note', async () => {
        const found = async (q: string) =>
          (await client().call('search', { query: { q } })).items.filter((i) => i.kind === kind).map((i) => i.key);
        expect((await found(one.key))[0], 'by its key').to.equal(one.key);
        expect(await found(word), 'by a label').to.include.members([one.key, two.key]);
        expect((await found(`${word} zanzi`)).length, 'by a label and a word of the note').to.be.greaterThan(1);
      });

      it('completes selections', async () => {
        const offered = async (text: string) =>
          (await client().call('where.complete', { query: { kind, text } })).items.map((i) => i.text);
        expect(await offered('lab')).to.include('label=');
        expect(await offered(`label=${word.slice(0, 4)}`)).to.include(word);
        const part = kindOf(kind).key.parts[0] ?? '';
        expect(await offered(part.slice(0, 2))).to.include(`${part}=`);
      });

      for (const as of ['csv', 'yaml', 'json'] as const) {
        it(`comes back from ${as} without a change, and with one`, async () => {
          const { text } = await client().call('export.run', { query: { kinds: kind, as } });
          const same = await client().call('import.run', { body: { kind, text } });
          expect(same.faults).to.deep.equal([]);
          expect(same.counts).to.include({ add: 0, edit: 0 });
          const changed = text.replaceAll('zanzibar', 'other');
          const seen = await client().call('import.run', { body: { kind, text: changed } });
          expect(seen.faults).to.deep.equal([]);
          expect(seen.counts.edit).to.be.greaterThan(1);
          expect(seen.items[0]?.changes).to.deep.include({
            field: 'note',
            before: NOTE,
            after: 'Beside the other crate',
          });
        });
      }

      it('is edited in bulk: looked at, confirmed by number, taken back', async () => {
        const where = `label=${word}`;
        const body = { where, changes: { note: 'Moved' }, addLabels: ['moved'], dropLabels: ['spare'] };
        const seen = await client().editMany(kind, body);
        expect(seen).to.include({ count: 2, changed: 2, applied: false });
        expect((await shown(one)).note).to.equal(NOTE);
        const wrong = await refusal(client().editMany(kind, { ...body, expect: 3, apply: true }));
        expect(wrong.code).to.equal('bulk-other');
        expect(await client().editMany(kind, { ...body, expect: 2, apply: true })).to.include({ applied: true });
        expect(await shown(one)).to.deep.include({ note: 'Moved', labels: ['moved', word] });
        const set = await lastSet();
        expect(set?.count).to.equal(2);
        await client().call('history.undo', { params: { id: String(set?.id) } });
        expect(await shown(one)).to.deep.include({ note: NOTE, labels: [word, 'spare'].sort() });
      });

      it('is cloned', async () => {
        const records = [await otherNames(client(), kind), { ...(await otherNames(client(), kind)), note: 'Another' }];
        const copies = await client().clone(kind, `#${one.id}`, records);
        expect(copies.map((copy) => copy.note)).to.deep.equal([NOTE, 'Another']);
        expect(copies[0]?.labels).to.deep.equal(one.labels);
        expect(copies[0]?.key).not.to.equal(one.key);
        expect((await refusal(client().clone(kind, `#${one.id}`, [records[0] ?? {}]))).errors?.[0]?.pointer).to.match(
          /^\/records\/0\//,
        );
      });

      it('says before its removal what would go, is seen when it is gone, and comes back', async () => {
        const before = await shown(two);
        const told = await client().removal(kind, `#${two.id}`);
        expect(told.blocks).to.deep.equal([]);
        expect(told.goes[0]).to.deep.equal({ kind, key: two.key });
        await client().remove(kind, `#${two.id}`);
        const gone = await client().call('removed.list', { query: { kind, q: two.key } });
        expect(gone.items[0]).to.deep.include({ kind, id: two.id, key: two.key });
        expect(gone.items[0]?.fields.note).to.equal(NOTE);
        const found = (await client().call('search', { query: { q: two.key } })).items;
        expect(found.map((i) => `${i.kind} ${i.key}`)).not.to.include(`${kind} ${two.key}`);
        await client().call('removed.restore', { params: { kind, ref: two.key } });
        const { version: _, createdAt: __, updatedAt: ___, ...back } = await shown(two);
        expect(before).to.deep.include(back);
        expect((await client().call('removed.list', { query: { kind, q: two.key } })).items).to.deep.equal([]);
        const again = client().call('removed.restore', { params: { kind, ref: two.key } });
        expect((await refusal(again)).code).to.equal('removed-unknown');
      });

      it('tells who did what to it', async () => {
        const query = { kind, record: `#${one.id}` };
        const { items } = await client().call('history.list', { query });
        expect(items.length).to.be.greaterThan(2);
        expect(items.at(-1)).to.include({ actor: 'engineer', via: 'api', action: `${kind}.add` });
        const since = await client().call('history.list', { query: { ...query, since: '2030-01-01' } });
        expect(since.items).to.deep.equal([]);
      });

      it('has views, shared and private', async () => {
        const view = { kind, name: 'mine', query: { where: `label=${word}`, sort: '-key' } };
        const saved = await client().call('view.save', { body: view });
        const others = async () =>
          (await bench.clients.viewer.call('view.list', { query: { kind } })).items.map((v) => `${v.name} ${v.owner}`);
        expect(await others()).to.deep.equal([]);
        await client().call('view.save', { body: { ...view, shared: true } });
        expect(await others()).to.deep.equal(['mine engineer']);
        const { code } = await refusal(bench.clients.viewer.call('view.remove', { params: { id: String(saved.id) } }));
        expect(code).to.equal('view-taken');
        await client().call('view.remove', { params: { id: String(saved.id) } });
        expect(await others()).to.deep.equal([]);
        const bad = client().call('view.save', { body: { ...view, query: { nothing: 'x' } } });
        expect((await refusal(bad)).errors?.[0]?.pointer).to.equal('/query/nothing');
      });

      it('has an example file that is read without a fault of form', async () => {
        for (const as of ['csv', 'yaml', 'json'] as const) {
          const { text } = await client().call('import.example', { params: { kind }, query: { as } });
          const { rows, faults } = await client().call('import.run', { body: { kind, text } });
          expect(rows).to.equal(2);
          // What it refers to is not there; how it is written is right.
          for (const fault of faults) expect(fault.code, `${fault.column} ${fault.detail}`).to.be.oneOf(formless);
        }
      });
    });
  }
});

const formless: string[] = ['ref-unknown', 'address-outside', 'position-without-rack', 'taken'];
