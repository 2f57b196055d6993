/** Who gets which address, rests, shared addresses, site plans, samples of how full prefixes are. */
import { column, plainTable, recordTable, ref, refColumn, settingsStep, type Step } from './steps.ts';

export const addressingSteps: Step[] = [
  column('prefix', 'hand_out', 'varchar(200)'),
  column('prefix', 'rest_seconds', 'int(11)'),
  column('prefix', 'name_servers', 'varchar(200)'),
  column('prefix', 'time_servers', 'varchar(200)'),
  column('prefix', 'domain', 'varchar(200)'),
  column('prefix', 'lease_seconds', 'int(11)'),
  column('address', 'shared', 'tinyint(1) NOT NULL DEFAULT 0'),
  refColumn('device', 'main', 'interface'),
  recordTable(
    'carrier',
    `${ref('carrier', 'address', 'address', true)}, ${ref('carrier', 'interface', 'interface', true)}, priority int(11), note text,
     labels varchar(1000)`,
  ),
  recordTable(
    'siteplan',
    'name varchar(63) NOT NULL, title varchar(200), steps longtext NOT NULL, note text, labels varchar(1000)',
  ),
  plainTable(
    'resting',
    `prefix_id bigint(20) NOT NULL, address binary(16) NOT NULL, until_at datetime(3) NOT NULL, PRIMARY KEY (prefix_id, address),
     KEY ix_resting_until (until_at), CONSTRAINT fk_resting_prefix FOREIGN KEY (prefix_id) REFERENCES prefix (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'fill_sample',
    `prefix_id bigint(20) NOT NULL, day date NOT NULL, free decimal(39,0) NOT NULL, PRIMARY KEY (prefix_id, day), KEY ix_fill_sample_day (day),
     CONSTRAINT fk_fill_sample_prefix FOREIGN KEY (prefix_id) REFERENCES prefix (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'zone_serial',
    'zone varchar(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY, serial bigint(20) NOT NULL, digest char(64) NOT NULL',
  ),
  settingsStep('zone-settings', [
    [
      'zone.servers',
      'The names of the servers that answer for our zones, the first above all',
      'list-of-text',
      [],
      null,
      false,
    ],
    ['zone.contact', 'The mailbox of who answers for our zones', 'text', null, null, false],
    ['zone.seconds', 'How long an answer out of our zones may be kept', 'number', 3600, 's', false],
  ]),
  {
    name: 'prefixes-are-listed-level-by-level',
    sql: 'ALTER TABLE prefix ADD KEY IF NOT EXISTS ix_prefix_level (vrf_id, parent_id, sort_key)',
  },
];
