/** What units of work are begun on: a database, what is held of it in memory, and what the service knows of itself. */
import type { Sequelize } from 'sequelize';
import type { Limits } from '@zpine/core/arrival/arrival';
import type { Contents } from './contents.ts';
import type { Dialects } from './dialects.ts';
import type { HeldFew } from './fewKinds.ts';
import type { Models } from './models.ts';
import type { Sealer } from './sealing.ts';
import type { Hint } from './hint.ts';

/** Where booting devices find this service, in their own words. */
export type BootPlace = {
  address: string;
  httpPort: number;
  /** 0 where nothing is served by HTTPS. */
  httpsPort: number;
};

export type Store = {
  /** Where messages to other systems may go. */
  hookHosts: readonly string[];
  place: BootPlace;
  /** How long arrivals wait for what. */
  limits: Limits;
  sequelize: Sequelize;
  models: Models;
  sealer: Sealer;
  dialects: Dialects;
  /** What images consist of. */
  contents: Contents;
  /** A lock that was waited for in vain is not waited for again: who asks does so again soon. */
  impatient: boolean;
  /** Whether a device lets the service in now, by its id; left out where nobody can ask it. */
  letsIn?: (device: number) => Promise<boolean>;
  /** Is told what was committed, and waited for; it does not fail. */
  committed?: (hints: readonly Hint[]) => Promise<void>;
  /** The records of kinds with few of them, as they were when they were last looked at. */
  few?: HeldFew;
  /** What was worked out lately, by name. */
  held?: Map<string, { at: number; value: unknown }>;
  /** Hears every statement that units of work send. */
  heard?: (sql: string) => void;
  /** How far the database's clock was ahead of this machine's when it was last asked. */
  clock?: { offsetMs: number; sampledAt: number };
};

/** Who writes, through what, and why. */
export type Actor = {
  name: string;
  via: 'api' | 'console' | 'cli' | 'service';
  reason?: string | undefined;
};
