/** The connections to the database, by who uses them. */
import { existsSync } from 'node:fs';
import type { Logger } from 'pino';
import type { Sequelize } from 'sequelize';
import type { Config } from './config.ts';
import { Contents } from './store/contents.ts';
import { connect } from './store/database.ts';
import { Dialects } from './store/dialects.ts';
import { checkSealer, refuseNewKey } from './store/keyCheck.ts';
import { migrate } from './store/migrate.ts';
import { defineModels } from './store/models.ts';
import { sealerFrom } from './store/sealing.ts';
import type { Store } from './store/store.ts';

/** What each user of the database may take of it: connections, and seconds for a statement and for a lock. */
const shares = {
  api: { statementSeconds: 10, lockSeconds: 5 },
  /** A device that boots asks again after a few seconds, and others wait behind it. */
  boot: { statementSeconds: 1, lockSeconds: 1, connections: 12 },
  /** Ended as a whole when it takes too long. */
  apart: { statementSeconds: 120, lockSeconds: 5, connections: 3 },
  job: { statementSeconds: 0, lockSeconds: 5, connections: 3 },
} as const satisfies Record<string, { statementSeconds: number; lockSeconds: number; connections?: number }>;
export type Share = keyof typeof shares;

function connectFor(config: Config, share: Share): Sequelize {
  const bounds = shares[share];
  return connect({
    socket: config.databaseSocket,
    host: config.databaseHost,
    port: config.databasePort,
    user: config.databaseUser,
    password: config.databasePassword,
    name: config.databaseName,
    connections: 'connections' in bounds ? bounds.connections : config.databaseConnections,
    ...bounds,
  });
}

export function openStore(config: Config, share: Share = 'api', dialects = new Dialects()): Store {
  const sequelize = connectFor(config, share);
  return {
    sequelize,
    models: defineModels(sequelize),
    sealer: sealerFrom(config.keyFile),
    dialects,
    contents: new Contents(config.imageFolder),
    impatient: share === 'boot',
    hookHosts: config.hookHosts,
    place: { address: config.bootAddress, httpPort: config.bootHttpPort, httpsPort: config.bootHttpsPort },
    limits: {
      packet: config.waitPacket,
      request: config.waitRequest,
      file: config.waitFile,
      transfer: config.waitTransfer,
      life: config.waitLife,
      probe: config.waitProbe,
    },
  };
}

async function withoutKey(config: Config): Promise<void> {
  const sequelize = connectFor(config, 'job');
  try {
    await refuseNewKey(sequelize, config.keyFile);
  } finally {
    await sequelize.close();
  }
}

/** Brings the database up to date, and makes sure that the key is the one that its secrets are sealed with. */
export async function prepareStore(config: Config, log: Logger): Promise<void> {
  if (!existsSync(config.keyFile)) await withoutKey(config);
  const store = openStore(config, 'job');
  try {
    const applied = await migrate(store);
    if (applied.length > 0) log.info({ steps: applied.length }, 'the database was brought up to date');
    await checkSealer(store);
  } finally {
    await store.sequelize.close();
  }
}
