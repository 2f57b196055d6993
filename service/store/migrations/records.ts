/** The tables of the record kinds. A test holds them against the kinds' descriptions. */
import { recordTable, ref, type Step } from './steps.ts';

const shortList = (table: string, more = ''): Step =>
  recordTable(table, `name varchar(63) NOT NULL, ${more} title varchar(200), note text`);

export const recordSteps: Step[] = [
  shortList('owner'),
  shortList('purpose', 'colour char(7) NOT NULL,'),
  shortList('duty'),
  shortList('dialect'),
  shortList('use', 'management tinyint(1) NOT NULL,'),
  recordTable('area', `name varchar(63) NOT NULL, title varchar(200), ${ref('area', 'parent', 'area')}, note text`),
  recordTable(
    'site',
    `code varchar(63) NOT NULL, title varchar(200), ${ref('site', 'area', 'area')}, postal_address text,
     time_zone varchar(60), contacts text, note text, KEY ix_site_title (title, id)`,
  ),
  recordTable('room', `${ref('room', 'site', 'site', true)}, name varchar(63) NOT NULL, title varchar(200), note text`),
  recordTable(
    'rack',
    `${ref('rack', 'room', 'room', true)}, name varchar(63) NOT NULL, title varchar(200), height_u int(11) NOT NULL,
     numbering varchar(30) NOT NULL, width_inches int(11) NOT NULL, ${ref('rack', 'purpose', 'purpose')},
     ${ref('rack', 'owner', 'owner')}, asset_number varchar(100), note text, KEY ix_rack_height_u (height_u, id)`,
  ),
  recordTable('vendor', `name varchar(63) NOT NULL, title varchar(200), note text`),
  recordTable(
    'model',
    `${ref('model', 'vendor', 'vendor', true)}, name varchar(63) NOT NULL, title varchar(200),
     ${ref('model', 'dialect', 'dialect')}, height_u int(11) NOT NULL, depth varchar(30) NOT NULL, power_watts int(11), note text`,
  ),
  recordTable('vrf', `name varchar(63) NOT NULL, title varchar(200), note text`),
  recordTable(
    'vlan',
    `${ref('vlan', 'site', 'site', true)}, number int(11) NOT NULL, title varchar(32), ${ref('vlan', 'use', 'use')}, note text,
     KEY ix_vlan_number (number, id)`,
  ),
  recordTable(
    'prefix',
    `cidr binary(16) NOT NULL, cidr_family tinyint(4) NOT NULL, cidr_length smallint(6) NOT NULL,
     ${ref('prefix', 'vrf', 'vrf', true)}, description varchar(200), ${ref('prefix', 'site', 'site')},
     ${ref('prefix', 'vlan', 'vlan')}, ${ref('prefix', 'use', 'use')}, gateway binary(16), gateway_family tinyint(4),
     held_back text, pool text, ${ref('prefix', 'owner', 'owner')}, ${ref('prefix', 'parent', 'prefix')}, note text,
     UNIQUE KEY uq_prefix_cidr (vrf_id, cidr_family, cidr, cidr_length)`,
  ),
  recordTable(
    'device',
    `name varchar(63) NOT NULL, ${ref('device', 'duty', 'duty')}, ${ref('device', 'model', 'model')},
     ${ref('device', 'dialect', 'dialect')}, ${ref('device', 'site', 'site')}, ${ref('device', 'rack', 'rack')},
     position_u int(11), face varchar(30) NOT NULL, stage varchar(30) NOT NULL, ${ref('device', 'owner', 'owner')},
     management_id bigint(20), note text, KEY ix_device_management (management_id), KEY ix_device_stage (stage, id)`,
  ),
  recordTable(
    'interface',
    `${ref('interface', 'device', 'device', true)}, name varchar(63) NOT NULL, form varchar(30) NOT NULL,
     description varchar(200), enabled tinyint(1) NOT NULL, ${ref('interface', 'vlan', 'vlan')},
     ${ref('interface', 'vrf', 'vrf', true)}, mac binary(6), note text`,
  ),
  {
    name: 'device-management-is-an-interface',
    sql: `ALTER TABLE device ADD CONSTRAINT FOREIGN KEY IF NOT EXISTS fk_device_management (management_id) REFERENCES \`interface\` (id)`,
  },
  recordTable(
    'box',
    `serial varchar(100) NOT NULL, ${ref('box', 'model', 'model', true)}, mac binary(6), \`condition\` varchar(30) NOT NULL,
     device_id bigint(20), whereabouts varchar(200), ${ref('box', 'owner', 'owner')}, asset_number varchar(100), note text,
     UNIQUE KEY uq_box_device (device_id), UNIQUE KEY uq_box_asset_number (asset_number), KEY ix_box_condition (\`condition\`, id),
     CONSTRAINT fk_box_device FOREIGN KEY (device_id) REFERENCES device (id)`,
  ),
  recordTable(
    'address',
    `address binary(16) NOT NULL, address_family tinyint(4) NOT NULL, ${ref('address', 'vrf', 'vrf', true)},
     ${ref('address', 'interface', 'interface')}, description varchar(200), prefix_id bigint(20) NOT NULL, note text,
     UNIQUE KEY uq_address_address (vrf_id, address_family, address), KEY ix_address_prefix (prefix_id, address),
     CONSTRAINT fk_address_prefix FOREIGN KEY (prefix_id) REFERENCES prefix (id)`,
  ),
  recordTable(
    'setting',
    `name varchar(63) NOT NULL, about varchar(200) NOT NULL, value_type varchar(30) NOT NULL, unit varchar(20),
     default_value longtext, secret tinyint(1) NOT NULL, note text`,
  ),
  {
    name: 'default-vrf',
    sql: `INSERT IGNORE INTO vrf (id, natural_key, sort_key, created_at, updated_at, name, title)
          VALUES (1, 'default', 'default', UTC_TIMESTAMP(3), UTC_TIMESTAMP(3), 'default', 'Default')`,
  },
];
