/** Images by TFTP, beside a bare send loop with the same client; windows; and many transfers at a time in bounded memory. */
import { execFile, fork } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { dial, parseDialRow } from '@zpine/core/addressing/dial';
import { mustParse } from '@zpine/core/fault';
import type { Client } from '@zpine/contract/client';
import { contentOf, loadDemo } from '../demo/load.ts';
import { DhcpClient } from '../lab/boot/dhcpClient.ts';
import { Relay } from '../lab/boot/relay.ts';
import { fetchFile } from '../lab/boot/tftpClient.ts';
import { Wire } from '../lab/wire.ts';
import { startMariadb } from '../ops/mariadb.ts';
import { clientFor, databaseEnv, makeUsers, startBuiltService } from '../ops/stack.ts';
import { ratesInTurns, type Row } from './measure.ts';

const run = promisify(execFile);
const NAME = 'zpine_bench_tftp';
const SERVER = '10.77.0.10';
const NET = 80;
const BARE = { address: `127.${NET}.99.1`, port: 10069 };
const BYTES = 20 * 1024 * 1024;
const BLOCK = 1428;
const ROUNDS = 3;
/** Eight of each device at a time, which is what one may have. */
const DEVICES = 25;
const EACH = 8;
const MIB = 1024 * 1024;
const FILE = 'bench.img';

