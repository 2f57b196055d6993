/** What is derived is held against the records: each table is damaged by hand, the damage found, mended, and found no more. */
import { expect } from 'chai';
import { soundnessNames, type Soundness } from '@zpine/contract/doctorRoutes';
import { checkStore } from '../../service/app/soundness/check.ts';
import { addOne } from '../../service/app/records/add.ts';
import { saveSamples } from '../../service/app/addressing/samples.ts';
import type { Store } from '../../service/store/store.ts';
import { transact } from '../../service/store/transact.ts';
import { onboarding, type Onboarding } from '../onboarding/bench.ts';
import { actor, refusal, suites } from '../service.ts';
import { zpineIn } from '../zpine.ts';

describe('what is derived from the records', () => {
  let bench: Onboarding;
  let store: Store;
  before(async function () {
    this.timeout(120_000);
    bench = await onboarding();
    store = bench.store;
    suites.damaged.add(store);
    await transact(store, actor, 'test', async (tx) => {
      await addOne(tx, 'prefix', { cidr: '2001:db8:99::/64', labels: ['tidal'] });
      await addOne(tx, 'address', { address: '2001:db8:99::b' });
      await saveSamples(tx);
    });
  });
  after(() => bench.end());

  it('is as the records say when it was only written by use cases', async () => {
    const report = await checkStore(store, actor, false);
    expect(report.looks.flatMap((look) => look.rows)).to.deep.equal([]);
    expect(report.looks.map((look) => look.look)).to.deep.equal(soundnessNames);
  });

  const damages: [what: string, look: Soundness, sql: string][] = [
    ['a count of free addresses', 'space', "UPDATE space SET free = free + 1 WHERE holds = 'fixed' LIMIT 1"],
    [
      'a count of a large prefix',
      'space',
      'UPDATE space SET free = free - 384 WHERE free > 18000000000000000000 LIMIT 1',
    ],
    ['a free span', 'space', 'DELETE FROM free_span LIMIT 1'],
    ['what fits into a span', 'space', 'UPDATE free_span SET fit = fit + 1 WHERE fit < 30 LIMIT 1'],
    ['a space', 'space', 'DELETE FROM space LIMIT 1'],
    ['where a prefix lies', 'tree', 'UPDATE prefix SET parent_id = NULL WHERE parent_id IS NOT NULL LIMIT 1'],
    [
      'where an address lies',
      'addresses',
      "UPDATE address SET prefix_id = (SELECT id FROM prefix WHERE natural_key = '10.77.0.0/16') LIMIT 1",
    ],
    ['a sample', 'samples', 'UPDATE fill_sample SET free = 99999999999999999999999999999999999999 LIMIT 1'],
    ['a sample of days to come', 'samples', 'UPDATE fill_sample SET day = UTC_DATE() + INTERVAL 3 DAY LIMIT 1'],
    ['a claim of a MAC', 'macs', 'DELETE FROM mac_claim LIMIT 1'],
    ['whose MAC it is', 'macs', 'UPDATE mac_claim SET record_id = record_id + 900000 LIMIT 1'],
    ['an end of a cable', 'cables', 'DELETE FROM cable_end LIMIT 1'],
    ['room in a rack', 'racks', 'DELETE FROM rack_slot LIMIT 1'],
    [
      'room that nobody takes',
      'racks',
      "INSERT INTO rack_slot SELECT id, 40, 'front', 'left', 'device', 999999 FROM rack ORDER BY height_u DESC LIMIT 1",
    ],
    ['search terms', 'terms', "DELETE FROM search_term WHERE kind = 'device' LIMIT 3"],
    ['a term of nothing', 'terms', "INSERT INTO search_term VALUES ('ghost', 'site', 999999, 'title')"],
    ['a key', 'keys', "UPDATE room SET natural_key = CONCAT(natural_key, '-x') LIMIT 1"],
    ['what an address sorts by', 'keys', "UPDATE address SET sort_key = 'zzz' LIMIT 1"],
    ['what a port sorts by', 'keys', "UPDATE port SET sort_key = natural_key WHERE natural_key LIKE '%/1%' LIMIT 1"],
  ];
  for (const [what, look, sql] of damages)
    it(`is found and mended: ${what}`, async () => {
      const broken = await transact(store, actor, 'test', (tx) => tx.execute(sql));
      expect(broken, sql).to.be.greaterThan(0);
      const found = await checkStore(store, actor, false);
      expect(found.looks.filter((one) => one.count > 0).map((one) => one.look)).to.deep.include(look);
      expect(found.mended).to.equal(0);
      const mended = await checkStore(store, actor, true);
      expect(mended.mended).to.equal(mended.count).and.be.greaterThan(0);
      const after = await checkStore(store, actor, false);
      expect(after.looks.flatMap((one) => one.rows)).to.deep.equal([]);
    });

  it('is checked on the command line by administrators, in the background, with what was mended in the history', async function () {
    this.timeout(60_000);
    const { zpineWith } = zpineIn('/nonexistent');
    const admin = (...args: string[]) =>
      zpineWith('', { ZPINE_URL: bench.url, ZPINE_TOKEN: bench.tokens.admin }, ...args);
    expect((await admin('doctor', 'store')).out).to.contain('everything that is derived is as the records say');
    await transact(store, actor, 'test', (tx) => tx.execute("UPDATE space SET free = 7 WHERE holds = 'fixed' LIMIT 1"));
    const looked = await admin('doctor', 'store');
    expect(looked.status).to.equal(1);
    expect(looked.out)
      .to.match(/free for fixed assignment\n +is +7: /)
      .and.contain('zpine doctor store --mend');
    const mended = await admin('doctor', 'store', '--mend', '--reason', 'after a damage');
    expect(mended.status, mended.err).to.equal(0);
    const [set] = (await bench.clients.admin.call('history.list', { query: { limit: '1' } })).items;
    expect(set).to.include({ action: 'doctor.store', reason: 'after a damage' });
    expect(set?.changes[0]).to.deep.include({ kind: 'store', after: { space: 1 } });
    const [last] = (await bench.clients.admin.call('doctor.storeChecks')).items;
    expect(last).to.include({ state: 'ended', count: 1, mended: 1, mend: true, by: 'admin' });
    expect((await refusal(bench.clients.engineer.call('doctor.store', { body: {} }))).code).to.equal(
      'role-insufficient',
    );
  });
});
