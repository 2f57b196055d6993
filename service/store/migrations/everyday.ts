/** What the fleet's everyday needs: runs that can be begun again as they were typed, errands with a name. */
import { column, plainTable, recordTable, type Step } from './steps.ts';

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
  // The day on which the plan began a routine last.
  plainTable('routine_turn', 'routine_id bigint(20) NOT NULL PRIMARY KEY, day varchar(10) NOT NULL'),
];