export async function tftpRows(): Promise<Row[]> {
  const folder = mkdtempSync(join(tmpdir(), 'zpine-bench-tftp-'));
  const database = await startMariadb({ folder, databases: [NAME] });
  const map = `default 10.77.0.0/16 127.${NET}.0.0/16 10000`;
  const env = { ...databaseEnv(database, NAME), ZPINE_BOOT_ADDRESS: SERVER, ZPINE_DIAL_MAP: map };
  await makeUsers(env);
  const service = await startBuiltService(env);
  const bare = fork(
    new URL('./bareTftp.ts', import.meta.url),
    [BARE.address, String(BARE.port), String(BYTES), String(BLOCK)],
    {
      execArgv: ['--import', 'tsx'],
    },
  );
  const rows = [mustParse(parseDialRow(map))];
  const relay = new Relay('10.77.64.1', SERVER, new Wire(rows));
  try {
    await new Promise<void>((ready) => bare.once('message', () => ready()));
    const client = await clientFor(service.url, 'engineer');
    const admin = await clientFor(service.url, 'admin');
    await loadDemo(admin, () => undefined);
    const addresses = await leasedDevices(client, relay);
    const at = (address: string, port = 0) => dial(rows, 'default', { address, port });
    const from = at(addresses[0] ?? '').address;
    const [ours, theirs] = await ratesInTurns(
      ROUNDS,
      () => byStockClient(from, at(SERVER, 69), join(folder, 'got')),
      () => byStockClient(from, BARE, join(folder, 'got')),
    );
    const windowed = (windowSize: number) => async (): Promise<number> => {
      const began = performance.now();
      const options = { from, to: at(SERVER, 69), name: FILE, blockSize: BLOCK, windowSize };
      await fetchFile({ ...options, signal: new AbortController().signal });
      return BYTES / MIB / ((performance.now() - began) / 1000);
    };
    const [sixteen, one] = await ratesInTurns(ROUNDS, windowed(16), windowed(1));
    const many = await manyAtOnce(
      admin,
      addresses.map((address) => at(address).address),
      at(SERVER, 69),
    );
    const speed = (rate: number) => `${rate.toFixed(0)} MiB/s`;
    return [
      {
        what: '20 MB by TFTP, blocks of 1428 bytes, beside a bare send loop with the same client',
        figure: speed(ours),
        reference: speed(theirs),
        ratio: ours / theirs,
        aim: 0.7,
      },
      {
        what: 'the same with a window of 16 blocks, beside a window of 1',
        figure: speed(sixteen),
        reference: speed(one),
        ratio: sixteen / one,
        aim: 1,
      },
      {
        what: `${DEVICES * EACH} transfers of 20 MB at a time: what the boot process holds beside 1 MiB for each`,
        figure: `${many.grewMiB.toFixed(0)} MiB, ${many.failed} failed, ${speed(many.rate)}`,
        reference: `${(DEVICES * EACH).toFixed(0)} MiB`,
        ratio: (DEVICES * EACH) / Math.max(1, many.grewMiB),
        aim: 1,
        met: many.failed === 0 && many.grewMiB <= DEVICES * EACH,
      },
    ];
  } finally {
    await relay.close();
    bare.disconnect();
    await service.stop();
    await database.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Devices in their windows, each with its lease, that want one image. */
async function leasedDevices(client: Client, relay: Relay): Promise<string[]> {
  await client.add('image', { name: 'bench', dialect: 'furrow', release: '9', file: FILE });
  await client.putImage('bench', {}, new Blob([contentOf('image furrow * 9', BYTES)]));
  await client.call('value.put', { body: { setting: 'image.wanted', layer: 'site', of: 'mos', value: ['bench'] } });
  const out: string[] = [];
  for (let n = 0; n < DEVICES; n += 1) {
    const [device, mac, serial] = [
      `mos-acc-${400 + n}`,
      `02:00:00:00:40:${n.toString(16).padStart(2, '0')}`,
      `LF24-7400-${n}`,
    ];
    await client.add('device', { name: device, duty: 'access', model: 'larkfield/lf-24', site: 'mos' });
    await client.edit('interface', `${device}:1/24`, { mode: 'trunk', tagged: '304' });
    await client.add('box', { serial, model: 'larkfield/lf-24', mac, device });
    await client.call('device.assignManagement', { params: { ref: device }, body: {} });
    const { number } = await client.call('edition.make', { params: { ref: device }, body: {} });
    const published = { ref: device, number: String(number) };
    await client.call('edition.publish', { params: published, body: { openHours: 1 } });
    const identity = { mac, serial, vendorClass: 'larkfield LF-24' };
    const lease = await new DhcpClient(identity, relay, undefined, 1000).lease(new AbortController().signal);
    if (!lease) throw new Error(`${device} got no address`);
    out.push(lease.address);
  }
  return out;
}

/** MiB a second. */
async function byStockClient(from: string, to: { address: string; port: number }, path: string): Promise<number> {
  const began = performance.now();
  const url = `tftp://${to.address}:${to.port}/${FILE}`;
  await run('curl', ['-sS', '--interface', from, '--tftp-blksize', String(BLOCK), '-o', path, url]);
  return BYTES / MIB / ((performance.now() - began) / 1000);
}

async function manyAtOnce(
  client: Client,
  froms: string[],
  to: { address: string; port: number },
): Promise<{ grewMiB: number; failed: number; rate: number }> {
  const held = async (): Promise<number> => {
    const { items } = await client.call('doctor.processes', {});
    return (items.find(({ name }) => name === 'boot')?.memoryBytes ?? 0) / MIB;
  };
  const before = await held();
  let most = before;
  const began = performance.now();
  let over = false;
  const watching = (async () => {
    while (!over) {
      most = Math.max(most, await held());
      await new Promise((resolve) => setTimeout(resolve, 500));
    }
  })();
  const fetches = froms.flatMap((from) =>
    Array.from({ length: EACH }, () =>
      fetchFile({
        ...{ from, to, name: FILE, blockSize: BLOCK, windowSize: 16, keeps: false },
        signal: new AbortController().signal,
      }).then(
        () => true,
        () => false,
      ),
    ),
  );
  const done = await Promise.all(fetches);
  over = true;
  await watching;
  const well = done.filter(Boolean).length;
  return {
    grewMiB: most - before,
    failed: done.length - well,
    rate: (well * BYTES) / MIB / ((performance.now() - began) / 1000),
  };
}
