/** `./run estate`: a database of any size to try things on, and with `--serve` a service on it. */
import { parseArgs } from 'node:util';
import { PASSWORD, startBuiltService } from '../../ops/stack.ts';
import { MOST_DEVICES } from './plan.ts';
import { openEstate } from './stored.ts';

const usage = `./run estate [--devices N] [--seed N] [--fresh] [--serve]
  fills a database in .pine/estate with a made-up estate: sites, racks, devices, boxes, ports, interfaces, cables, addresses
  --devices N   how many, up to ${MOST_DEVICES.toLocaleString('en')} (10000)
  --seed N      another number gives another estate (1)
  --fresh       fill it anew
  --serve       start the service on it and wait`;

const whole = (text: string, most: number): number => {
  const value = Number(text);
  if (!Number.isInteger(value) || value < 1 || value > most)
    throw new Error(`"${text}" is no number from 1 to ${most}`);
  return value;
};

async function main(): Promise<void> {
  const { values } = parseArgs({
    options: {
      devices: { type: 'string', default: '10000' },
      seed: { type: 'string', default: '1' },
      fresh: { type: 'boolean', default: false },
      serve: { type: 'boolean', default: false },
    },
  });
  const devices = whole(values.devices, MOST_DEVICES);
  const seed = whole(values.seed, 2 ** 31);
  const estate = await openEstate({ devices, seed, fresh: values.fresh }, (text) => process.stdout.write(`${text}\n`));
  try {
    for (const [what, count] of Object.entries(await estate.counts()))
      process.stdout.write(`${what.padEnd(10)} ${count.toLocaleString('en').padStart(10)}\n`);
    if (values.serve) await serve(estate.env);
  } finally {
    await estate.close();
  }
}

async function serve(env: Record<string, string>): Promise<void> {
  const service = await startBuiltService({ ...env, ZPINE_LISTEN_PORT: process.env.ZPINE_LISTEN_PORT ?? '0' });
  process.stdout.write(`\nconsole   ${service.url}\nsign in   admin / ${PASSWORD}\nCtrl-C stops it.\n`);
  await new Promise<void>((done) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => done());
  });
  await service.stop();
}

await main().catch((error: unknown) => {
  process.stderr.write(`${error instanceof Error ? error.message : String(error)}\n${usage}\n`);
  process.exitCode = 2;
});
