/** A service, and forty simulated devices of three dialects that were entered by a pasted list each. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Client } from '@zpine/contract/client';
import type { RunHead, ShownRun } from '@zpine/contract/fleetShapes';
import { Lab } from '@zpine/lab/lab';
import type { Fault } from '@zpine/lab/faults';
import { keptOf, modelOf, type KeptOptions, type LabDialect } from '@zpine/lab/kept';
import { bootNet } from '../../ops/stack.ts';
import { testService, type TestBench } from '../service.ts';
import { eventually } from '../../trials/eventually.ts';

export const USER = 'netops';
export const PASS = 'a-fleet-of-ferries';
export const TIME = ['10.77.0.5', '10.77.0.6'];

export interface Fleet extends TestBench {
  client: Client;
  lab: Lab;
  /** Where addresses are on loopback. */
  dialMap: string[];
  /** Names by dialect, in their order. */
  names: Record<LabDialect, string[]>;
  all: string[];
  end: () => Promise<void>;
}

const prefixOf = { furrow: 'acc', quill: 'xr', shale: 'wb' } as const;
const thirds = { furrow: 96, quill: 97, shale: 98 } as const;

export const addressOf = (dialect: LabDialect, n: number): string => `10.77.${thirds[dialect]}.${10 + n}`;

/** Another simulated device, switched on. */
export function addDevice(
  lab: Lab,
  dialect: LabDialect,
  n: number,
  more: Partial<KeptOptions> & { faults?: Fault[]; hears?: Parameters<Lab['add']>[0]['hears'] } = {},
): string {
  const { faults = [], hears, ...kept } = more;
  const name = `har-${prefixOf[dialect]}-${n}`;
  lab.add({
    name,
    model: modelOf[dialect],
    serial: `${modelOf[dialect]}-${1000 + n}`,
    mac: `02:00:00:${thirds[dialect].toString(16)}:00:${n.toString(16).padStart(2, '0')}`,
    kept: keptOf[dialect]({
      name,
      address: `${addressOf(dialect, n)}/24`,
      gateway: `10.77.${thirds[dialect]}.1`,
      user: USER,
      password: PASS,
      timeServers: TIME,
      ...kept,
    }),
    ...(hears ? { hears } : {}),
    faults,
  });
  lab.device(name).on();
  return name;
}

export async function fleet(
  counts: Record<LabDialect, number>,
  env: Record<string, string> = {},
  consoleFolder?: string,
): Promise<Fleet> {
  const net = bootNet();
  const bench = await testService({ ZPINE_DIAL_MAP: net.env.ZPINE_DIAL_MAP ?? '', ...env }, consoleFolder);
  const folder = mkdtempSync(join(tmpdir(), 'zpine-fleet-'));
  const lab = new Lab({ dialMap: net.dialMap, server: '10.77.0.10', paceMs: 5, devices: [] }, folder);
  const client = bench.clients.engineer;
  const names: Record<LabDialect, string[]> = { furrow: [], quill: [], shale: [] };
  for (const dialect of ['furrow', 'quill', 'shale'] as const) {
    for (let n = 1; n <= counts[dialect]; n += 1) names[dialect].push(addDevice(lab, dialect, n));
    if (counts[dialect] > 0) await paste(client, dialect, names[dialect]);
  }
  const end = async () => {
    await lab.stop();
    await bench.stop();
    rmSync(folder, { recursive: true, force: true });
  };
  return {
    ...bench,
    client,
    lab,
    dialMap: net.dialMap,
    names,
    all: [...names.furrow, ...names.quill, ...names.shale],
    end,
  };
}

/** The list as somebody pastes it, with the login for all of them. */
export async function paste(client: Client, dialect: LabDialect, names: string[]): Promise<void> {
  const text = names.map((name) => `${name} ${addressOf(dialect, Number(name.split('-').at(-1)))}`).join('\n');
  const body = { text, dialect, user: USER, password: PASS, label: 'fleet-login', apply: true };
  const outcome = await client.call('import.paste', { body });
  if (outcome.faults.length > 0) throw new Error(JSON.stringify(outcome.faults));
}

/** Waits until a run stands still: ended, or waiting for somebody's word. */
export async function settled(client: Client, run: Pick<RunHead, 'id'>, limitMs = 40_000): Promise<ShownRun> {
  const params = { id: String(run.id) };
  let how = '';
  const look = async () => {
    const { state, done, expected } = await client.call('run.show', { params, query: { rows: 'none' } });
    how = `${state}, ${done} of ${expected}`;
    return state === 'ended' || state === 'previewed';
  };
  await eventually(() => `run #${run.id} stands still; it is ${how}`, look, { limitMs, everyMs: 40 });
  return client.call('run.show', { params, query: { text: 'true' } });
}

export const rowOf = (run: ShownRun, device: string): ShownRun['rows'][number] => {
  const row = run.rows.find((one) => one.device === device);
  if (!row) throw new Error(`${device} is not in run #${run.id}`);
  return row;
};

/** First contact: the keys that were shown are accepted. */
export async function acquainted(client: Client, where = 'stage!=retired'): Promise<void> {
  const seen = await settled(client, await client.call('run.reach', { body: { where } }));
  await client.call('hostKey.accept', { body: { run: seen.id } });
}
