/** A thousand simulated devices: asked one question beside the bare SSH of the same, captured twice. */
import { fork } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createPool } from 'mariadb';
import { Client as SshClient } from 'ssh2';
import { dial, parseDialRow } from '@zpine/core/addressing/dial';
import { mustParse } from '@zpine/core/fault';
import type { Client } from '@zpine/contract/client';
import type { Mariadb } from '../ops/mariadb.ts';
import { clientFor, databaseEnv, makeUsers, startBuiltService } from '../ops/stack.ts';
import { ratesInTurns, type Row } from './measure.ts';

const DEVICES = 1000;
const PARALLEL = 40;
const ROUNDS = 3;
/** A thousand are to be compared in so long. */
const COMPARE_SECONDS = 30;
const DIAL = 'default 10.77.0.0/16 127.66.0.0/16 10000';
const NAME = 'zpine_bench_fleet';

export async function fleetRows(database: Mariadb): Promise<Row[]> {
  const folder = mkdtempSync(join(tmpdir(), 'zpine-bench-fleet-'));
  const lab = fork(new URL('./fleetLab.ts', import.meta.url), [folder, String(DEVICES), DIAL], {
    execArgv: ['--import', 'tsx'],
  });
  const ready = new Promise<void>((done) => lab.once('message', () => done()));
  const env = { ...databaseEnv(database, NAME), ZPINE_DIAL_MAP: DIAL };
  await makeUsers(env);
  const service = await startBuiltService(env);
  try {
    await ready;
    const api = await clientFor(service.url, 'engineer');
    await enter(api);
    const where = 'dialect=shale';
    const seen = await settled(api, (await api.call('run.reach', { body: { where } })).id);
    await api.call('hostKey.accept', { body: { run: seen.id } });
    const ask = async () => {
      const run = await settled(
        api,
        (await api.call('run.ask', { body: { where, asks: [{ command: 'shale about' }] } })).id,
      );
      if (run.counts.answered !== DEVICES) throw new Error(await failures(api, run.id));
      return DEVICES / (run.ms / 1000);
    };
    const [ours, bare] = await ratesInTurns(ROUNDS, ask, bareSsh);
    await settled(api, (await api.call('run.capture', { body: { where } })).id);
    const before = await storedBytes(database);
    const again = await settled(api, (await api.call('run.capture', { body: { where } })).id);
    const after = await storedBytes(database);
    await describe(api);
    const compared = await settled(api, (await api.call('run.compare', { body: { where, captured: true } })).id);
    return [
      {
        what: `${DEVICES} devices asked one question, ${PARALLEL} at a time, beside bare SSH connect and exec`,
        figure: `${ours.toFixed(0)}/s`,
        reference: `${bare.toFixed(0)}/s`,
        ratio: ours / bare,
        aim: 0.5,
      },
      {
        what: `text kept for a second capture of ${again.counts.unchanged ?? 0} unchanged devices, beside the first`,
        figure: `${after - before} B`,
        reference: `${before} B`,
        ratio: after === before ? 1 : 0,
        aim: 1,
      },
      {
        what: `${compared.counts.differs ?? 0} devices compared with their editions by their captures; beside ${COMPARE_SECONDS} s`,
        figure: `${(compared.ms / 1000).toFixed(1)} s`,
        reference: `${COMPARE_SECONDS} s`,
        ratio: (COMPARE_SECONDS * 1000) / compared.ms,
        aim: 1,
      },
    ];
  } finally {
    await service.stop();
    lab.disconnect();
    rmSync(folder, { recursive: true, force: true });
  }
}

/** An edition for each, from one template: what they run already was never described. */
async function describe(api: Client): Promise<void> {
  const source = '@part "time" owns "ntp "\n@for server of set.time.servers\nntp @{server}\n@end\n@end\n';
  await api.add('template', { name: 'bench', dialect: 'shale', source });
  const value = ['10.77.0.5', '10.77.0.99'];
  await api.call('value.put', { body: { setting: 'time.servers', layer: 'everywhere', mode: 'set', value } });
  let next = 0;
  const one = async (n: number) => {
    const ref = `bench-${n}`;
    const { number } = await api.call('edition.make', { params: { ref }, body: { apply: true } });
    const params = { ref, number: String(number) };
    await api.call('edition.publish', { params, body: { insist: true }, reason: 'measured, never booted' });
  };
  await Promise.all(
    Array.from({ length: 8 }, async () => {
      while (next < DEVICES) await one(next++);
    }),
  );
}

/** Which devices did not answer, and why. */
async function failures(api: Client, id: number): Promise<string> {
  const { rows } = await api.call('run.show', { params: { id: String(id) }, query: {} });
  return rows.flatMap((row) => (row.outcome === 'answered' ? [] : [`${row.device}: ${row.detail}`])).join('\n');
}

const addressOf = (n: number): string => `10.77.${100 + Math.floor(n / 200)}.${10 + (n % 200)}`;

async function enter(api: Client): Promise<void> {
  const text = Array.from({ length: DEVICES }, (_, n) => `bench-${n} ${addressOf(n)}`).join('\n');
  const { faults } = await api.call('import.paste', {
    body: { text, dialect: 'shale', user: 'netops', password: 'a-thousand-ferries', apply: true },
  });
  if (faults[0]) throw new Error(faults[0].detail);
}

async function settled(api: Client, id: number) {
  for (;;) {
    const run = await api.call('run.list', { query: { limit: '1' } });
    const [head] = run.items;
    if (head?.id === id && head.state === 'ended' && head.startedAt && head.endedAt)
      return { ...head, ms: Date.parse(head.endedAt) - Date.parse(head.startedAt) };
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
}

/** The same devices, the same library, the same number at a time: connect, run, hang up. */
async function bareSsh(): Promise<number> {
  const rows = [mustParse(parseDialRow(DIAL))];
  const start = performance.now();
  let next = 0;
  const one = (n: number) =>
    new Promise<void>((resolve, reject) => {
      const { address, port } = dial(rows, 'default', { address: addressOf(n), port: 22 });
      const client = new SshClient();
      client.on('ready', () =>
        client.exec('shale about', (error, channel) => {
          if (error) return reject(error);
          channel.on('data', () => undefined);
          channel.on('close', () => {
            client.end();
            resolve();
          });
        }),
      );
      client.on('error', reject);
      client.connect({ host: address, port, username: 'netops', password: 'a-thousand-ferries', readyTimeout: 20_000 });
      (client as SshClient & { setNoDelay?: (on: boolean) => void }).setNoDelay?.(true);
    });
  await Promise.all(
    Array.from({ length: PARALLEL }, async () => {
      while (next < DEVICES) await one(next++);
    }),
  );
  return DEVICES / ((performance.now() - start) / 1000);
}

async function storedBytes({ socket, user, password }: Mariadb): Promise<number> {
  const pool = createPool({
    socketPath: socket,
    user,
    password,
    database: NAME,
    connectionLimit: 1,
    bigIntAsNumber: true,
  });
  const [row] = await pool.query<{ bytes: number }[]>(
    'SELECT COALESCE(SUM(LENGTH(content) + LENGTH(shown)), 0) AS bytes FROM captured_text',
  );
  await pool.end();
  return Number(row?.bytes);
}
