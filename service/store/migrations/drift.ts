import { column, plainTable, type Step } from './steps.ts';

/** What devices should run held against what they ran when they were compared last: derived, and made anew each time. */
export const driftSteps: Step[] = [
  plainTable(
    'drift',
    `device_id bigint(20) NOT NULL PRIMARY KEY,
     edition_id bigint(20), edition int(11), compared_at datetime(3) NOT NULL,
     \`lines\` int(11) NOT NULL, since datetime(3), digest varchar(64) CHARACTER SET ascii COLLATE ascii_bin,
     rights int(11) NOT NULL, not_comparable int(11) NOT NULL, elsewhere int(11) NOT NULL,
     parts varchar(2000) NOT NULL,
     unkept int(11), unkept_since datetime(3), unkept_digest varchar(64) CHARACTER SET ascii COLLATE ascii_bin,
     comparison longtext, stored longtext,
     KEY ix_drift_digest (digest, since), KEY ix_drift_unkept (unkept_digest, unkept_since),
     CONSTRAINT fk_drift_device FOREIGN KEY (device_id) REFERENCES device (id) ON DELETE CASCADE`,
  ),
  column('run', 'paused', 'tinyint(1) NOT NULL DEFAULT 0'),
];
