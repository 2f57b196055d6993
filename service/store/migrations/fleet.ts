/** The running fleet: sheets of dialects, access sets, runs with their rows, captures, what was seen, what is watched. */
import { column, plainTable, settingsStep, type Step } from './steps.ts';

const KEY = 'varchar(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL';

export const fleetSteps: Step[] = [
  column('dialect', 'sheet', 'longtext'),
  settingsStep('fleet-settings', [
    [
      'access.password',
      'The password by which the service signs in; left out, that of `users`',
      'text',
      null,
      null,
      true,
    ],
    ['access.key', 'The private key by which the service signs in, in OpenSSH or PEM form', 'text', null, null, true],
    ['access.passphrase', 'What opens that key', 'text', null, null, true],
    ['access.second', 'The second password, for more rights', 'text', null, null, true],
    [
      'access.algorithms',
      'SSH algorithms that are permitted beside the good ones, by name',
      'list-of-text',
      [],
      null,
      false,
    ],
    ['access.connect-seconds', 'How long a device may take to let the service in', 'number', 8, 's', false],
    ['access.answer-seconds', 'How long a device may take for an answer', 'number', 20, 's', false],
    ['access.parallel', 'How many devices are reached at a time', 'number', 40, null, false],
    ['access.jump', 'The device by which others are reached', 'text', null, null, false],
    ['capture.hours', 'How often a device is captured; 0: only when somebody asks', 'number', 0, 'h', false],
    ['capture.keep', 'How many versions of a captured file are kept', 'number', 50, null, false],
    ['capture.warn-days', 'After how long without a capture somebody is told', 'number', 7, 'd', false],
    ['watch.minutes', 'How often a device is looked at; 0: not watched', 'number', 0, 'min', false],
    ['watch.mail', 'Who gets notices by e-mail', 'list-of-text', [], null, false],
  ]),
  plainTable(
    'run',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, kind varchar(20) NOT NULL, state varchar(20) NOT NULL, title varchar(200) NOT NULL,
     input longtext NOT NULL, selection varchar(2000) NOT NULL, expected int(11) NOT NULL, made_by varchar(63) NOT NULL, reason varchar(500),
     made_at datetime(3) NOT NULL, started_at datetime(3), ended_at datetime(3), ended varchar(500), stopping tinyint(1) NOT NULL DEFAULT 0,
     takes_back bigint(20), claimed_until datetime(3), fence int(11) NOT NULL DEFAULT 0, version int(11) NOT NULL DEFAULT 1,
     KEY ix_run_claim (state, claimed_until), KEY ix_run_made (made_at), KEY ix_run_takes_back (takes_back)`,
  ),
  plainTable(
    'run_row',
    `run_id bigint(20) NOT NULL, seq int(11) NOT NULL, device_id bigint(20) NOT NULL, device_key ${KEY}, state varchar(20) NOT NULL,
     outcome varchar(30), detail varchar(2000) NOT NULL DEFAULT '', started_at datetime(3), ms int(11), result longtext, sealed longtext,
     PRIMARY KEY (run_id, seq), UNIQUE KEY uq_run_row_device (run_id, device_id), KEY ix_run_row_device (device_id, run_id),
     CONSTRAINT fk_run_row_run FOREIGN KEY (run_id) REFERENCES run (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'busy_device',
    `device_id bigint(20) NOT NULL PRIMARY KEY, run_id bigint(20) NOT NULL, until_at datetime(3) NOT NULL`,
  ),
  plainTable(
    'captured_text',
    `digest binary(32) NOT NULL PRIMARY KEY, bytes bigint(20) NOT NULL, is_binary tinyint(1) NOT NULL, shown longtext NOT NULL, content longtext NOT NULL`,
  ),
  plainTable(
    'capture',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, device_id bigint(20) NOT NULL, device_key ${KEY},
     file varchar(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, digest binary(32) NOT NULL, sha256 char(64) NOT NULL, current tinyint(1) NOT NULL,
     first_at datetime(3) NOT NULL, last_at datetime(3) NOT NULL, run_id bigint(20),
     KEY ix_capture_device (device_id, file, id), KEY ix_capture_current (current, last_at), KEY ix_capture_digest (digest),
     CONSTRAINT fk_capture_digest FOREIGN KEY (digest) REFERENCES captured_text (digest)`,
  ),
  plainTable(
    'capture_try',
    `device_id bigint(20) NOT NULL PRIMARY KEY, tried_at datetime(3) NOT NULL, well_at datetime(3), detail varchar(500) NOT NULL DEFAULT '',
     KEY ix_capture_try_well (well_at)`,
  ),
  plainTable(
    'seen_address',
    `device_id bigint(20) NOT NULL, interface varchar(100) NOT NULL, address binary(16) NOT NULL, address_family smallint(6) NOT NULL,
     length smallint(6) NOT NULL, state varchar(40), at datetime(3) NOT NULL, PRIMARY KEY (device_id, interface, address),
     KEY ix_seen_address_address (address_family, address),
     CONSTRAINT fk_seen_address_device FOREIGN KEY (device_id) REFERENCES device (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'seen_mac',
    `device_id bigint(20) NOT NULL, interface varchar(100) NOT NULL, mac binary(6) NOT NULL, vlan varchar(20) NOT NULL, at datetime(3) NOT NULL,
     PRIMARY KEY (device_id, interface, mac, vlan), KEY ix_seen_mac_mac (mac),
     CONSTRAINT fk_seen_mac_device FOREIGN KEY (device_id) REFERENCES device (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'watched',
    `device_id bigint(20) NOT NULL, what varchar(120) NOT NULL, state varchar(60) NOT NULL, held longtext NOT NULL, looked_at datetime(3) NOT NULL,
     PRIMARY KEY (device_id, what), CONSTRAINT fk_watched_device FOREIGN KEY (device_id) REFERENCES device (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'watch_due',
    `device_id bigint(20) NOT NULL PRIMARY KEY, due_at datetime(3) NOT NULL, KEY ix_watch_due_due (due_at),
     CONSTRAINT fk_watch_due_device FOREIGN KEY (device_id) REFERENCES device (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'notice',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, at datetime(3) NOT NULL, device_id bigint(20) NOT NULL, device_key ${KEY},
     what varchar(120) NOT NULL, text varchar(1000) NOT NULL, mail_to varchar(2000) NOT NULL DEFAULT '', mailed_at datetime(3), mail_fault varchar(500),
     mail_due datetime(3), tries int(11) NOT NULL DEFAULT 0, KEY ix_notice_at (at), KEY ix_notice_due (mail_due)`,
  ),
];
