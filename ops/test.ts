/** `./run test`: lint, types and all tests; the last line is `N passed, N failed`. */
import { readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import Mocha from 'mocha';
import { lint } from './lint.ts';
import { throwawayMariadb } from './stack.ts';

const patterns = process.argv.slice(2);

function* testsIn(folder: string): Generator<string> {
  for (const name of readdirSync(folder).sort()) {
    if (['node_modules', 'dist', '.git', '.pine'].includes(name)) continue;
    const path = join(folder, name);
    if (statSync(path).isDirectory()) yield* testsIn(path);
    else if (/\.test\.tsx?$/.test(name)) yield path;
  }
}

const files = [...testsIn('.')].filter((file) => patterns.length === 0 || patterns.some((p) => file.includes(p)));
const checks = patterns.length === 0 ? await lint() : { passed: 0, failed: 0 };

const database = await throwawayMariadb();
Object.assign(process.env, {
  ZPINE_TEST_SOCKET: database.socket,
  ZPINE_TEST_PASSWORD: database.password,
  ZPINE_TEST_PID: String(database.pid),
});

const mocha = new Mocha({ reporter: 'spec', timeout: 30_000, color: Boolean(process.stdout.isTTY) });
for (const file of files) mocha.addFile(file);
await mocha.loadFilesAsync();
let passed = 0;
let failed = 0;
const runner = mocha.run(() => void end());
runner.on('pass', () => (passed += 1));
runner.on('fail', () => (failed += 1));

async function end(): Promise<void> {
  await database.stop();
  process.stdout.write(`${checks.passed + passed} passed, ${checks.failed + failed} failed\n`);
  process.exit(checks.failed + failed > 0 || passed === 0 ? 1 : 0);
}
