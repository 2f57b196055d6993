/** A service and its database that are killed, and started again, while others work with them. */
import { startMariadb, type Mariadb } from '../../ops/mariadb.ts';
import { startBuiltService } from '../../ops/stack.ts';
import type { Attacked } from '../attacked.ts';
import { eventually } from '../eventually.ts';

export const victims = ['service', 'api', 'boot', 'database'] as const;
export type Victim = (typeof victims)[number];

const LIMIT_MS = 60_000;

export class House {
  readonly a: Attacked;
  private database: Mariadb | undefined;
  private readonly folder: string | undefined;

  /** `database` is left out where it is not ours to kill. The service has to have a port of its own, to be found again. */
  constructor(a: Attacked, database?: { server: Mariadb; folder: string }) {
    this.a = a;
    this.database = database?.server;
    this.folder = database?.folder;
  }

  async kill(victim: Victim): Promise<void> {
    if (victim === 'database') {
      if (!this.database) throw new Error('this database is not to be killed');
      process.kill(this.database.pid, 'SIGKILL');
      return this.database.ended;
    }
    if (victim === 'service') return this.a.service.stop('SIGKILL');
    const { items } = await this.a.client.call('doctor.processes');
    const pid = items.find(({ name }) => name === victim)?.pid ?? 0;
    if (pid > 0) process.kill(pid, 'SIGKILL');
  }

  /** Starts again what does not start by itself, and waits until all of it answers. */
  async restore(victim: Victim): Promise<void> {
    if (victim === 'database' && this.folder !== undefined)
      this.database = await startMariadb({ folder: this.folder, databases: [] });
    if (victim === 'service') this.a.service = await startBuiltService(this.a.env);
    await until('the service is ready', async () => (await fetch(`${this.a.service.url}/health/ready`)).ok);
    await until('all parts are there', async () => {
      const { items } = await this.a.client.call('doctor.processes');
      return ['api', 'boot'].every((name) => items.some((one) => one.name === name && one.pid > 0 && alive(one.pid)));
    });
  }

  async stopDatabase(): Promise<void> {
    await this.database?.stop();
  }
}

function alive(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch {
    return false;
  }
}

/** Waits for what comes once the service is back. */
export const until = async (what: string, look: () => Promise<boolean>, limitMs = LIMIT_MS): Promise<void> => {
  await eventually(what, look, { limitMs, everyMs: 100 });
};
