/** Room in racks. */
import { plainTable, recordTable, ref, type Step } from './steps.ts';

export const rackSteps: Step[] = [
  {
    name: 'model-has-width',
    sql: "ALTER TABLE model ADD COLUMN IF NOT EXISTS width varchar(30) NOT NULL DEFAULT 'full'",
  },
  {
    name: 'device-has-side',
    sql: "ALTER TABLE device ADD COLUMN IF NOT EXISTS side varchar(30) NOT NULL DEFAULT 'left'",
  },
  recordTable(
    'filler',
    `${ref('filler', 'rack', 'rack', true)}, position_u int(11) NOT NULL, face varchar(30) NOT NULL, form varchar(30) NOT NULL,
     height_u int(11) NOT NULL, depth varchar(30) NOT NULL, description varchar(200), note text, labels varchar(1000)`,
  ),
  plainTable(
    'rack_slot',
    `rack_id bigint(20) NOT NULL, u int(11) NOT NULL, face varchar(10) NOT NULL, half varchar(10) NOT NULL, kind varchar(30) NOT NULL,
     record_id bigint(20) NOT NULL, UNIQUE KEY uq_rack_slot_place (rack_id, u, face, half), KEY ix_rack_slot_record (kind, record_id),
     CONSTRAINT fk_rack_slot_rack FOREIGN KEY (rack_id) REFERENCES rack (id) ON DELETE CASCADE`,
  ),
  {
    name: 'names-have-a-pattern',
    sql: `INSERT IGNORE INTO setting (natural_key, sort_key, created_at, updated_at, name, about, value_type, default_value, secret)
          VALUES ('naming.pattern', 'naming.pattern', UTC_TIMESTAMP(3), UTC_TIMESTAMP(3), 'naming.pattern',
            'How devices are named, by area, site, room, rack, duty, model and a number', 'text', '"{site}-{duty}-{n}"', 0)`,
  },
  {
    name: 'index-the-pattern',
    sql: `INSERT IGNORE INTO job (name, payload, due_at, single) VALUES ('reindex', '{}', UTC_TIMESTAMP(3), 'reindex')`,
  },
  {
    name: 'take-room-for-what-stands',
    sql: `INSERT IGNORE INTO job (name, payload, due_at, single) VALUES ('reslot', '{}', UTC_TIMESTAMP(3), 'reslot')`,
  },
];
