/** `./run test`: lint, types and all tests; the last line is `N passed, N failed`. Three files are run at a time. */
import { fork, spawnSync } from 'node:child_process';
import { readdirSync, rmSync, statSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { lint } from './lint.ts';
import { throwawayMariadb } from './stack.ts';
import type { Done, Task } from './testWorker.ts';

// Node reads all authorities named here at each start, which takes longer than most commands; no test leaves loopback.
delete process.env.NODE_EXTRA_CA_CERTS;

// The command line, the console and the threads of the service are tested as they are built.
spawnSync(process.execPath, ['--import', 'tsx', 'ops/build.ts'], { stdio: 'inherit' });

const coverage = process.argv.includes('--coverage');
const patterns = process.argv.slice(2).filter((word) => !word.startsWith('--'));
/** One more than there are processors here: most tests wait for a device or a deadline a good part of their time. */
const WORKERS = 3;
/** Where V8 says what was run, when that is asked for. */
const COVERED = resolve('.pine/coverage');
if (coverage) rmSync(COVERED, { recursive: true, force: true });

function* testsIn(folder: string): Generator<string> {
  for (const name of readdirSync(folder).sort()) {
    if (['node_modules', 'dist', '.git', '.pine'].includes(name)) continue;
    const path = join(folder, name);
    if (statSync(path).isDirectory()) yield* testsIn(path);
    else if (/\.test\.tsx?$/.test(name)) yield path;
  }
}

/** The long ones first, so that both ends come at about the same time: those with a service, and above all with devices. */
const weight = (file: string): number =>
  ['test/documents', 'test/onboarding', 'test/launch', 'test/bulk', 'test/hardware', 'test/'].findIndex((begin) =>
    file.startsWith(begin),
  );
const rank = (file: string): number => (weight(file) < 0 ? 9 : weight(file));

const files = [...testsIn('.')]
  .filter((file) => patterns.length === 0 || patterns.some((p) => file.includes(p)))
  .sort((a, b) => rank(a) - rank(b));
const database = await throwawayMariadb();
const env = {
  ...process.env,
  ZPINE_TEST_SOCKET: database.socket,
  ZPINE_TEST_PASSWORD: database.password,
  ZPINE_TEST_PID: String(database.pid),
  ...(coverage ? { NODE_V8_COVERAGE: COVERED } : {}),
  ...(process.argv.includes('--whole') ? { ZPINE_WHOLE: '1' } : {}),
};

const results: Done[] = [];
const waiting = [...files];
const workers = Array.from({ length: Math.min(WORKERS, files.length) }, (_, seat) => work(seat));
// Tests wait a good deal, for devices and for deadlines: the checks have the machine meanwhile.
const checks = patterns.length === 0 ? await lint(1) : { passed: 0, failures: [] };
await Promise.all(workers);
const unsteady = await alone();
await database.stop();
if (coverage) tellCoverage();
const sum = (of: 'passed' | 'failed', from: number) => results.reduce((total, done) => total + done[of], from);
// Once more, and last: whoever reads only the end of a long run sees what failed.
for (const failure of checks.failures) process.stdout.write(`\nfailed: ${failure}\n`);
for (const { file, failures } of results)
  for (const failure of failures) process.stdout.write(`\nfailed in ${file}: ${failure}\n`);
for (const { file, failures } of unsteady)
  for (const failure of failures)
    process.stdout.write(
      `\nunsteady in ${file}, failed beside other work and passed alone, to be mended: ${failure}\n`,
    );
const passed = sum('passed', checks.passed);
const failed = sum('failed', checks.failures.length);
process.stdout.write(`${passed} passed, ${failed} failed\n`);
process.exit(failed > 0 || results.every((done) => done.passed === 0) ? 1 : 0);

/**
 * What failed while the machine was busy with another file has one more chance, alone: a fault of the product fails
 * again, a test that does not wait well enough is named as unsteady. More than a few files failing is no matter of luck.
 */
async function alone(): Promise<Done[]> {
  const again = results.filter((done) => done.failed > 0);
  if (again.length === 0 || again.length > 5 || files.length === 1) return [];
  const before = results.filter((done) => done.failed === 0);
  results.splice(0, results.length, ...before);
  waiting.push(...again.map((done) => done.file));
  await work(0);
  return again.filter(({ file }) => results.some((done) => done.file === file && done.failed === 0));
}

/** A process of its own, with a stretch of loopback of its own, for one file after the other. */
async function work(seat: number): Promise<void> {
  const child = fork(new URL('./testWorker.ts', import.meta.url), [], {
    execArgv: ['--import', 'tsx'],
    env: { ...env, ZPINE_TEST_SEAT: String(seat) },
  });
  let current: string | undefined;
  await new Promise<void>((ended) => {
    const next = (): void => {
      current = waiting.shift();
      child.send((current === undefined ? { end: true } : { file: current }) satisfies Task);
    };
    child.on('message', (message: 'ready' | Done) => {
      if (message !== 'ready') {
        results.push(message);
        process.stdout.write(`${message.file} (${message.seconds.toFixed(1)} s)\n${message.text}`);
      }
      next();
    });
    child.once('exit', (code) => {
      // A worker that dies takes its file with it, which has failed then.
      if (current !== undefined) {
        const failures = [`ended the process with status ${code}`];
        results.push({ file: current, passed: 0, failed: 1, failures, text: '', seconds: 0 });
      }
      ended();
    });
  });
}

/** How much of each part was run, by tests and by the programs that they start. */
function tellCoverage(): void {
  const parts = ['core', 'contract', 'service', 'cli', 'lab'];
  const include = parts.flatMap((part) => ['--include', `${part}/**/*.ts`]);
  spawnSync(
    'node_modules/.bin/c8',
    ['report', '--temp-directory', COVERED, '--reporter', 'text-summary', '--exclude', '**/*.test.ts', ...include],
    { stdio: 'inherit' },
  );
}
