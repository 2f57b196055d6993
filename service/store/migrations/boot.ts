/** What booting from memory needs: leases that say who wrote them and when, and prefixes that have another server, too. */
import { column, type Step } from './steps.ts';

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
];
