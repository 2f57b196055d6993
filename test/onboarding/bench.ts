/** A service that boots devices, with the Brackwater demo in it, and a lab on the same stretch of loopback. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { dial, parseDialRow, type Endpoint } from '@zpine/core/addressing/dial';
import { mustParse } from '@zpine/core/fault';
import { type Milestone, milestones } from '@zpine/core/arrival/arrival';
import type { ShownArrival } from '@zpine/contract/onboardingShapes';
import type { Client } from '@zpine/contract/client';
import { Lab, type DeviceInput } from '@zpine/lab/lab';
import type { Fault } from '@zpine/lab/faults';
import { bootNet } from '../../ops/stack.ts';
import { declareSwitch, prepareSwitch } from '../../trials/booter.ts';
import { transact } from '../../service/store/transact.ts';
import { actor, demoService, type TestBench } from '../service.ts';
import { eventually } from '../../trials/eventually.ts';

export interface Onboarding extends TestBench {
  lab: Lab;
  client: Client;
  net: ReturnType<typeof bootNet>;
  /** Where a socket has to go for an address of the records. */
  at: (address: string, port: number) => Endpoint;
  end: () => Promise<void>;
}

/** Waits are short: what a person would wait minutes for must show within seconds. */
const QUICK = {
  ZPINE_WAIT_PACKET: '1',
  ZPINE_WAIT_REQUEST: '2',
  ZPINE_WAIT_FILE: '2',
  ZPINE_WAIT_TRANSFER: '2',
  ZPINE_WAIT_LIFE: '2',
  ZPINE_WAIT_PROBE: '1',
};

export function newLab(net: ReturnType<typeof bootNet>, folder: string): Lab {
  return new Lab({ dialMap: net.dialMap, server: '10.77.0.10', paceMs: 20, devices: [] }, folder);
}

export async function onboarding(consoleFolder?: string, heard?: (line: string) => void): Promise<Onboarding> {
  const net = bootNet();
  const bench = await demoService({ ...QUICK, ...net.env }, consoleFolder, heard);
  // The windows of the demo were opened elsewhere, where waiting takes its time.
  await transact(bench.store, actor, 'test', async (tx) =>
    // Those that no test boots are waited for without end.
    tx.execute(
      "UPDATE arrival SET limit_at = IF(device_key IN ('cob-xr-1', 'cob-acc-2'), NULL, ?) WHERE limit_at IS NOT NULL",
      [await tx.now()],
    ),
  );
  const folder = mkdtempSync(join(tmpdir(), 'zpine-lab-'));
  const lab = newLab(net, folder);
  const client = bench.clients.admin;
  const rows = net.dialMap.map((row) => mustParse(parseDialRow(row)));
  const end = async () => {
    await lab.stop();
    await bench.stop();
    rmSync(folder, { recursive: true, force: true });
  };
  return { ...bench, lab, client, net, at: (address, port) => dial(rows, 'default', { address, port }), end };
}

export const ardle: DeviceInput = {
  name: 'ardle',
  model: 'LF-24',
  serial: 'LF24-0188-01',
  mac: '00:00:5e:00:53:a1',
  relay: '10.77.16.1',
  circuit: 'ard-xr-1:cu2',
};

let boxes = 0;

/** Another declared access switch with a box of its own, prepared; and its simulated hardware, switched off. */
export async function another(
  o: Onboarding,
  faults: Fault[] = [],
  relay = '10.77.64.1',
): Promise<{ device: string; box: string }> {
  const { device, ...hardware } = await declareSwitch(o.client, 10 + (boxes += 1), relay);
  o.lab.add({ ...hardware, faults });
  return { device, box: hardware.name };
}

export const prepare = (o: Onboarding, ref: string): Promise<number> => prepareSwitch(o.client, ref);

export async function newest(client: Client, device: string): Promise<ShownArrival> {
  const { items } = await client.call('arrival.list', { query: { device, limit: '1' } });
  if (!items[0]) throw new Error(`${device} has no arrival`);
  return items[0];
}

/** Waits until the newest arrival of a device is as wanted; says how far it came when it is not. */
export async function until(
  client: Client,
  device: string,
  wanted: (a: ShownArrival) => boolean,
  limitMs = 15_000,
): Promise<ShownArrival> {
  let last: ShownArrival | undefined;
  const how = (): string => {
    const came = last?.milestones.at(-1)?.name ?? 'nothing';
    return `${device} comes as far as wanted; it came to "${came}", ${last?.diagnosis?.title ?? 'no diagnosis'}: ${last?.diagnosis?.detail ?? ''}`;
  };
  const look = async () => {
    last = await newest(client, device);
    return wanted(last) && last;
  };
  return eventually(how, look, { limitMs, everyMs: 60 });
}

export const serves = (client: Client, device: string): Promise<ShownArrival> =>
  until(client, device, (a) => a.stage === 'serving' && a.endedAt !== null);
export const diagnosed = (client: Client, device: string, code: string): Promise<ShownArrival> =>
  until(client, device, (a) => a.diagnosis?.code === code);
export const reachedIn = (a: ShownArrival): Milestone[] =>
  milestones.filter((name) => a.milestones.some((m) => m.name === name));
