/** What the fleet's everyday needs: runs that can be begun again as they were typed, errands with a name. */
import { column, plainTable, recordTable, settingsStep, type Step } from './steps.ts';

export const everydaySteps: Step[] = [
  // What somebody asked for, under seal: lines may hold secrets.
  column('run', 'typed', 'mediumtext CHARACTER SET ascii COLLATE ascii_bin'),
  recordTable(
    'routine',
    `name varchar(63) NOT NULL, title varchar(200) NOT NULL, does varchar(30) NOT NULL, devices varchar(1000), blanks text,
     source longtext NOT NULL, questions varchar(400), expect text, hour int(11), most int(11) NOT NULL, note text,
     labels varchar(1000), KEY ix_routine_updated (updated_at, id)`,
  ),
  plainTable(
    'seen_neighbour',
    `device_id bigint(20) NOT NULL, interface varchar(100) NOT NULL, neighbour varchar(200) NOT NULL, port varchar(100) NOT NULL,
     at datetime(3) NOT NULL, PRIMARY KEY (device_id, interface, neighbour),
     CONSTRAINT fk_seen_neighbour_device FOREIGN KEY (device_id) REFERENCES device (id) ON DELETE CASCADE`,
  ),
  settingsStep('settings-of-watch', [
    [
      'watch.interfaces',
      'Which interfaces are watched: all, none, cabled, label:NAME, use:NAME, vlan:NUMBER',
      'list-of-text',
      ['all'],
      null,
      false,
    ],
    [
      'watch.quiet',
      'When nobody is told: daily 22:00-06:00, sat 20:00-23:30, or 2026-12-01T20:00/2026-12-02T04:00',
      'list-of-text',
      [],
      null,
      false,
    ],
  ]),
  settingsStep('settings-of-hooks', [
    ['watch.hooks', 'Where notices go as messages by HTTP: URLs', 'list-of-text', [], null, false],
    ['watch.hook-key', 'What such messages are signed with', 'text', null, null, true],
    [
      'watch.hook-headers',
      'A header for messages to a host, by the host without its port: Authorization: Bearer ...',
      'map',
      {},
      null,
      true,
    ],
  ]),
  plainTable(
    'delivery',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, letter_id bigint(20) NOT NULL, device_id bigint(20) NOT NULL, url varchar(1000) NOT NULL,
     due_at datetime(3), sent_at datetime(3), fault varchar(500), tries int(11) NOT NULL DEFAULT 0, claimed_until datetime(3),
     fence int(11) NOT NULL DEFAULT 0, KEY ix_delivery_due (due_at), KEY ix_delivery_letter (letter_id)`,
  ),
  column('notice', 'hooks', "varchar(4000) NOT NULL DEFAULT '[]'"),
  // Notices of one cause go out together.
  plainTable(
    'letter',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, at datetime(3) NOT NULL, mail_to varchar(2000) NOT NULL, hooks varchar(4000) NOT NULL, turn varchar(10) NOT NULL,
     cause varchar(255) NOT NULL, subject varchar(300) NOT NULL, text longtext NOT NULL, due_at datetime(3), sent_at datetime(3), fault varchar(500),
     tries int(11) NOT NULL DEFAULT 0, claimed_until datetime(3), fence int(11) NOT NULL DEFAULT 0, KEY ix_letter_due (due_at), KEY ix_letter_cause (cause, at)`,
  ),
  column('notice', 'turn', "varchar(10) NOT NULL DEFAULT 'other'"),
  column('notice', 'cause', "varchar(255) NOT NULL DEFAULT ''"),
  column('notice', 'letter_id', 'bigint(20)'),
  // What known-hosts lines are made of; null for keys that were pinned before they were kept.
  column('host_key', 'public_key', 'varchar(4000) CHARACTER SET ascii COLLATE ascii_bin'),
  // The day on which the plan began a routine last.
  plainTable('routine_turn', 'routine_id bigint(20) NOT NULL PRIMARY KEY, day varchar(10) NOT NULL'),
  // Whether the addresses of a prefix are gone through, and whether unknown hosts there are signed in on.
  column('prefix', 'sweep', "varchar(30) NOT NULL DEFAULT 'no'"),
  plainTable(
    'sweep',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, prefix_id bigint(20) NOT NULL, prefix_key varchar(100) NOT NULL, vrf_id bigint(20) NOT NULL,
     state varchar(10) NOT NULL, signs_in tinyint(1) NOT NULL, per_second int(11) NOT NULL, total int(11) NOT NULL, known int(11) NOT NULL,
     done int(11) NOT NULL DEFAULT 0, silent int(11) NOT NULL DEFAULT 0, shut int(11) NOT NULL DEFAULT 0, last_done varchar(45), stopping tinyint(1) NOT NULL DEFAULT 0, remarks varchar(2000) NOT NULL,
     made_at datetime(3) NOT NULL, made_by varchar(63) NOT NULL, reason varchar(500), ended_at datetime(3), ended varchar(500),
     claimed_until datetime(3), fence int(11) NOT NULL DEFAULT 0, KEY ix_sweep_state (state, id), KEY ix_sweep_prefix (prefix_id, id)`,
  ),
  plainTable(
    'swept',
    `sweep_id bigint(20) NOT NULL, address binary(16) NOT NULL, address_family tinyint(4) NOT NULL, rung varchar(20) NOT NULL, result longtext NOT NULL,
     PRIMARY KEY (sweep_id, address), CONSTRAINT fk_swept_sweep FOREIGN KEY (sweep_id) REFERENCES sweep (id) ON DELETE CASCADE`,
  ),
  settingsStep('settings-of-first-contact', [
    ['first-contact.user', 'By whom hosts are tried whose key nobody has accepted yet', 'text', null, null, false],
    ['first-contact.password', 'The password for that: one that no device in service has', 'text', null, null, true],
  ]),
  plainTable(
    'terminal',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, device_id bigint(20) NOT NULL, device_key varchar(255) NOT NULL, made_by varchar(63) NOT NULL,
     reason varchar(500), opened_at datetime(3) NOT NULL, kept_at datetime(3) NOT NULL, ended_at datetime(3), ended varchar(500), bytes bigint(20) NOT NULL DEFAULT 0,
     cut tinyint(1) NOT NULL DEFAULT 0, transcript longtext NOT NULL, KEY ix_terminal_device (device_id, id)`,
  ),
  settingsStep('settings-of-bare-lines', [
    [
      'access.bare',
      'Why devices are signed in on without encryption (RFC 854): as long as it says something, they are',
      'text',
      null,
      null,
      false,
    ],
    ['access.bare-user', 'By whom then; this login is used nowhere else', 'text', null, null, false],
    ['access.bare-password', 'The password for that: whoever listens on the way reads it', 'text', null, null, true],
    ['access.bare-port', 'The port of lines without encryption', 'number', 23, null, false],
  ]),
  settingsStep('settings-of-snmp', [
    [
      'snmp.word',
      'The word (community) by which name, identity and uptime are read with SNMP version 2c',
      'text',
      null,
      null,
      true,
    ],
    ['snmp.user', 'The user by whom they are read with SNMP version 3; nothing is written', 'text', null, null, false],
    ['snmp.auth', 'How that user is proved: md5, sha, sha224, sha256, sha384, sha512', 'text', 'sha256', null, false],
    ['snmp.auth-key', 'The secret for that', 'text', null, null, true],
    ['snmp.privacy', 'How it is encrypted: des, aes, aes256b, aes256r', 'text', 'aes', null, false],
    ['snmp.privacy-key', 'The secret for that; without one it is not encrypted', 'text', null, null, true],
    ['snmp.port', 'The port of SNMP on devices', 'number', 161, null, false],
  ]),
];
