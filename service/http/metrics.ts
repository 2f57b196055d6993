/** Figures of the service, in the text format that monitoring programs read. */
import { collectDefaultMetrics, Gauge, Registry } from 'prom-client';
import { lastCheck } from '../app/soundness/checks.ts';
import type { BootState } from '@zpine/contract/processes';
import type { Store } from '../store/store.ts';
import { readOnly } from '../store/transact.ts';

type Booting = (() => Promise<BootState | undefined>) | undefined;

const actor = { name: 'service', via: 'service' } as const;

export class Metrics {
  private readonly registry = new Registry();
  private readonly store: Store;
  private readonly differences: Gauge;
  private readonly checked: Gauge;
  private readonly jobs: Gauge;
  private readonly booting: Booting;
  private readonly boot: Record<keyof BootState, Gauge>;

  constructor(store: Store, version: string, booting: Booting) {
    this.booting = booting;
    this.store = store;
    const registers = [this.registry];
    collectDefaultMetrics({ register: this.registry });
    new Gauge({ name: 'zpine_info', help: 'Which version this is', labelNames: ['version'], registers }).set(
      { version },
      1,
    );
    this.differences = new Gauge({
      name: 'zpine_store_differences',
      help: 'What the last check of the store found that is not as the records say, and did not mend',
      registers,
    });
    this.checked = new Gauge({
      name: 'zpine_store_checked_seconds',
      help: 'When the last check of the store ended, in seconds since 1970; 0 when there was none',
      registers,
    });
    this.jobs = new Gauge({ name: 'zpine_jobs_failing', help: 'Jobs that failed and will be tried again', registers });
    const gauge = (name: string, help: string) => new Gauge({ name: `zpine_boot_${name}`, help, registers });
    this.boot = {
      devices: gauge('devices', 'Devices that DHCP answers from memory'),
      readMs: gauge('read_milliseconds', 'What reading them took when the service began'),
      compared: gauge('compared', 'Devices in that memory that were held against the records since then'),
      differences: gauge('differences', 'How many of them were not as the records say, twice one after the other'),
    };
  }

  async text(): Promise<string> {
    const [check, failing] = await readOnly(this.store, actor, async (tx) => [
      await lastCheck(tx),
      await tx.one<{ n: number }>('SELECT COUNT(*) AS n FROM job WHERE failure IS NOT NULL'),
    ]);
    this.differences.set(check ? (check.count ?? 0) - (check.mended ?? 0) : 0);
    this.checked.set(check?.endedAt ? Date.parse(check.endedAt) / 1000 : 0);
    this.jobs.set(Number(failing?.n ?? 0));
    // Where nobody boots, or who does so does not answer, the figures are those of before.
    const boot = await this.booting?.();
    if (boot) for (const [name, gauge] of Object.entries(this.boot)) gauge.set(boot[name as keyof BootState]);
    return this.registry.metrics();
  }

  get contentType(): string {
    return this.registry.contentType;
  }
}
