/** Format, code rules, types and arrows. `--fix` mends what can be mended. */
import { spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';

const fix = process.argv.includes('--fix');

interface Check {
  name: string;
  command: string[];
}

const bin = (name: string, ...args: string[]): string[] => [`node_modules/.bin/${name}`, ...args];

const checks: Check[] = [
  { name: 'rules', command: bin('eslint', ...(fix ? ['--fix'] : []), '.') },
  { name: 'format', command: bin('prettier', fix ? '--write' : '--check', '--log-level', 'warn', '.') },
  { name: 'types', command: bin('tsc', '-p', '.') },
  { name: 'types of the core', command: bin('tsc', '-p', 'core') },
  { name: 'types of the console', command: bin('tsc', '-p', 'console') },
  { name: 'exports that nobody uses', command: bin('knip', '--no-progress', '--no-config-hints') },
  { name: 'arrows', command: [process.execPath, '--import', 'tsx', 'ops/arrows.ts'] },
];

/** Runs one check and shows what it said, in one piece. */
async function check({ name, command }: Check): Promise<boolean> {
  const [program = '', ...args] = command;
  const start = Date.now();
  const child = spawn(program, args, { stdio: ['ignore', 'pipe', 'pipe'] });
  let said = '';
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (chunk: Buffer) => (said += chunk.toString()));
  const status = await new Promise((done) => child.once('close', done));
  const seconds = ((Date.now() - start) / 1000).toFixed(1);
  process.stdout.write(`${status === 0 ? '' : said}${status === 0 ? 'passed' : 'FAILED'}  ${name} (${seconds} s)\n`);
  return status === 0;
}

/** Gives how many checks passed and failed; so many run at a time, the longest first. Mending goes one after the other. */
export async function lint(atATime = 2): Promise<{ passed: number; failed: number }> {
  const waiting = [...checks];
  const results: boolean[] = [];
  const work = async () => {
    for (let next = waiting.shift(); next; next = waiting.shift()) results.push(await check(next));
  };
  await Promise.all(Array.from({ length: fix ? 1 : atATime }, work));
  const passed = results.filter(Boolean).length;
  return { passed, failed: results.length - passed };
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const { failed } = await lint();
  process.exit(failed > 0 ? 1 : 0);
}
