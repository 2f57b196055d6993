/** Labels, search, saved views, and what else serves records of every kind. */
import { plainTable, recordTable, type Step } from './steps.ts';

const withLabels = [
  'owner',
  'purpose',
  'duty',
  'dialect',
  'use',
  'area',
  'site',
  'room',
  'rack',
  'vendor',
  'model',
  'vrf',
  'vlan',
  'prefix',
  'template',
  'device',
  'interface',
  'box',
  'address',
  'setting',
];

export const bulkSteps: Step[] = [
  ...withLabels.map((table) => ({
    name: `labels-of-${table}`,
    sql: `ALTER TABLE \`${table}\` ADD COLUMN IF NOT EXISTS labels varchar(1000)`,
  })),
  recordTable(
    'label',
    'name varchar(40) NOT NULL, title varchar(200), `rank` int(11), note text, labels varchar(1000), KEY ix_label_rank (`rank`, id)',
  ),
  plainTable(
    'search_term',
    `term varchar(40) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL, kind varchar(30) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
     record_id bigint(20) NOT NULL, field varchar(30) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
     PRIMARY KEY (term, kind, record_id, field), KEY ix_search_term_record (kind, record_id)`,
  ),
  plainTable(
    'view',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, kind varchar(30) NOT NULL, name varchar(63) NOT NULL, owner varchar(63) NOT NULL,
     shared tinyint(1) NOT NULL, query longtext NOT NULL, updated_at datetime(3) NOT NULL, UNIQUE KEY uq_view_name (owner, kind, name),
     KEY ix_view_kind (kind, shared)`,
  ),
  plainTable(
    'head_mapping',
    `kind varchar(30) NOT NULL, head varchar(100) NOT NULL, field varchar(63), updated_at datetime(3) NOT NULL, updated_by varchar(63) NOT NULL,
     UNIQUE KEY uq_head_mapping_head (kind, head)`,
  ),
  plainTable(
    'upload',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, name varchar(255) NOT NULL, kind varchar(30), format varchar(10), columns longtext NOT NULL,
     state varchar(20) NOT NULL, bytes bigint(20) NOT NULL DEFAULT 0, bytes_done bigint(20) NOT NULL DEFAULT 0,
     rows_done bigint(20) NOT NULL DEFAULT 0, encoding varchar(20) NOT NULL DEFAULT 'utf-8', cancelled tinyint(1) NOT NULL DEFAULT 0, sealed tinyint(1) NOT NULL,
     outcome longtext, failure varchar(500), reason varchar(500), via varchar(30) NOT NULL, started_by varchar(63) NOT NULL, at datetime(3) NOT NULL,
     KEY ix_upload_at (at)`,
  ),
  plainTable(
    'upload_chunk',
    `upload_id bigint(20) NOT NULL, seq int(11) NOT NULL, data mediumblob NOT NULL, PRIMARY KEY (upload_id, seq),
     CONSTRAINT fk_upload_chunk_upload FOREIGN KEY (upload_id) REFERENCES upload (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'removed',
    `kind varchar(30) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, record_id bigint(20) NOT NULL,
     record_key varchar(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, at datetime(3) NOT NULL, actor varchar(63) NOT NULL,
     part tinyint(1) NOT NULL DEFAULT 0, PRIMARY KEY (kind, record_id), KEY ix_removed_key (kind, record_key), KEY ix_removed_at (at)`,
  ),
  {
    name: 'what-was-removed-before',
    sql: `INSERT IGNORE INTO removed (kind, record_id, record_key, at, actor)
          SELECT c.kind, c.record_id, c.record_key, s.at, s.actor FROM \`change\` c JOIN change_set s ON s.id = c.change_set_id
          WHERE c.version_to IS NULL AND NOT EXISTS (SELECT 1 FROM \`change\` n WHERE n.kind = c.kind AND n.record_id = c.record_id
            AND n.change_set_id > c.change_set_id)`,
  },
  {
    name: 'index-what-is-there',
    sql: `INSERT IGNORE INTO job (name, payload, due_at, single) VALUES ('reindex', '{}', UTC_TIMESTAMP(3), 'reindex')`,
  },
];
