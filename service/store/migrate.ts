import { Umzug } from 'umzug';
import { type Sequelize, QueryTypes } from 'sequelize';
import { accessSteps } from './migrations/access.ts';
import { addressingSteps } from './migrations/addressing.ts';
import { plausibilitySteps } from './migrations/plausibility.ts';
import { fleetSteps } from './migrations/fleet.ts';
import { bootSteps } from './migrations/boot.ts';
import { bulkSteps } from './migrations/bulk.ts';
import { ledgerSteps } from './migrations/ledger.ts';
import { onboardingSteps } from './migrations/onboarding.ts';
import { hardwareSteps } from './migrations/hardware.ts';
import { rackSteps } from './migrations/racks.ts';
import { recordSteps } from './migrations/records.ts';
import { checkSteps } from './migrations/checks.ts';
import { everydaySteps } from './migrations/everyday.ts';
import { driftSteps } from './migrations/drift.ts';
import { runSteps } from './migrations/runs.ts';
import { secretSteps } from './migrations/secrets.ts';
import { wholeSteps } from './migrations/whole.ts';
import type { Step, StepTools } from './migrations/steps.ts';
import type { Sealer } from './sealing.ts';
import type { Store } from './store.ts';

/** In the order in which they run. New steps go to the end; one that has run anywhere is never changed. */
export const steps: Step[] = [
  ...recordSteps,
  ...ledgerSteps,
  ...onboardingSteps,
  ...bulkSteps,
  ...rackSteps,
  ...hardwareSteps,
  ...addressingSteps,
  ...fleetSteps,
  ...plausibilitySteps,
  ...wholeSteps,
  ...secretSteps,
  ...accessSteps,
  ...runSteps,
  ...driftSteps,
  ...checkSteps,
  ...everydaySteps,
  ...bootSteps,
];

/**
 * Brings the database to the newest shape. Runs under a lock held by a connection of its own, because DDL ends
 * transactions: several instances may start at once. Gives the names of the steps that were run.
 */
export async function migrate({ sequelize, sealer }: Pick<Store, 'sequelize' | 'sealer'>): Promise<string[]> {
  const lock = `zpine-migrate-${sequelize.getDatabaseName()}`.slice(0, 64);
  return sequelize.transaction(async (holder) => {
    const options = { transaction: holder, replacements: [lock], type: QueryTypes.SELECT as const };
    const [got] = await sequelize.query<{ got: number }>('SELECT GET_LOCK(?, 60) AS got', options);
    if (got?.got !== 1) throw new Error('another instance has been migrating the database for a minute');
    try {
      const run = await migrator(sequelize, sealer).up();
      return run.map((m) => m.name);
    } finally {
      await sequelize.query('SELECT RELEASE_LOCK(?)', options);
    }
  });
}

function migrator(sequelize: Sequelize, sealer: Sealer) {
  const select = { type: QueryTypes.SELECT } as const;
  const tools: StepTools = {
    select: (sql, values = []) => sequelize.query(sql, { ...select, replacements: values }),
    execute: (sql, values = []) => sequelize.query(sql, { replacements: values }),
    sealer,
  };
  return new Umzug({
    logger: undefined,
    migrations: steps.map((step) => ({
      name: step.name,
      up: async () => void ('sql' in step ? await sequelize.query(step.sql) : await step.run(tools)),
    })),
    storage: {
      async executed() {
        await sequelize.query(
          'CREATE TABLE IF NOT EXISTS migration (name varchar(100) NOT NULL PRIMARY KEY, at datetime(3) NOT NULL)',
        );
        return (await sequelize.query<{ name: string }>('SELECT name FROM migration', select)).map((m) => m.name);
      },
      async logMigration({ name }) {
        await sequelize.query('INSERT IGNORE INTO migration VALUES (?, UTC_TIMESTAMP(3))', { replacements: [name] });
      },
      async unlogMigration({ name }) {
        await sequelize.query('DELETE FROM migration WHERE name = ?', { replacements: [name] });
      },
    },
  });
}
