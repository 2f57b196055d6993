/** Format, code rules, types and arrows. `--fix` mends what can be mended. */
import { spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';

const fix = process.argv.includes('--fix');

interface Check {
  name: string;
  command: string[];
}

const bin = (name: string, ...args: string[]): string[] => [`node_modules/.bin/${name}`, ...args];
/** By the native compiler, at a fifth of the time; the other one is there for the tools that build on its interface. */
const types = (part: string): string[] => [process.execPath, 'node_modules/tsc-native/bin/tsc', '-p', part];

const checks: Check[] = [
  { name: 'rules of types', command: bin('oxlint', ...(fix ? ['--fix'] : [])) },
  { name: 'rules', command: bin('eslint', ...(fix ? ['--fix'] : []), '.') },
  { name: 'format', command: bin('prettier', fix ? '--write' : '--check', '--log-level', 'warn', '.') },
  { name: 'types', command: types('.') },
  { name: 'types of the core', command: types('core') },
  { name: 'types of the console', command: types('console') },
  { name: 'exports that nobody uses', command: bin('knip', '--no-progress', '--no-config-hints') },
  { name: 'arrows', command: [process.execPath, '--import', 'tsx', 'ops/arrows.ts'] },
];

/** Runs one check and shows what it said, in one piece; gives that if it failed. */
async function check({ name, command }: Check): Promise<string | undefined> {
  const [program = '', ...args] = command;
  const start = Date.now();
  const child = spawn(program, args, { stdio: ['ignore', 'pipe', 'pipe'] });
  let said = '';
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (chunk: Buffer) => (said += chunk.toString()));
  const status = await new Promise((done) => child.once('close', done));
  const seconds = ((Date.now() - start) / 1000).toFixed(1);
  process.stdout.write(`${status === 0 ? '' : said}${status === 0 ? 'passed' : 'FAILED'}  ${name} (${seconds} s)\n`);
  return status === 0 ? undefined : `${name}: ${said}`;
}

export interface Linted {
  passed: number;
  /** What each check said that failed. */
  failures: string[];
}

/** So many checks run at a time, the longest first. Mending goes one after the other. */
export async function lint(atATime = 2): Promise<Linted> {
  const waiting = [...checks];
  const results: (string | undefined)[] = [];
  const work = async () => {
    for (let next = waiting.shift(); next; next = waiting.shift()) results.push(await check(next));
  };
  await Promise.all(Array.from({ length: fix ? 1 : atATime }, work));
  const failures = results.filter((said) => said !== undefined);
  return { passed: results.length - failures.length, failures };
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const { failures } = await lint();
  process.exit(failures.length > 0 ? 1 : 0);
}
