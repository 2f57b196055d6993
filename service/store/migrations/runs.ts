import type { Step } from './steps.ts';

/** Rows of runs know when they last changed: whoever follows one reads only what is new. Looks and letters are claimed as jobs are. */
export const runSteps: Step[] = [
  {
    name: 'rows-of-runs-have-versions',
    sql: `ALTER TABLE run_row ADD COLUMN IF NOT EXISTS version int(11) NOT NULL DEFAULT 0,
      ADD KEY IF NOT EXISTS ix_run_row_version (run_id, version)`,
  },
  {
    name: 'looks-are-claimed',
    sql: `ALTER TABLE watch_due ADD COLUMN IF NOT EXISTS fence int(11) NOT NULL DEFAULT 0,
      ADD COLUMN IF NOT EXISTS claimed_until datetime(3)`,
  },
  {
    name: 'letters-are-claimed',
    sql: `ALTER TABLE notice ADD COLUMN IF NOT EXISTS fence int(11) NOT NULL DEFAULT 0,
      ADD COLUMN IF NOT EXISTS claimed_until datetime(3)`,
  },
];
