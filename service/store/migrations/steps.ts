import type { Sealer } from '../sealing.ts';

/** A migration is one DDL statement that may be run twice without harm (DDL commits by itself). */
interface SqlStep {
  name: string;
  sql: string;
}

/** What a migration's code works with: statements that commit by themselves, and the key for what is sealed. */
export interface StepTools {
  select: <T extends object>(sql: string, values?: unknown[]) => Promise<T[]>;
  execute: (sql: string, values?: unknown[]) => Promise<unknown>;
  sealer: Sealer;
}

/** A migration of what the database cannot read itself. It may be cut off anywhere and run again. */
interface CodeStep {
  name: string;
  run: (tools: StepTools) => Promise<void>;
}

export type Step = SqlStep | CodeStep;

/** The columns that every record has. Keys compare byte by byte: case is folded before they are stored. */
const head = `
  id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY,
  natural_key varchar(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  sort_key varchar(400) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  version int(11) NOT NULL DEFAULT 1,
  created_at datetime(3) NOT NULL,
  updated_at datetime(3) NOT NULL`;

const keyIndexes = (table: string): string =>
  `UNIQUE KEY uq_${table}_key (natural_key), KEY ix_${table}_sort (sort_key, id)`;

/** A table of records: `body` lists columns and constraints of its own. */
export const recordTable = (table: string, body: string): Step => ({
  name: `create-${table}`,
  sql: `CREATE TABLE IF NOT EXISTS \`${table}\` (${head},\n${body.trim().replace(/,$/, '')},\n${keyIndexes(table)}) ENGINE=InnoDB`,
});

export const plainTable = (table: string, body: string): Step => ({
  name: `create-${table}`,
  sql: `CREATE TABLE IF NOT EXISTS \`${table}\` (${body.trim().replace(/,$/, '')}) ENGINE=InnoDB`,
});

/** A column for a reference, with its index and foreign key. Removal of what is referred to is refused. */
export const ref = (table: string, field: string, to: string, notNull = false): string =>
  `${field}_id bigint(20)${notNull ? ' NOT NULL' : ''}, KEY ix_${table}_${field} (${field}_id),
   CONSTRAINT fk_${table}_${field} FOREIGN KEY (${field}_id) REFERENCES \`${to}\` (id)`;

/** A column that joins a table which is there already. */
export const column = (table: string, name: string, sql: string): Step => ({
  name: `${table}-has-${name.replaceAll('_', '-')}`,
  sql: `ALTER TABLE \`${table}\` ADD COLUMN IF NOT EXISTS \`${name}\` ${sql}`,
});

/** A reference that joins a table which is there already. */
export const refColumn = (table: string, field: string, to: string): Step => ({
  name: `${table}-refers-by-${field.replaceAll('_', '-')}`,
  sql: `ALTER TABLE \`${table}\` ADD COLUMN IF NOT EXISTS \`${field}_id\` bigint(20), ADD KEY IF NOT EXISTS ix_${table}_${field} (\`${field}_id\`),
        ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS fk_${table}_${field} (\`${field}_id\`) REFERENCES \`${to}\` (id)`,
});

/** A setting that the product brings. */
export type SeedSetting = [
  name: string,
  about: string,
  type: string,
  standard: unknown,
  unit: string | null,
  secret: boolean,
];

const quoted = (value: unknown): string =>
  value === null ? 'NULL' : `'${String(value).replaceAll('\\', '\\\\').replaceAll("'", "''")}'`;

export const settingsStep = (name: string, settings: SeedSetting[]): Step => ({
  name,
  sql: `INSERT IGNORE INTO setting (natural_key, sort_key, created_at, updated_at, name, about, value_type, unit, default_value, secret) VALUES
    ${settings
      .map(([setting, about, type, standard, unit, secret]) => {
        const value = standard === null ? 'NULL' : quoted(JSON.stringify(standard));
        return `(${quoted(setting)}, ${quoted(setting)}, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3), ${quoted(setting)}, ${quoted(about)}, ${quoted(type)}, ${quoted(unit)}, ${value}, ${secret ? 1 : 0})`;
      })
      .join(',\n    ')}`,
});
