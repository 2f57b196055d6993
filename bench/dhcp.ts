/** DHCP exchanges with leases on disk, beside a responder that stores nothing. */
import { fork } from 'node:child_process';
import { dial, parseDialRow } from '@zpine/core/addressing/dial';
import { mustParse } from '@zpine/core/fault';
import type { Client } from '@zpine/contract/client';
import { dhcpLoad } from '../lab/boot/load.ts';
import { Relay } from '../lab/boot/relay.ts';
import { Wire } from '../lab/wire.ts';
import type { Mariadb } from '../ops/mariadb.ts';
import { clientFor, databaseEnv, makeUsers, startBuiltService } from '../ops/stack.ts';
import { ratesInTurns, type Row } from './measure.ts';

const NAME = 'zpine_bench_dhcp';
const DEVICES = 1000;
const PARALLEL = 64;
const ROUNDS = 3;
const GATEWAY = '10.78.0.1';
const SERVER = '10.77.0.10';
/** The service, and the responder beside it, on stretches of loopback of their own. */
const rowsAt = (net: number) => [
  `default 10.77.0.0/16 127.${net}.0.0/16 10000`,
  `default 10.78.0.0/16 127.${net + 1}.0.0/16 10000`,
];

const hex = (value: number) => value.toString(16).padStart(2, '0');
const macOf = (i: number): string => `02:66:00:00:${hex(i >> 8)}:${hex(i & 255)}`;
const clients = Array.from({ length: DEVICES }, (_, i) => ({
  mac: macOf(i),
  serial: `LOAD-${i}`,
  vendorClass: 'load',
}));

export async function dhcpRows(database: Mariadb): Promise<Row[]> {
  const [own, theirs] = [rowsAt(62), rowsAt(64)];
  const env = { ...databaseEnv(database, NAME), ZPINE_BOOT_ADDRESS: SERVER, ZPINE_DIAL_MAP: own.join(', ') };
  await makeUsers(env);
  const service = await startBuiltService(env);
  const bare = dialsOf(theirs);
  const at = (address: string) => dial(bare, 'default', { address, port: 67 });
  const args = [
    at(SERVER).address,
    String(at(SERVER).port),
    at(GATEWAY).address,
    String(at(GATEWAY).port),
    String(DEVICES),
  ];
  const responder = fork(new URL('./bareDhcp.ts', import.meta.url), args, { execArgv: ['--import', 'tsx'] });
  const relays = [own, theirs].map((rows) => new Relay(GATEWAY, SERVER, new Wire(dialsOf(rows))));
  try {
    await new Promise<void>((done) => responder.once('message', () => done()));
    await enter(await clientFor(service.url, 'engineer'));
    const exchanges = async (relay: Relay | undefined): Promise<number> => {
      if (!relay) throw new Error('no relay');
      const load = await dhcpLoad(relay, clients, { parallel: PARALLEL });
      if (load.failed > 0) throw new Error(`${load.failed} clients got no address`);
      return load.leased / load.seconds;
    };
    const [ours, bareRate] = await ratesInTurns(
      ROUNDS,
      () => exchanges(relays[0]),
      () => exchanges(relays[1]),
    );
    return [
      {
        what: `DHCP exchanges of ${PARALLEL} clients at a time, every lease on disk, beside a responder that stores nothing`,
        figure: `${ours.toFixed(0)}/s`,
        reference: `${bareRate.toFixed(0)}/s`,
        ratio: ours / bareRate,
        aim: 0.5,
      },
    ];
  } finally {
    for (const relay of relays) await relay.close();
    responder.kill();
    await service.stop();
  }
}

const dialsOf = (rows: string[]) => rows.map((row) => mustParse(parseDialRow(row)));

/** Devices with boxes and addresses of their own, all behind one relay. */
async function enter(api: Client): Promise<void> {
  await api.add('vendor', { name: 'larkfield' });
  await api.add('model', { vendor: 'larkfield', name: 'load' });
  await api.add('prefix', { cidr: '10.78.0.0/16', gateway: GATEWAY });
  for (let at = 0; at < DEVICES; at += 200) {
    const numbers = Array.from({ length: 200 }, (_, i) => at + i);
    await api.addAll(
      'device',
      numbers.map((i) => ({ name: `load-${i}`, virtual: false })),
    );
    await api.addAll(
      'box',
      numbers.map((i) => ({ serial: `LOAD-${i}`, mac: macOf(i), model: 'larkfield/load', device: `load-${i}` })),
    );
    await api.addAll(
      'interface',
      numbers.map((i) => ({ device: `load-${i}`, name: 'management', form: 'routed' })),
    );
    await api.addAll(
      'address',
      numbers.map((i) => ({
        address: `10.78.${(256 + i) >> 8}.${(256 + i) & 255}`,
        interface: `load-${i}:management`,
      })),
    );
  }
}
