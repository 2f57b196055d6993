/** `./run fuzz`: made-up requests against a service of its own, for as long as it is told to. */
import { parseArgs } from 'node:util';
import { databaseEnv, throwawayMariadb } from '../../ops/stack.ts';
import { attacked } from '../attacked.ts';
import { fuzz } from './campaign.ts';
import { packetFuzz, specimensIn } from './packets.ts';

const usage = `./run fuzz [--packets N] [--seconds N] [--seed N] [--at-a-time N]
  sends made-up requests to a service of its own, with the demo in it, and says what was wrong with the answers
  --packets N     not requests, but so many damaged packets of DHCP and TFTP, for those who read them
  --seconds N     how long (60)
  --seed N        the same number makes the same requests (1)
  --at-a-time N   how many at a time (4)`;

/** What is promised: whoever boots or asks beside all this waits no longer. */
const MOST_MS = 1000;

function packets(count: number, seed: number): boolean {
  const { findings, read, slowestMs } = packetFuzz(specimensIn('test/corpus/packets'), { count, seed });
  process.stdout.write(`packets      ${count}, ${read} of them read; the slowest took ${slowestMs.toFixed(1)} ms\n`);
  for (const { name, hex, what } of findings) process.stdout.write(`\n${name}: ${what}\n  ${hex}\n`);
  process.stdout.write(`\n${findings.length} findings\n`);
  return findings.length === 0;
}

async function main(): Promise<boolean> {
  const { values } = parseArgs({
    options: {
      packets: { type: 'string', default: '' },
      seconds: { type: 'string', default: '60' },
      seed: { type: 'string', default: '1' },
      'at-a-time': { type: 'string', default: '4' },
    },
  });
  const whole = (name: keyof typeof values, most: number): number => {
    const value = Number(values[name]);
    if (!Number.isInteger(value) || value < 1 || value > most)
      throw new Error(`--${name} "${values[name]}" is no number from 1 to ${most}`);
    return value;
  };
  if (values.packets !== '') return packets(whole('packets', 10 ** 9), whole('seed', 2 ** 31));
  const how = { seconds: whole('seconds', 86_400), seed: whole('seed', 2 ** 31), atATime: whole('at-a-time', 64) };
  const database = await throwawayMariadb(['zpine_fuzz']);
  try {
    const a = await attacked(databaseEnv(database, 'zpine_fuzz'), { ZPINE_LOG_LEVEL: 'error' });
    try {
      const { requests, byStatus, findings, slowest, succeeded, operations, seen, boots } = await fuzz(a, how);
      const statuses = [...byStatus]
        .sort(([one], [other]) => one - other)
        .map(([status, count]) => `${status}: ${count}`);
      process.stdout.write(`requests     ${requests} (${statuses.join(', ')})\n`);
      process.stdout.write(`operations   ${operations}, ${succeeded.size} of them done at least once\n`);
      process.stdout.write(`slowest      ${slowest.ms} ms, ${slowest.operation}\n`);
      process.stdout.write(
        `beside it    health ${seen.healthMs} ms, a boot ${seen.bootMs} ms at most, ${seen.asked} times\n`,
      );
      process.stdout.write(
        `served       ${boots.map((ms) => `${(ms / 1000).toFixed(1)} s`).join(', ')} after switching on\n`,
      );
      for (const { operation, status, request, answer } of findings)
        process.stdout.write(`\n${operation}: ${status}\n  ${request}\n  ${answer}\n`);
      process.stdout.write(`\n${findings.length} findings\n`);
      return findings.length === 0 && seen.bootMs < MOST_MS && seen.healthMs < MOST_MS;
    } finally {
      await a.end();
    }
  } finally {
    await database.stop();
  }
}

process.exitCode = await main().then(
  (well) => (well ? 0 : 1),
  (error: unknown) => {
    process.stderr.write(`${error instanceof Error ? error.message : String(error)}\n${usage}\n`);
    return 2;
  },
);
