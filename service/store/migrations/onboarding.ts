/** Settings in layers, templates and editions, leases and arrivals: what a device needs to onboard itself. */
import { plainTable, recordTable, ref, settingsStep, type SeedSetting, type Step } from './steps.ts';

/** Settings that the service itself reads, or that nearly every template wants. */
const builtIn: SeedSetting[] = [
  ['time.servers', 'Time servers, the preferred first; also DHCP option 42', 'list-of-addresses', [], null, false],
  ['time.zone', 'The time zone of clocks on devices', 'text', 'UTC', null, false],
  ['log.servers', 'Where devices send their log', 'list-of-addresses', [], null, false],
  ['name.servers', 'Name servers, the preferred first; also DHCP option 6', 'list-of-addresses', [], null, false],
  ['name.domain', 'The domain that names are completed with; also DHCP option 15', 'text', null, null, false],
  ['banner', 'Shown before signing in on a device', 'text', null, null, false],
  ['users', 'Who may sign in on devices: passwords by user name', 'map', {}, null, true],
  ['trap.target', 'Where traps are sent', 'address', null, null, false],
  ['trap.word', 'The word that traps carry', 'text', null, null, true],
  [
    'gateway',
    'The way out of the management prefix, where it is not the gateway of the prefix',
    'address',
    null,
    null,
    false,
  ],
  ['lease.seconds', 'How long a DHCP lease lasts', 'number', 3600, 's', false],
  [
    'access.user',
    'The user by whom the service signs in; the password is that of `users`',
    'text',
    'zpine',
    null,
    false,
  ],
  ['access.port', 'The port of SSH on devices', 'number', 22, null, false],
];

const seedSettings = settingsStep('built-in-settings', builtIn);

