import { column, plainTable, recordTable, ref, settingsStep, type Step } from './steps.ts';

const LABELS = 'labels varchar(1000)';
const recent = (table: string): string => `KEY ix_${table}_updated (updated_at, id)`;

export const checkSteps: Step[] = [
  recordTable(
    'check',
    `name varchar(63) NOT NULL, title varchar(200) NOT NULL, devices varchar(1000), severity varchar(30) NOT NULL,
     source longtext NOT NULL, remedy varchar(30) NOT NULL, remedy_with text, hour int(11), note text, ${LABELS}, ${recent('check')}`,
  ),
  recordTable(
    'exception',
    `${ref('exception', 'check', 'check', true)}, ${ref('exception', 'device', 'device', true)},
     until varchar(10) NOT NULL, why varchar(200) NOT NULL, note text, ${LABELS}, ${recent('exception')},
     KEY ix_exception_until (until, id)`,
  ),
  // What was found last, made anew each time; it goes with its check and its device.
  plainTable(
    'check_result',
    `check_id bigint(20) NOT NULL, device_id bigint(20) NOT NULL, state varchar(10) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
     findings longtext NOT NULL, why varchar(1000) NOT NULL, since datetime(3) NOT NULL, judged_at datetime(3) NOT NULL, run_id bigint(20),
     PRIMARY KEY (check_id, device_id), KEY ix_check_result_device (device_id), KEY ix_check_result_state (state, check_id),
     CONSTRAINT fk_check_result_check FOREIGN KEY (check_id) REFERENCES \`check\` (id) ON DELETE CASCADE,
     CONSTRAINT fk_check_result_device FOREIGN KEY (device_id) REFERENCES device (id) ON DELETE CASCADE`,
  ),
  // Evidence of how it was: no foreign keys.
  plainTable(
    'check_past',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, check_id bigint(20) NOT NULL, device_id bigint(20) NOT NULL,
     device_key varchar(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, at datetime(3) NOT NULL,
     state varchar(10) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, findings longtext NOT NULL, why varchar(1000) NOT NULL, run_id bigint(20),
     KEY ix_check_past_check (check_id, at), KEY ix_check_past_device (device_id, check_id, at), KEY ix_check_past_at (at)`,
  ),
  // The day on which the plan began a check last.
  plainTable('check_turn', 'check_id bigint(20) NOT NULL PRIMARY KEY, day varchar(10) NOT NULL'),
  column('capture', 'gone', 'tinyint(1) NOT NULL DEFAULT 0'),
  column('template', 'files', 'longtext'),
  column('edition', 'places', 'text'),
  settingsStep('settings-of-checks', [
    ['software.version', 'The version of its software that a device should run', 'text', null, null, false],
    [
      'access.factory-user',
      'The user that a device of this model lets in as it comes out of its box',
      'text',
      null,
      null,
      false,
    ],
    ['access.factory-password', 'The password of that user', 'text', null, null, true],
  ]),
];
