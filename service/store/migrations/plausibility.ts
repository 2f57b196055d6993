/** How many records were doubtful when they were last looked at: the list of today shows it without looking again. */
import { plainTable, type Step } from './steps.ts';

/** The kinds of now: those that come later bring their own index. */
const sortedByTime =
  'owner purpose duty dialect use label area site room rack filler vendor model vrf vlan prefix siteplan template device card port interface cable box address carrier setting'.split(
    ' ',
  );

export const plausibilitySteps: Step[] = [
  plainTable(
    'doubt_count',
    'doubt varchar(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY, count int(11) NOT NULL, at datetime(3) NOT NULL',
  ),
  {
    name: 'change-by-key',
    sql: 'CREATE INDEX IF NOT EXISTS ix_change_key ON `change` (kind, record_key)',
  },
  ...sortedByTime.map((kind): Step => ({
    name: `${kind}-by-time`,
    sql: `CREATE INDEX IF NOT EXISTS ix_${kind}_updated ON \`${kind}\` (updated_at, id)`,
  })),
  // In a large estate the list of today begins from those that were found when all were last looked at.
  plainTable(
    'today_lead',
    'code varchar(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, record_id bigint(20) NOT NULL, PRIMARY KEY (code, record_id)',
  ),
];
