/** Who acts where, who speaks for a relay, what sessions and tokens come from, and how often somebody tried to sign in. */
import { column, plainTable, type Step } from './steps.ts';

export const accessSteps: Step[] = [
  column('prefix', 'relays', 'varchar(200)'),
  plainTable(
    'relay_refused',
    `relay varchar(45) CHARACTER SET ascii NOT NULL, source varchar(45) CHARACTER SET ascii NOT NULL, prefix_id bigint(20) NOT NULL,
     first_at datetime(3) NOT NULL, last_at datetime(3) NOT NULL, PRIMARY KEY (relay, source), KEY ix_relay_refused_prefix (prefix_id, last_at)`,
  ),
  column('user', 'all_sites', 'tinyint(1) NOT NULL DEFAULT 0'),
  column('user', 'sites_until', 'datetime(3)'),
  {
    // Who acted everywhere until now goes on to; administrators see it, and narrow it.
    name: 'standing-installers-act-everywhere',
    sql: "UPDATE user SET all_sites = 1 WHERE role = 'installer'",
  },
  plainTable(
    'user_site',
    `user_id bigint(20) NOT NULL, site_id bigint(20) NOT NULL, PRIMARY KEY (user_id, site_id),
     CONSTRAINT fk_user_site_user FOREIGN KEY (user_id) REFERENCES user (id) ON DELETE CASCADE,
     CONSTRAINT fk_user_site_site FOREIGN KEY (site_id) REFERENCES site (id) ON DELETE CASCADE`,
  ),
  column('session', 'address', "varchar(64) CHARACTER SET ascii NOT NULL DEFAULT ''"),
  column('session', 'agent', "varchar(200) NOT NULL DEFAULT ''"),
  column('session', 'used_at', 'datetime(3)'),
  column('token', 'parent_id', 'bigint(20)'),
  {
    name: 'tokens-go-with-what-made-them',
    sql: 'ALTER TABLE token ADD CONSTRAINT fk_token_parent FOREIGN KEY IF NOT EXISTS (parent_id) REFERENCES token (id) ON DELETE CASCADE',
  },
  plainTable(
    'sign_in_try',
    `name_digest binary(32) NOT NULL, address varchar(64) CHARACTER SET ascii NOT NULL, failures double NOT NULL, at datetime(3) NOT NULL,
     PRIMARY KEY (name_digest, address), KEY ix_sign_in_try_at (at)`,
  ),
];
