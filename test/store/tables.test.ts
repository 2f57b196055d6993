import { expect } from 'chai';
import { sessions } from '../../service/app/access/sessions.ts';
import { tokens } from '../../service/app/access/tokens.ts';
import { users } from '../../service/app/access/users.ts';
import { arrivals } from '../../service/app/arrivals/arrivals.ts';
import { strangers } from '../../service/app/arrivals/presentStrangers.ts';
import { leases } from '../../service/app/boot/leases.ts';
import { records } from '../../service/app/boot/records.ts';
import { editions } from '../../service/app/editions/rows.ts';
import { captures, texts } from '../../service/app/fleet/captures.ts';
import { deliveries } from '../../service/app/fleet/deliveries.ts';
import { letters, notices } from '../../service/app/fleet/letters.ts';
import { rows } from '../../service/app/fleet/runRows.ts';
import { runs } from '../../service/app/fleet/runs.ts';
import { changeSets, shown } from '../../service/app/history/list.ts';
import { removals } from '../../service/app/history/removed.ts';
import { changes } from '../../service/app/history/changes.ts';
import { uploads } from '../../service/app/imports/uploads.ts';
import { slots } from '../../service/app/racks/slots.ts';
import { settingValues } from '../../service/app/settings/layers.ts';
import { checks } from '../../service/app/soundness/checks.ts';
import { views } from '../../service/app/views.ts';
import type { Table } from '../../service/store/table.ts';
import type { Store } from '../../service/store/store.ts';
import { readOnly } from '../../service/store/transact.ts';
import { actor, testStore } from '../service.ts';

const tables: Table[] = [
  sessions,
  tokens,
  users,
  arrivals,
  strangers,
  leases,
  records,
  editions,
  captures,
  texts,
  rows,
  runs,
  notices,
  letters,
  deliveries,
  changeSets,
  shown,
  removals,
  changes,
  uploads,
  slots,
  settingValues,
  checks,
  views,
];

const heldBy: Record<string, string> = {
  bigint: 'number',
  int: 'number',
  tinyint: 'number',
  double: 'number',
  varchar: 'text',
  char: 'text',
  longtext: 'text',
  datetime: 'time',
  binary: 'bytes',
  longblob: 'bytes',
};

type DatabaseColumn = { COLUMN_NAME: string; DATA_TYPE: string; IS_NULLABLE: string };

describe('tables whose columns are written once', () => {
  let store: Store;
  before(async () => (store = await testStore()));
  after(() => store.sequelize.close());

  it('have them in the database, holding what the row says and empty only where it says so', async () => {
    const found = await readOnly(store, actor, (tx) =>
      Promise.all(
        tables.map(({ name }) =>
          tx.select<DatabaseColumn>(
            'SELECT COLUMN_NAME, DATA_TYPE, IS_NULLABLE FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ?',
            [name],
          ),
        ),
      ),
    );
    for (const [i, { name, columns }] of tables.entries()) {
      const database = new Map(found[i]?.map((column) => [column.COLUMN_NAME, column]));
      const there = Object.keys(columns).map((column) => {
        const one = database.get(column);
        return [`${name}.${column}`, one && { holds: heldBy[one.DATA_TYPE], nullable: one.IS_NULLABLE === 'YES' }];
      });
      const said = Object.entries(columns).map(([column, { holds, nullable }]) => [
        `${name}.${column}`,
        { holds, nullable },
      ]);
      expect(there).to.deep.equal(said);
    }
  });

  it('give numbers for whole numbers of every width', async () => {
    const row = await readOnly(store, actor, (tx) =>
      tx.one('SELECT CAST(7 AS SIGNED) AS big, COUNT(*) AS counted, MAX(version) AS held FROM setting'),
    );
    expect(Object.values(row ?? {}).map((one) => typeof one)).to.deep.equal(['number', 'number', 'number']);
  });
});
