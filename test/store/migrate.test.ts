import { expect } from 'chai';
import { columnOf } from '@zpine/contract/kind';
import { kindNames, kindOf } from '@zpine/contract/kinds';
import { emptyDatabase, testConfig, testStore } from '../service.ts';
import { openStore } from '../../service/stores.ts';
import { constraints } from '../../service/store/constraints.ts';
import { migrate, steps } from '../../service/store/migrate.ts';
import { attributesOf } from '../../service/store/models.ts';
import type { Store } from '../../service/store/store.ts';
import { readOnly } from '../../service/store/transact.ts';

const reader = { name: 'tester', via: 'service' } as const;

describe('migrations', () => {
  let store: Store;
  before(async () => {
    store = openStore(testConfig(await emptyDatabase()));
  });
  after(() => store.sequelize.close());

  it('build everything from an empty database', async () => {
    expect(await migrate(store)).to.deep.equal(steps.map((s) => s.name));
  });

  it('have nothing to do the second time', async () => {
    expect(await migrate(store)).to.deep.equal([]);
  });

  it('could each be cut off behind its statement and run again', async () => {
    await store.sequelize.query('DELETE FROM migration');
    expect(await migrate(store)).to.have.length(steps.length);
  });

  it('are run once when several instances start together', async () => {
    const name = await emptyDatabase();
    const several = Array.from({ length: 4 }, () => openStore(testConfig(name)));
    const ran = await Promise.all(several.map((s) => migrate(s)));
    expect(ran.flat()).to.have.length(steps.length);
    await Promise.all(several.map((s) => s.sequelize.close()));
  });

  for (const kind of kindNames) {
    it(`make the table of ${kind} as its description has it`, async () => {
      const rows = await readOnly(store, reader, (tx) =>
        tx.select<{ name: string; type: string; empty: string }>(
          'SELECT COLUMN_NAME AS name, COLUMN_TYPE AS type, IS_NULLABLE AS empty FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ?',
          [kind],
        ),
      );
      const made = Object.fromEntries(rows.map((r) => [r.name, { type: r.type, allowNull: r.empty === 'YES' }]));
      const described = Object.fromEntries(
        Object.entries(attributesOf(kindOf(kind))).map(([name, { type, allowNull }]) => [name, { type, allowNull }]),
      );
      expect(made).to.deep.equal(described);
    });

    it(`index what lists of ${kind} are sorted by`, async () => {
      const rows = await readOnly(store, reader, (tx) =>
        tx.select<{ columns: string }>(
          `SELECT GROUP_CONCAT(COLUMN_NAME ORDER BY SEQ_IN_INDEX) AS columns FROM information_schema.STATISTICS
           WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ? GROUP BY INDEX_NAME`,
          [kind],
        ),
      );
      const indexes = rows.map((r) => r.columns);
      for (const field of kindOf(kind).sort ?? []) expect(indexes).to.include(`${columnOf(field)},id`);
      expect(indexes).to.include('sort_key,id');
    });
  }

  it('name every constraint that a write can break, so that its refusal has words', async () => {
    const found = await readOnly(store, reader, (tx) =>
      tx.select<{ name: string }>(
        `SELECT CONSTRAINT_NAME AS name FROM information_schema.TABLE_CONSTRAINTS
         WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME IN (?) AND CONSTRAINT_TYPE IN ('UNIQUE', 'FOREIGN KEY')`,
        [kindNames],
      ),
    );
    const names = found.map((f) => f.name);
    expect(names.filter((name) => !(name in constraints))).to.deep.equal([]);
    const wanted = Object.keys(constraints).filter(
      (name) => !['uq_mac_claim_mac', 'uq_rack_slot_place', 'uq_cable_end_port', 'uq_user_name'].includes(name),
    );
    expect(wanted.filter((name) => !names.includes(name))).to.deep.equal([]);
  });

  it('bring the default VRF along', async () => {
    const fresh = await testStore();
    const rows = await readOnly(fresh, reader, (tx) =>
      tx.select<{ natural_key: string }>('SELECT natural_key FROM vrf'),
    );
    expect(rows).to.deep.equal([{ natural_key: 'default' }]);
    await fresh.sequelize.close();
  });
});
