/** Cards, ports, interfaces in full, and cables. */
import { column, plainTable, recordTable, ref, refColumn, type Step } from './steps.ts';

export const hardwareSteps: Step[] = [
  column('model', 'weight_grams', 'int(11)'),
  column('model', 'ports', 'text'),
  column('model', 'slots', 'text'),
  column('model', 'fits', 'varchar(63)'),
  column('rack', 'power_watts', 'int(11)'),
  column('rack', 'load_grams', 'int(11)'),
  column('device', 'virtual', 'tinyint(1) NOT NULL DEFAULT 0'),
  column('device', 'provisioned', 'tinyint(1) NOT NULL DEFAULT 1'),
  recordTable(
    'card',
    `${ref('card', 'device', 'device', true)}, slot varchar(63) NOT NULL, ${ref('card', 'model', 'model', true)}, serial varchar(100),
     ${ref('card', 'inside', 'card')}, note text, labels varchar(1000), UNIQUE KEY uq_card_serial (serial)`,
  ),
  recordTable(
    'port',
    `${ref('port', 'device', 'device', true)}, name varchar(63) NOT NULL, kind varchar(30) NOT NULL, source varchar(30) NOT NULL,
     ${ref('port', 'card', 'card')}, ${ref('port', 'through', 'port')}, note text, labels varchar(1000)`,
  ),
  column('interface', 'mode', 'varchar(30)'),
  column('interface', 'tagged', 'text'),
  refColumn('interface', 'on', 'interface'),
  column('interface', 'tag', 'int(11)'),
  refColumn('interface', 'member_of', 'interface'),
  column('interface', 'speed_mbps', 'int(11)'),
  refColumn('interface', 'port', 'port'),
  recordTable(
    'cable',
    `${ref('cable', 'from', 'port', true)}, ${ref('cable', 'to', 'port')}, far_end varchar(200), kind varchar(30), colour varchar(30),
     length_cm int(11), marking varchar(100), note text, labels varchar(1000)`,
  ),
  plainTable(
    'cable_end',
    `port_id bigint(20) NOT NULL, cable_id bigint(20) NOT NULL, UNIQUE KEY uq_cable_end_port (port_id), KEY ix_cable_end_cable (cable_id),
     CONSTRAINT fk_cable_end_port FOREIGN KEY (port_id) REFERENCES port (id),
     CONSTRAINT fk_cable_end_cable FOREIGN KEY (cable_id) REFERENCES cable (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'interface_vlan',
    `interface_id bigint(20) NOT NULL, vlan_id bigint(20) NOT NULL, PRIMARY KEY (interface_id, vlan_id), KEY ix_interface_vlan_vlan (vlan_id),
     CONSTRAINT fk_interface_vlan_interface FOREIGN KEY (interface_id) REFERENCES \`interface\` (id) ON DELETE CASCADE,
     CONSTRAINT fk_interface_vlan_vlan FOREIGN KEY (vlan_id) REFERENCES vlan (id)`,
  ),
  plainTable(
    'found_card',
    `device_id bigint(20) NOT NULL, slot varchar(63) NOT NULL, model varchar(100), serial varchar(100), via varchar(30) NOT NULL,
     at datetime(3) NOT NULL, PRIMARY KEY (device_id, slot),
     CONSTRAINT fk_found_card_device FOREIGN KEY (device_id) REFERENCES device (id) ON DELETE CASCADE`,
  ),
  {
    name: 'interfaces-of-before-get-ports',
    sql: `INSERT IGNORE INTO port (natural_key, sort_key, created_at, updated_at, version, device_id, name, kind, source)
          SELECT natural_key, sort_key, created_at, updated_at, 0, device_id, name, 'ethernet', 'hand' FROM \`interface\`
          WHERE form = 'port' AND port_id IS NULL`,
  },
  {
    name: 'interfaces-of-before-sit-on-ports',
    sql: `UPDATE \`interface\` i JOIN port p ON p.natural_key = i.natural_key SET i.port_id = p.id WHERE i.form = 'port' AND i.port_id IS NULL`,
  },
  {
    name: 'ports-with-a-vlan-have-a-mode',
    sql: `UPDATE \`interface\` SET mode = 'access' WHERE form IN ('port', 'aggregate') AND vlan_id IS NOT NULL AND mode IS NULL`,
  },
];