export const onboardingSteps: Step[] = [
  recordTable(
    'template',
    `name varchar(63) NOT NULL, fragment tinyint(1) NOT NULL, ${ref('template', 'dialect', 'dialect')},
     ${ref('template', 'model', 'model')}, ${ref('template', 'duty', 'duty')}, source longtext NOT NULL, note text`,
  ),
  {
    name: 'device-names-a-template',
    sql: `ALTER TABLE device ADD COLUMN IF NOT EXISTS template_id bigint(20), ADD INDEX IF NOT EXISTS ix_device_template (template_id),
          ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS fk_device_template (template_id) REFERENCES template (id)`,
  },
  { name: 'prefix-has-quarantine', sql: 'ALTER TABLE prefix ADD COLUMN IF NOT EXISTS quarantine text' },
  seedSettings,
  plainTable(
    'setting_value',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, layer_kind varchar(30) NOT NULL, layer_id bigint(20) NOT NULL,
     setting_id bigint(20) NOT NULL, mode varchar(10) NOT NULL, value longtext NOT NULL, sealed tinyint(1) NOT NULL,
     version int(11) NOT NULL DEFAULT 1, updated_at datetime(3) NOT NULL, updated_by varchar(63) NOT NULL,
     UNIQUE KEY uq_setting_value_layer (layer_kind, layer_id, setting_id), KEY ix_setting_value_setting (setting_id),
     CONSTRAINT fk_setting_value_setting FOREIGN KEY (setting_id) REFERENCES setting (id)`,
  ),
  {
    name: 'change-set-undoes',
    sql: 'ALTER TABLE change_set ADD INDEX IF NOT EXISTS ix_change_set_undoes (undoes)',
  },
  plainTable('sealing', `id tinyint(4) NOT NULL PRIMARY KEY, sample varchar(300) NOT NULL`),
  plainTable(
    'edition',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, device_id bigint(20) NOT NULL, number int(11) NOT NULL,
     digest char(64) NOT NULL, inputs_digest char(64) NOT NULL, template varchar(63) NOT NULL, made_at datetime(3) NOT NULL,
     made_by varchar(63) NOT NULL, reason varchar(500), published_at datetime(3), published_by varchar(63),
     insisted varchar(1000), shown longtext NOT NULL, content longtext NOT NULL, inputs longtext NOT NULL,
     UNIQUE KEY uq_edition_number (device_id, number), KEY ix_edition_published (device_id, published_at)`,
  ),
  plainTable(
    'lease',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, vrf_id bigint(20) NOT NULL, prefix_id bigint(20) NOT NULL,
     address binary(16) NOT NULL, family tinyint(4) NOT NULL, source varchar(10) NOT NULL, client varchar(80) NOT NULL,
     mac varchar(50) NOT NULL, device_id bigint(20), stranger_id bigint(20), started_at datetime(3) NOT NULL,
     expires_at datetime(3) NOT NULL, acknowledged tinyint(1) NOT NULL DEFAULT 0,
     UNIQUE KEY uq_lease_address (vrf_id, family, address), KEY ix_lease_prefix (prefix_id, address), KEY ix_lease_device (device_id),
     KEY ix_lease_client (prefix_id, client), KEY ix_lease_expires (expires_at)`,
  ),
  plainTable(
    'arrival',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, device_id bigint(20) NOT NULL, device_key varchar(255) NOT NULL,
     state longtext NOT NULL, phase varchar(20) NOT NULL, diagnosis varchar(30), edition_id bigint(20), token varchar(60) NOT NULL,
     box_serial varchar(100), box_mac varchar(50), relay varchar(45), address varchar(45), comparison longtext,
     opened_at datetime(3) NOT NULL, closes_at datetime(3) NOT NULL, opened_by varchar(63) NOT NULL, updated_at datetime(3) NOT NULL,
     ended_at datetime(3), limit_at datetime(3), probe_at datetime(3), claimed_until datetime(3), fence int(11) NOT NULL DEFAULT 0,
     version int(11) NOT NULL DEFAULT 1,
     UNIQUE KEY uq_arrival_token (token), KEY ix_arrival_device (device_id, id), KEY ix_arrival_limit (limit_at),
     KEY ix_arrival_probe (probe_at), KEY ix_arrival_open (ended_at, id)`,
  ),
  plainTable(
    'milestone',
    `arrival_id bigint(20) NOT NULL, seq int(11) NOT NULL, name varchar(30) NOT NULL, at datetime(3) NOT NULL,
     evidence longtext NOT NULL, PRIMARY KEY (arrival_id, seq),
     CONSTRAINT fk_milestone_arrival FOREIGN KEY (arrival_id) REFERENCES arrival (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'stranger',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, client varchar(80) NOT NULL, mac varchar(50) NOT NULL, serial varchar(100),
     vendor_class varchar(255), relay varchar(45), circuit varchar(255), prefix_id bigint(20), address varchar(45),
     first_at datetime(3) NOT NULL, last_at datetime(3) NOT NULL, packets int(11) NOT NULL DEFAULT 1, device_id bigint(20),
     conflict varchar(500), settled_at datetime(3), settled_by varchar(63), settled_as varchar(20), version int(11) NOT NULL DEFAULT 1,
     UNIQUE KEY uq_stranger_client (client), KEY ix_stranger_last (settled_at, last_at)`,
  ),
  plainTable(
    'boot_record',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, at datetime(3) NOT NULL, last_at datetime(3) NOT NULL, times int(11) NOT NULL DEFAULT 1,
     protocol varchar(10) NOT NULL, what varchar(60) NOT NULL, outcome varchar(20) NOT NULL, mac varchar(50), address varchar(45),
     device_id bigint(20), detail varchar(500) NOT NULL, same_as char(32) NOT NULL,
     KEY ix_boot_record_device (device_id, id), KEY ix_boot_record_same (same_as, id), KEY ix_boot_record_last (last_at)`,
  ),
  plainTable(
    'host_key',
    `device_id bigint(20) NOT NULL PRIMARY KEY, fingerprint varchar(100) NOT NULL, algorithm varchar(60) NOT NULL,
     pinned_at datetime(3) NOT NULL, pinned_by varchar(63) NOT NULL,
     CONSTRAINT fk_host_key_device FOREIGN KEY (device_id) REFERENCES device (id) ON DELETE CASCADE`,
  ),
];
