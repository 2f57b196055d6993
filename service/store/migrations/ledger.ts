/** History, events, jobs, free space, and who may sign in: what stands beside the records. */
import { plainTable, type Step } from './steps.ts';

export const ledgerSteps: Step[] = [
  plainTable(
    'change_set',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, at datetime(3) NOT NULL, actor varchar(63) NOT NULL,
     via varchar(30) NOT NULL, action varchar(60) NOT NULL, reason varchar(500), undoes bigint(20),
     KEY ix_change_set_at (at)`,
  ),
  plainTable(
    'change',
    `change_set_id bigint(20) NOT NULL, seq int(11) NOT NULL, kind varchar(30) NOT NULL, record_id bigint(20) NOT NULL,
     record_key varchar(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, version_from int(11), version_to int(11),
     \`before\` longtext, \`after\` longtext, PRIMARY KEY (change_set_id, seq), KEY ix_change_record (kind, record_id, change_set_id),
     CONSTRAINT fk_change_change_set FOREIGN KEY (change_set_id) REFERENCES change_set (id)`,
  ),
  plainTable(
    'event',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, at datetime(3) NOT NULL, kind varchar(30) NOT NULL,
     record_id bigint(20) NOT NULL, version int(11), KEY ix_event_at (at)`,
  ),
  plainTable(
    'job',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, name varchar(60) NOT NULL, payload longtext NOT NULL,
     due_at datetime(3) NOT NULL, fence int(11) NOT NULL DEFAULT 0, claimed_until datetime(3), tries int(11) NOT NULL DEFAULT 0,
     failure varchar(500), single varchar(60), UNIQUE KEY uq_job_single (single), KEY ix_job_due (due_at)`,
  ),
  plainTable(
    'idempotency',
    `user_id bigint(20) NOT NULL, idempotency_key varchar(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
     request binary(32) NOT NULL, status smallint(6) NOT NULL, reply longtext NOT NULL, at datetime(3) NOT NULL,
     UNIQUE KEY uq_idempotency_key (user_id, idempotency_key), KEY ix_idempotency_at (at)`,
  ),
  plainTable(
    'mac_claim',
    `mac binary(6) NOT NULL, kind varchar(30) NOT NULL, record_id bigint(20) NOT NULL,
     UNIQUE KEY uq_mac_claim_mac (mac), KEY ix_mac_claim_record (kind, record_id)`,
  ),
  plainTable(
    'space',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, prefix_id bigint(20) NOT NULL, holds varchar(10) NOT NULL,
     free decimal(39,0) NOT NULL DEFAULT 0,
     UNIQUE KEY uq_space_prefix (prefix_id, holds),
     CONSTRAINT fk_space_prefix FOREIGN KEY (prefix_id) REFERENCES prefix (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'free_span',
    `space_id bigint(20) NOT NULL, last binary(16) NOT NULL, first binary(16) NOT NULL, fit smallint(6) NOT NULL,
     PRIMARY KEY (space_id, last), KEY ix_free_span_fit (space_id, fit, last),
     CONSTRAINT fk_free_span_space FOREIGN KEY (space_id) REFERENCES space (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'user',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, name varchar(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
     title varchar(200), role varchar(20) NOT NULL, password varchar(200) NOT NULL, disabled tinyint(1) NOT NULL DEFAULT 0,
     failures int(11) NOT NULL DEFAULT 0, failed_at datetime(3), created_at datetime(3) NOT NULL, UNIQUE KEY uq_user_name (name)`,
  ),
  plainTable(
    'session',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, digest binary(32) NOT NULL, user_id bigint(20) NOT NULL,
     created_at datetime(3) NOT NULL, expires_at datetime(3) NOT NULL, UNIQUE KEY uq_session_digest (digest),
     KEY ix_session_expires (expires_at), CONSTRAINT fk_session_user FOREIGN KEY (user_id) REFERENCES user (id) ON DELETE CASCADE`,
  ),
  plainTable(
    'token',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, digest binary(32) NOT NULL, user_id bigint(20) NOT NULL,
     title varchar(200) NOT NULL, role varchar(20) NOT NULL, created_at datetime(3) NOT NULL, expires_at datetime(3) NOT NULL,
     used_at datetime(3), UNIQUE KEY uq_token_digest (digest), CONSTRAINT fk_token_user FOREIGN KEY (user_id) REFERENCES user (id) ON DELETE CASCADE`,
  ),
];
