import { Sequelize } from 'sequelize';

export interface DatabaseOptions {
  /** A socket file, or a host and port. */
  socket?: string | undefined;
  host?: string | undefined;
  port?: number | undefined;
  user: string;
  password: string;
  name: string;
  connections: number;
  /** For so long a statement may take, and wait for a lock; 0 for as long as it takes. */
  statementSeconds: number;
  lockSeconds: number;
}

export function connect(options: DatabaseOptions): Sequelize {
  return new Sequelize({
    dialect: 'mariadb',
    host: options.host ?? 'localhost',
    ...(options.port === undefined ? {} : { port: options.port }),
    username: options.user,
    password: options.password,
    database: options.name,
    logging: false,
    timezone: '+00:00',
    define: { timestamps: false, freezeTableName: true },
    // Waiting longer for a connection than a client waits for its answer helps nobody.
    pool: { max: options.connections, min: 0, acquire: 8000, idle: 30000 },
    dialectOptions: {
      ...(options.socket ? { socketPath: options.socket } : {}),
      connectTimeout: 3000,
      // A fault's message would tell what was sent, secrets too.
      logParam: false,
      initSql: [
        'SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED',
        "SET SESSION sql_mode = 'STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION'",
        // The best order of many tables is searched for only so far: beyond that it takes longer than any order would.
        'SET SESSION optimizer_search_depth = 6',
        `SET SESSION innodb_lock_wait_timeout = ${options.lockSeconds}`,
        `SET SESSION max_statement_time = ${options.statementSeconds}`,
      ],
    },
  });
}

interface DriverError {
  errno?: number;
  code?: string;
  fatal?: boolean;
  sqlMessage?: string;
  message?: string;
}

/** What the connector itself said, below Sequelize's wrapping. */
export function driverError(error: unknown): DriverError {
  const outer = error as { parent?: DriverError; original?: DriverError };
  return outer?.parent ?? outer?.original ?? (error as DriverError) ?? {};
}

/** A statement was stopped because it took longer than statements may (max_statement_time). */
export const isTooSlow = (error: unknown): boolean => driverError(error).errno === 1969;

/** A lock was not had in the time that there is for it. */
export const isLockTimeout = (error: unknown): boolean => driverError(error).errno === 1205;

export const isDeadlock = (error: unknown): boolean => [1213, 1205, 1020].includes(driverError(error).errno ?? 0);

/** The database cannot be reached, went away in the middle, or is shutting down. */
export function isAway(error: unknown): boolean {
  const name = (error as { name?: string })?.name ?? '';
  if (/^SequelizeConnection/.test(name) || name === 'SequelizeHostNotFoundError') return true;
  const { errno, code = '', fatal } = driverError(error);
  if (errno === 1053 || errno === 1927 || errno === 2006 || errno === 2013) return true;
  if (/^(ECONNREFUSED|ECONNRESET|EPIPE|ENOENT|ETIMEDOUT)$/.test(code)) return true;
  return fatal === true && !isDeadlock(error);
}
