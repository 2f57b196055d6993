/** `./run chaos`: kills the service and its database in the midst of work, and looks whether anything was lost. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { freePort, startMariadb } from '../../ops/mariadb.ts';
import { databaseEnv } from '../../ops/stack.ts';
import { attacked } from '../attacked.ts';
import { House, victims } from './house.ts';
import { deedNames, rounds } from './rounds.ts';

const usage = `./run chaos [--rounds N] [--seed N] [--only DEED,...]
  kills the service, a part of it or its database in the midst of imports, errands, pushes, arrivals, undo and publishing
  --rounds N   how many times (12)
  --seed N     another number kills at other times (1)
  --only ...   some of ${deedNames.join(', ')}`;

async function main(): Promise<boolean> {
  const { values } = parseArgs({
    options: {
      rounds: { type: 'string', default: '12' },
      seed: { type: 'string', default: '1' },
      only: { type: 'string' },
    },
  });
  const [count, seed] = [Number(values.rounds), Number(values.seed)];
  if (![count, seed].every((one) => Number.isInteger(one) && one > 0))
    throw new Error('a whole number from 1 on is wanted');
  const only = values.only?.split(',').map((word) => {
    const name = deedNames.find((one) => one === word.trim());
    if (!name) throw new Error(`"${word}" is not done here`);
    return name;
  });
  const folder = mkdtempSync(join(tmpdir(), 'zpine-chaos-'));
  const server = await startMariadb({ folder, databases: ['zpine_chaos'] });
  const a = await attacked(databaseEnv(server, 'zpine_chaos'), {
    ZPINE_LISTEN_PORT: String(await freePort()),
    ZPINE_WAIT_PROBE: '1',
  });
  const house = new House(a, { server, folder });
  try {
    let bad = 0;
    await rounds(house, {
      count,
      seed,
      victims,
      ...(only ? { only } : {}),
      told: ({ victim, afterMs, acknowledged, faults }) => {
        const said = Object.entries(acknowledged).map(([what, times]) => `${times} ${what}`);
        process.stdout.write(
          `${victim.padEnd(9)} killed after ${String(afterMs).padStart(4)} ms: ${said.join(', ')}\n`,
        );
        for (const fault of faults) process.stdout.write(`  ${fault}\n`);
        bad += faults.length;
      },
    });
    process.stdout.write(`\n${count} rounds, ${bad} faults\n`);
    return bad === 0;
  } finally {
    await a.end();
    await house.stopDatabase();
    rmSync(folder, { recursive: true, force: true });
  }
}

process.exitCode = await main().then(
  (well) => (well ? 0 : 1),
  (error: unknown) => {
    process.stderr.write(`${error instanceof Error ? error.message : String(error)}\n${usage}\n`);
    return 2;
  },
);
