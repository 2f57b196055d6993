import { expect } from 'chai';
import fc from 'fast-check';
import { kindNames, type KindName } from '@zpine/contract/kinds';
import { bootNet } from '../ops/stack.ts';
import { openValue } from '../service/app/settings/layers.ts';
import { readOnly } from '../service/store/transact.ts';
import { actor, refusal, demoService, type TestBench } from './service.ts';
import { runs } from '../trials/runs.ts';

describe('undo', () => {
  let bench: TestBench;
  before(async function () {
    this.timeout(60_000);
    bench = await demoService(bootNet().env);
  });
  after(() => bench.stop());

  const client = () => bench.clients.engineer;
  const lastSet = async (): Promise<string> =>
    String((await client().call('history.list', { query: { limit: '1' } })).items[0]?.id);
  const undo = (id: string) => client().call('history.undo', { params: { id }, body: {} });

  /** What is sealed, which no route gives out. */
  const heldValue = (name: string): Promise<unknown> =>
    readOnly(bench.store, actor, async (tx) => {
      const row = await tx.one<{ value: string; sealed: number }>(
        'SELECT v.value, v.sealed FROM setting_value v JOIN setting s ON s.id = v.setting_id WHERE s.name = ? AND v.layer_kind = ?',
        [name, 'site'],
      );
      return row && openValue(tx, row);
    });

  /** What comes along by itself, and nobody said a word about, comes again under another id. */
  const nobodysId: Partial<Record<KindName, string>> = {
    port: 'id NOT IN (SELECT port_id FROM cable_end)',
    interface: 'description IS NULL AND id NOT IN (SELECT interface_id FROM address WHERE interface_id IS NOT NULL)',
  };

  /** Everything that a person can see of the records, and what is derived from them. */
  async function everything(): Promise<string> {
    const { text } = await client().call('export.run', { query: {} });
    const spans = await readOnly(bench.store, actor, (tx) =>
      tx.select(
        `SELECT p.natural_key, s.holds, s.free, HEX(f.first) AS first, HEX(f.last) AS last FROM space s JOIN prefix p ON p.id = s.prefix_id
         LEFT JOIN free_span f ON f.space_id = s.id ORDER BY p.natural_key, s.holds, f.last`,
      ),
    );
    const parents = await readOnly(bench.store, actor, (tx) =>
      tx.select(
        'SELECT p.natural_key, q.natural_key AS parent FROM prefix p LEFT JOIN prefix q ON q.id = p.parent_id ORDER BY p.natural_key',
      ),
    );
    const terms = await readOnly(bench.store, actor, (tx) =>
      tx.select('SELECT kind, record_id, field, term FROM search_term ORDER BY kind, record_id, field, term'),
    );
    const ids: unknown[] = [];
    for (const kind of kindNames) {
      const id = nobodysId[kind] === undefined ? 'id' : `IF(${nobodysId[kind]}, NULL, id) AS id`;
      const sql = `SELECT ${id}, natural_key FROM \`${kind}\` ORDER BY sort_key, natural_key`;
      ids.push(kind, await readOnly(bench.store, actor, (tx) => tx.select(sql)));
    }
    return JSON.stringify([text, spans, parents, terms, ids]);
  }

  it('takes an addition back, and brings a removal back under its old id', async () => {
    const before = await everything();
    const site = await client().add('site', { code: 'tmp', title: 'For a while' });
    await undo(await lastSet());
    expect(await everything()).to.equal(before);
    await client().add('site', { code: 'tmp', title: 'For a while' });
    const again = await client().show('site', 'tmp');
    await client().remove('site', 'tmp');
    await undo(await lastSet());
    expect((await client().show('site', 'tmp')).id).to.equal(again.id);
    expect(again.id).not.to.equal(site.id);
    await client().remove('site', 'tmp');
  });

  it('takes a device back with all that hung on it: interfaces, addresses, values of settings', async () => {
    const before = await everything();
    await client()
      .remove('box', 'lf24-0188-01')
      .catch(() => undefined);
    const removed = await lastSet();
    const withoutBox = await everything();
    await client().remove('device', 'ard-acc-1');
    expect((await client().call('value.list', { query: { layer: 'device' } })).items).to.deep.equal([]);
    const { items } = await undo(await lastSet());
    expect(items.map((i) => i.kind)).to.include.members(['device', 'interface', 'address', 'value']);
    expect(await everything()).to.equal(withoutBox);
    expect((await client().call('value.list', { query: { layer: 'device', of: 'ard-acc-1' } })).items).to.have.length(
      1,
    );
    await undo(removed);
    expect(await everything()).to.equal(before);
  });

  it('is refused where something newer depends on it, with what that is', async () => {
    await client().add('site', { code: 'tmp' });
    const added = await lastSet();
    await client().edit('site', 'tmp', { title: 'Newer' });
    const newer = await refusal(undo(added));
    expect(newer.code).to.equal('undo-newer');
    expect(newer.detail).to.equal('site tmp was changed after this: it is at version 2, not 1');
    await undo(await lastSet());
    // What was newer is taken back: now nothing stands in the way any more.
    await undo(added);
    await client().add('site', { code: 'tmp' });
    await client().add('room', { site: 'tmp', name: 'closet' });
    await client().add('site', { code: 'oth' });
    const other = await lastSet();
    await client().add('room', { site: 'oth', name: 'closet' });
    expect((await refusal(undo(other))).detail).to.equal('site oth is in use: room oth/closet (site)');
    await client().remove('room', 'oth/closet');
    await client().remove('site', 'oth');
    expect((await refusal(undo(other))).code).to.equal('undo-gone');
    await client().remove('room', 'tmp/closet');
    await client().remove('site', 'tmp');
  });

  it('of an undo is the change again', async () => {
    await client().edit('site', 'ard', { title: 'Ardle Pier' });
    const set = await lastSet();
    await undo(set);
    expect((await client().show('site', 'ard')).title).to.equal('Ardle');
    expect((await refusal(undo(set))).code).to.equal('undo-done');
    await undo(await lastSet());
    expect((await client().show('site', 'ard')).title).to.equal('Ardle Pier');
    await undo(await lastSet());
    expect((await client().show('site', 'ard')).title).to.equal('Ardle');
  });

  it('holds rules and races: what was taken meanwhile is not taken away', async () => {
    const given = await client().call('address.assign', { body: { prefix: '10.77.34.0/24' } });
    await client().remove('address', given.address);
    const removal = await lastSet();
    const again = await client().call('address.assign', { body: { prefix: '10.77.34.0/24', from: given.address } });
    expect(again.address).to.equal(given.address);
    expect((await refusal(undo(removal))).code).to.equal('undo-back');
    await client().remove('address', given.address);
  });

  it('takes settings back, secrets too, and never shows those', async () => {
    await client().call('value.put', {
      body: { setting: 'time.zone', layer: 'site', of: 'ard', value: 'Europe/Oslo' },
    });
    await client().call('value.put', {
      body: { setting: 'time.zone', layer: 'site', of: 'ard', value: 'Europe/Rome' },
    });
    await undo(await lastSet());
    expect((await client().call('value.list', { query: { layer: 'site', of: 'ard' } })).items[0]?.value).to.equal(
      'Europe/Oslo',
    );
    await client().call('value.remove', { body: { setting: 'time.zone', layer: 'site', of: 'ard' } });
    await undo(await lastSet());
    expect((await client().call('value.list', { query: { layer: 'site', of: 'ard' } })).items[0]?.value).to.equal(
      'Europe/Oslo',
    );
    await client().call('value.put', { body: { setting: 'trap.word', layer: 'site', of: 'ard', value: 'one' } });
    await client().call('value.put', { body: { setting: 'trap.word', layer: 'site', of: 'ard', value: 'two' } });
    const told = await client().call('history.list', { query: { limit: '2' } });
    expect(JSON.stringify(told))
      .to.contain('version 2')
      .and.not.to.match(/"(one|two)"|sealed/);
    await undo(await lastSet());
    expect(await heldValue('trap.word')).to.equal('one');
  });

  it('takes back the return of a device whose ports had words of their own', async () => {
    const before = await everything();
    await client().clone('device', 'cob-xr-1', [{ name: 'returned-1' }]);
    await client().edit('interface', 'returned-1:cu1', { description: 'to the quay' });
    const { id } = await client().show('device', 'returned-1');
    await client().remove('device', 'returned-1');
    await client().call('removed.restore', { params: { kind: 'device', ref: `#${id}` } });
    expect((await client().show('interface', 'returned-1:cu1')).description).to.equal('to the quay');
    for (let i = 0; i < 4; i += 1) {
      const { items } = await client().call('history.list', { query: { limit: '50' } });
      const done = new Set(items.flatMap((set) => (set.undoes === null ? [] : [set.undoes, set.id])));
      await undo(String(items.find((set) => !done.has(set.id))?.id));
    }
    expect(await everything()).to.equal(before);
  });

  it('of random changes, the newest first, brings the same database back', async function () {
    this.timeout(120_000);
    const pick = <T>(items: T[], n: number): T | undefined => items[n % Math.max(1, items.length)];
    const changes: Record<string, (n: number) => Promise<unknown>> = {
      addSite: (n) => client().add('site', { code: `s${n}`, title: `Site ${n}` }),
      addRoom: async (n) =>
        client().add('room', { site: pick((await client().list('site')).items, n)?.key, name: `r${n}` }),
      addPrefix: (n) =>
        client().add('prefix', { cidr: `10.77.${96 + (n % 100)}.0/24`, gateway: `10.77.${96 + (n % 100)}.1` }),
      widePrefix: (n) => client().add('prefix', { cidr: `10.77.${96 + 16 * (n % 6)}.0/20` }),
      takeAddress: async (n) =>
        client().call('address.assign', {
          body: {
            prefix:
              pick(
                (await client().list('prefix', { limit: 500 })).items.filter((p) => p.key.endsWith('/24')),
                n,
              )?.key ?? '',
          },
        }),
      dropAddress: async (n) => client().remove('address', pick((await client().list('address')).items, n)?.key ?? ''),
      dropPrefix: async (n) =>
        client().remove('prefix', pick((await client().list('prefix', { limit: 500 })).items, n)?.key ?? ''),
      retitle: async (n) =>
        client().edit('site', pick((await client().list('site')).items, n)?.key ?? '', { title: `Title ${n}` }),
      rename: async (n) =>
        client().edit('device', pick((await client().list('device')).items, n)?.key ?? '', { name: `renamed-${n}` }),
      pool: async (n) =>
        client().edit(
          'prefix',
          pick(
            (await client().list('prefix', { limit: 500 })).items.filter((p) => p.key.endsWith('/24')),
            n,
          )?.key ?? '',
          { heldBack: null },
        ),
      relabel: async (n) =>
        client().edit('device', pick((await client().list('device')).items, n)?.key ?? '', { labels: `l${n % 5} x` }),
      labelMany: (n) =>
        client().editMany('device', { where: 'site=har', changes: {}, addLabels: [`many-${n % 3}`], apply: true }),
      copy: async (n) =>
        client().clone('device', pick((await client().list('device')).items, n)?.key ?? '', [{ name: `copy-${n}` }]),
      bringBack: async (n) => {
        const gone = pick((await client().call('removed.list', { query: { limit: 20 } })).items, n);
        await client().call('removed.restore', { params: { kind: gone?.kind ?? '', ref: `#${gone?.id}` } });
      },
      dropDevice: async (n) => client().remove('device', pick((await client().list('device')).items, n)?.key ?? ''),
    };
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.constantFrom(...Object.keys(changes)), fc.nat(1000)), { minLength: 4, maxLength: 12 }),
        async (steps) => {
          const before = await everything();
          const mark = Number(await lastSet());
          for (const [name, n] of steps) await changes[name]?.(n).catch(() => undefined);
          const { items } = await client().call('history.list', { query: { limit: '50' } });
          for (const set of items.filter((s) => s.id > mark)) await undo(String(set.id));
          expect(await everything()).to.equal(before);
        },
      ),
      { numRuns: runs(5, 12) },
    );
  });
});
