/** Simulated switches that are declared, prepared and switched on. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import type { Client } from '@zpine/contract/client';
import { Lab, type DeviceInput } from '@zpine/lab/lab';
import type { Attacked } from './attacked.ts';

/** A declared access switch of Mossness with a box of its own, and an address; gives the hardware that is to be plugged in. */
export async function declareSwitch(
  client: Client,
  n: number,
  relay = '10.77.64.1',
): Promise<DeviceInput & { device: string }> {
  const device = `mos-acc-${n}`;
  const mac = `02:00:00:00:${(n >> 8).toString(16).padStart(2, '0')}:${(n & 255).toString(16).padStart(2, '0')}`;
  const serial = `LF24-7000-${n}`;
  await client.add('device', { name: device, duty: 'access', model: 'larkfield/lf-24', site: 'mos' });
  for (const name of ['1/1', '1/2'])
    await client.edit('interface', `${device}:${name}`, { description: `desk ${name}`, mode: 'access' });
  // Its uplink carries the VLAN by which the service comes.
  await client.edit('interface', `${device}:1/24`, { mode: 'trunk', tagged: '304' });
  await client.add('box', { serial, model: 'larkfield/lf-24', mac, device });
  await client.call('device.assignManagement', { params: { ref: device }, body: {} });
  return { device, name: `box-${n}`, model: 'LF-24', serial, mac, relay };
}

/** Makes and publishes an edition, and opens the window. */
export async function prepareSwitch(client: Client, ref: string): Promise<number> {
  const { number } = await client.call('edition.make', { params: { ref }, body: {} });
  await client.call('edition.publish', { params: { ref, number: String(number) }, body: { openHours: 1 } });
  return number;
}

/** Boots one switch after the other, each to the end. */
export class Booter {
  private readonly a: Attacked;
  private readonly folder = mkdtempSync(join(tmpdir(), 'zpine-lab-'));
  private readonly lab: Lab;
  private count = 100;

  constructor(a: Attacked) {
    this.a = a;
    this.lab = new Lab({ dialMap: a.net.dialMap, server: '10.77.0.10', paceMs: 20, devices: [] }, this.folder);
  }

  async declare(): Promise<string> {
    const { device, ...hardware } = await declareSwitch(this.a.client, (this.count += 1));
    await prepareSwitch(this.a.client, device);
    this.lab.add({ ...hardware, name: device });
    return device;
  }

  /** Switches it on; says after how many milliseconds it serves. */
  async boot(device: string, limitMs: number): Promise<number> {
    const begun = Date.now();
    this.switchOn(device);
    return this.served(device, begun, limitMs);
  }

  switchOn(device: string): void {
    this.lab.device(device).on();
  }

  /** Waits until it serves, as long as that may take from `begun` on; says how long it took. */
  async served(device: string, begun: number, limitMs: number): Promise<number> {
    for (;;) {
      const { items } = await this.a.client.call('arrival.list', { query: { device, limit: '1' } });
      const [arrival] = items;
      if (arrival?.stage === 'serving' && arrival.endedAt !== null) return Date.now() - begun;
      if (Date.now() - begun > limitMs)
        throw new Error(
          `${device} came to "${arrival?.milestones.at(-1)?.name ?? 'nothing'}": ${arrival?.diagnosis?.detail ?? ''}`,
        );
      await pause(100);
    }
  }

  /** What runs on it. */
  printed(device: string): string {
    return this.lab.device(device).print();
  }

  async stop(): Promise<void> {
    await this.lab.stop();
    rmSync(this.folder, { recursive: true, force: true });
  }
}
