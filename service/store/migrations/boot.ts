/** What booting from memory needs: leases that say who wrote them and when, and prefixes that have another server, too. */
import { sortKey } from '@zpine/core/naming/names';
import { column, plainTable, recordTable, ref, refColumn, settingsStep, type Step } from './steps.ts';

export const bootSteps: Step[] = [
  column('prefix', 'answers', "varchar(30) NOT NULL DEFAULT 'all'"),
  column('lease', 'changed_at', 'datetime(3) NOT NULL DEFAULT current_timestamp(3)'),
  // The process that wrote it last: others hear of it by the time above.
  column('lease', 'writer', 'int(11) unsigned NOT NULL DEFAULT 0'),
  // Whether the last write of it was taken: one that came too late leaves what another had written.
  column('lease', 'won', 'tinyint(1) NOT NULL DEFAULT 1'),
  { name: 'leases-by-change', sql: 'ALTER TABLE lease ADD KEY IF NOT EXISTS ix_lease_changed (changed_at)' },
  // What was asked and what was answered, so that it can be asked again.
  column('boot_record', 'request', 'varbinary(1500)'),
  column('boot_record', 'reply', 'varbinary(1500)'),
  column('boot_record', 'source', 'varchar(45)'),
  column('boot_record', 'broadcast', 'tinyint(1) NOT NULL DEFAULT 0'),
  recordTable(
    'bootprofile',
    `name varchar(63) NOT NULL, ${ref('bootprofile', 'dialect', 'dialect')}, ${ref('bootprofile', 'model', 'model')},
     ${ref('bootprofile', 'duty', 'duty')}, classes varchar(400), transport varchar(30) NOT NULL, file varchar(100) NOT NULL,
     names varchar(400), legs longtext, restart_minutes int(11) NOT NULL, unasked varchar(200), stranger_file varchar(100),
     ${ref('bootprofile', 'stranger_text', 'template')}, note text, labels varchar(1000),
     KEY ix_bootprofile_updated (updated_at, id)`,
  ),
  column('setting', 'dhcp_option', 'varchar(40)'),
  column('setting', 'wire', 'varchar(30)'),
  column('setting', 'tell', "varchar(30) NOT NULL DEFAULT 'asked'"),
  settingsStep('settings-of-options', [
    [
      'dhcp.unasked',
      'Options of DHCP that are told though nobody asks, by number or name',
      'list-of-text',
      [],
      null,
      false,
    ],
    ['dhcp.withheld', 'Options of DHCP that are not told, though somebody asks', 'list-of-text', [], null, false],
  ]),
  // The account that a stranger was given with its first file, under seal, and the address that it holds for.
  column('stranger', 'account', 'varchar(1000) CHARACTER SET ascii COLLATE ascii_bin'),
  column('stranger', 'account_at', 'varchar(45)'),
  recordTable(
    'image',
    `name varchar(63) NOT NULL, ${ref('image', 'dialect', 'dialect', true)}, ${ref('image', 'model', 'model')},
     \`release\` varchar(60) NOT NULL, file varchar(100) NOT NULL, bytes int(11), sha256 varchar(64), sha512 varchar(128), note text,
     labels varchar(1000), UNIQUE KEY uq_image_file (file), KEY ix_image_updated (updated_at, id)`,
  ),
  settingsStep('settings-of-images', [
    [
      'image.wanted',
      'Images that devices should run, by name: of those named here each takes the one that is for its model or dialect',
      'list-of-text',
      [],
      null,
      false,
    ],
    [
      'image.insist',
      'Whether a device that runs another version than the wanted one is kept from serving',
      'bool',
      true,
      null,
      false,
    ],
  ]),
  // Which version a device said last that it runs.
  plainTable(
    'seen_version',
    `device_id bigint(20) NOT NULL PRIMARY KEY, version varchar(60) NOT NULL, at datetime(3) NOT NULL,
     CONSTRAINT fk_seen_version FOREIGN KEY (device_id) REFERENCES device (id) ON DELETE CASCADE, KEY ix_seen_version (version)`,
  ),
  settingsStep('settings-of-sent-configurations', [
    [
      'capture.sent',
      'Whether a configuration is taken that the device sends by TFTP, from its own address',
      'bool',
      false,
      null,
      false,
    ],
  ]),
  // Traps and log lines: evidence, which outlives its device for a while.
  plainTable(
    'sign',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, device_id bigint(20), prefix_id bigint(20), address varchar(45) NOT NULL,
     kind varchar(10) NOT NULL, severity tinyint(4), text varchar(1000) NOT NULL, first_at datetime(3) NOT NULL, last_at datetime(3) NOT NULL,
     times int(11) NOT NULL DEFAULT 1, same_as char(32) NOT NULL, KEY ix_sign_device (device_id, last_at), KEY ix_sign_same (same_as, id),
     KEY ix_sign_last (last_at), KEY ix_sign_prefix (prefix_id, last_at), KEY ix_sign_address (address, last_at)`,
  ),
  // What a stranger said that does not boot: it is known by where it is.
  column('stranger', 'says', 'varchar(500)'),
  column('prefix', 'signs', "varchar(30) NOT NULL DEFAULT 'strangers'"),
  // A sweep of one address, for a stranger that talks; when that was done, and what by itself may be done in a day.
  column('sweep', 'only', 'varchar(45)'),
  column('sweep', 'stranger_id', 'bigint(20)'),
  column('stranger', 'met_at', 'datetime(3)'),
  column('prefix', 'meets_a_day', 'int(11) NOT NULL DEFAULT 0'),
  column('prefix', 'meets', 'varchar(100)'),
  // A box may have no serial yet; where its MAC stood in for it, it has none.
  { name: 'box-serial-may-be-unknown', sql: 'ALTER TABLE box MODIFY serial varchar(100)' },
  {
    name: 'box-macs-are-no-serials',
    run: async ({ select, execute }) => {
      const rows = await select<{ id: number; mac: string }>(
        `SELECT id, LOWER(HEX(mac)) AS mac FROM box WHERE mac IS NOT NULL
         AND LOWER(REPLACE(REPLACE(REPLACE(serial, ':', ''), '-', ''), '.', '')) = LOWER(HEX(mac))`,
      );
      for (const { id, mac } of rows)
        await execute('UPDATE box SET serial = NULL, natural_key = ?, sort_key = ? WHERE id = ?', [
          mac,
          sortKey(mac),
          id,
        ]);
    },
  },
  // Devices that boot and are given no file.
  plainTable(
    'vain_boot',
    `device_id bigint(20) NOT NULL PRIMARY KEY, first_at datetime(3) NOT NULL, last_at datetime(3) NOT NULL, times int(11) NOT NULL,
     why varchar(300) NOT NULL, relay varchar(45), circuit varchar(255),
     CONSTRAINT fk_vain_boot FOREIGN KEY (device_id) REFERENCES device (id) ON DELETE CASCADE, KEY ix_vain_boot_last (last_at)`,
  ),
  settingsStep('settings-of-recognising', [
    [
      'arrival.by-port',
      'Whether a stranger that is alone at the port where a device waits, and of its model, is recognised as it by itself',
      'bool',
      false,
      null,
      false,
    ],
  ]),
  recordTable(
    'batch',
    `name varchar(63) NOT NULL, strangers varchar(30) NOT NULL, anywhere tinyint(1) NOT NULL DEFAULT 0, mail varchar(400),
     opens_at varchar(24), closes_at varchar(24), ended_at varchar(24), note text, labels varchar(1000),
     KEY ix_batch_due (ended_at, opens_at), KEY ix_batch_updated (updated_at, id)`,
  ),
  refColumn('device', 'batch', 'batch'),
  // How a device takes part in a batch: what somebody said of it, the window that was opened, or why none could be.
  plainTable(
    'batch_device',
    `batch_id bigint(20) NOT NULL, device_id bigint(20) NOT NULL, turn varchar(30) NOT NULL, why varchar(300), said_by varchar(100),
     said_at datetime(3), arrival_id bigint(20), fault varchar(1000), remedy varchar(500), tried_at datetime(3),
     PRIMARY KEY (batch_id, device_id), KEY ix_batch_device_device (device_id),
     CONSTRAINT fk_batch_device_batch FOREIGN KEY (batch_id) REFERENCES batch (id) ON DELETE CASCADE,
     CONSTRAINT fk_batch_device_device FOREIGN KEY (device_id) REFERENCES device (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'batch_report',
    `batch_id bigint(20) NOT NULL PRIMARY KEY, at datetime(3) NOT NULL, report longtext NOT NULL,
     CONSTRAINT fk_batch_report FOREIGN KEY (batch_id) REFERENCES batch (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'swap',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, device_id bigint(20) NOT NULL, device_key varchar(255) NOT NULL,
     state varchar(30) NOT NULL, old_box_id bigint(20), old_box varchar(100) NOT NULL, new_box varchar(100), reason varchar(1000),
     started_at datetime(3) NOT NULL, started_by varchar(100) NOT NULL, fitted_at datetime(3), served_at datetime(3), closed_at datetime(3),
     down_at datetime(3), spare varchar(100), spare_hours double, was longtext, \`is\` longtext, fault varchar(500), ticks longtext NOT NULL,
     behind longtext NOT NULL, lost longtext, report longtext, compare_run bigint(20), look_at datetime(3),
     claimed_until datetime(3), fence int(11) NOT NULL DEFAULT 0, KEY ix_swap_device (device_id, closed_at), KEY ix_swap_open (closed_at, id),
     KEY ix_swap_look (look_at)`,
  ),
  // Cables that whoever stands before a rack has plugged in.
  plainTable(
    'cable_tick',
    `device_id bigint(20) NOT NULL, port varchar(60) NOT NULL, ticked_by varchar(100) NOT NULL, at datetime(3) NOT NULL,
     PRIMARY KEY (device_id, port), CONSTRAINT fk_cable_tick FOREIGN KEY (device_id) REFERENCES device (id) ON DELETE CASCADE`,
  ),
  settingsStep('settings-of-notices-of-arrivals', [
    [
      'arrival.notices',
      'Of what of its arrivals people are told who get notices by watch.mail and watch.hooks: serves, stuck',
      'list-of-text',
      [],
      null,
      false,
    ],
  ]),
  settingsStep('settings-of-public-keys', [
    [
      'user.keys',
      'Public keys of users, as OpenSSH writes them, by user; several with a line each',
      'map',
      {},
      null,
      false,
    ],
  ]),
];
