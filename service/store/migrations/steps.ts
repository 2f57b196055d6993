/** A migration is one DDL statement that may be run twice without harm (DDL commits by itself). */
export interface Step {
  name: string;
  sql: string;
}

/** The columns that every record has. Keys compare byte by byte: case is folded before they are stored. */
export const head = `
  id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY,
  natural_key varchar(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  sort_key varchar(400) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  version int(11) NOT NULL DEFAULT 1,
  created_at datetime(3) NOT NULL,
  updated_at datetime(3) NOT NULL`;

export const keyIndexes = (table: string): string =>
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
