/** Builds service, command line, launcher and console into dist/; does nothing when the sources are those of the last build. */
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { build } from 'esbuild';

const STAMP = 'dist/.sources';
const SOURCES = [
  'core',
  'contract',
  'service',
  'cli',
  'console',
  'demo',
  'lab',
  'ops',
  'package.json',
  'package-lock.json',
];

function* filesIn(path: string): Generator<string> {
  if (!existsSync(path)) return;
  if (statSync(path).isFile()) yield path;
  else for (const name of readdirSync(path).sort()) if (name !== 'node_modules') yield* filesIn(join(path, name));
}

function digestOfSources(): string {
  const hash = createHash('sha256');
  for (const file of SOURCES.flatMap((path) => [...filesIn(path)])) {
    if (/\.test\.tsx?$/.test(file)) continue;
    hash.update(file).update('\0').update(readFileSync(file)).update('\0');
  }
  return hash.digest('hex');
}

const digest = digestOfSources();
if (existsSync(STAMP) && readFileSync(STAMP, 'utf8') === digest) process.exit(0);
process.stderr.write('building\n');
rmSync('dist', { recursive: true, force: true });
mkdirSync('dist', { recursive: true });

const parts = ['core', 'contract', 'service', 'cli', 'demo', 'lab'].filter((part) =>
  existsSync(`${part}/package.json`),
);
const external = [
  ...new Set(
    parts.flatMap((part) => {
      const { dependencies = {} } = JSON.parse(readFileSync(`${part}/package.json`, 'utf8')) as {
        dependencies?: Record<string, string>;
      };
      return Object.keys(dependencies).filter((name) => !name.startsWith('@zpine/'));
    }),
  ),
];

await build({
  entryPoints: {
    service: 'service/main.ts',
    jobThread: 'service/jobThread.ts',
    launch: 'ops/launch.ts',
    lab: 'lab/main.ts',
  },
  outdir: 'dist',
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  sourcemap: true,
  // What a process does not need it does not load.
  splitting: true,
  external: [...external, ...external.map((name) => `${name}/*`)],
});
// The command line starts often: everything in one file, nothing to look up, and compiled beforehand.
const small = {
  outdir: 'dist',
  platform: 'node',
  target: 'node20',
  minifySyntax: true,
  minifyWhitespace: true,
} as const;
await build({
  ...small,
  entryPoints: { zpine: 'cli/main.ts' },
  bundle: true,
  format: 'cjs',
  outExtension: { '.js': '.cjs' },
});
await build({ ...small, entryPoints: { zpine: 'cli/start.ts' }, format: 'esm' });
rmSync('dist/zpine.cache', { force: true });
spawnSync(process.execPath, ['dist/zpine.js', 'device', 'list', '--help'], {
  env: { ...process.env, ZPINE_PREPARE: '1' },
  stdio: 'ignore',
});
if (existsSync('console/index.html')) {
  const { build: viteBuild } = await import('vite');
  await viteBuild({ root: 'console', logLevel: 'warn' });
}
writeFileSync(STAMP, digest);
