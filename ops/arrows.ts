/** The arrows between the parts: which may import which, and that no files import one another in a ring. */
import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import { dirname, join, normalize, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import ts from 'typescript';

/** The longest folder that a file is in is its part. A part may import itself and what is listed. */
const arrows: Record<string, string[]> = {
  core: [],
  contract: ['core'],
  'service/store': ['contract', 'core'],
  'service/app': ['service/store', 'contract', 'core'],
  'service/http': ['service/app', 'service/store', 'contract', 'core'],
  'service/boot': ['service/app', 'service/store', 'contract', 'core'],
  'service/fleet': ['service/app', 'service/store', 'contract', 'core'],
  service: ['service/http', 'service/boot', 'service/fleet', 'service/app', 'service/store', 'contract', 'core'],
  cli: ['contract', 'core'],
  console: ['contract', 'core'],
  lab: ['core'],
  demo: ['contract', 'core'],
  ops: ['demo', 'lab', 'service', 'service/store', 'contract', 'core'],
  trials: ['ops', 'demo', 'lab', 'contract', 'core'],
  test: [
    'bench',
    'trials',
    'ops',
    'demo',
    'lab',
    'service',
    'service/store',
    'service/app',
    'service/http',
    'service/boot',
    'contract',
    'core',
  ],
  bench: ['ops', 'demo', 'lab', 'service', 'service/store', 'service/app', 'service/boot', 'contract', 'core'],
};

/** Parts that must run anywhere: nothing of Node's own in them. */
const anywhere = ['core', 'contract', 'console'];

const partOf = (file: string): string | undefined =>
  Object.keys(arrows)
    .filter((part) => file.startsWith(`${part}/`))
    .sort((a, b) => b.length - a.length)[0];

/**
 * Faults in a set of files: `path -> what it imports`, imports already resolved to paths or package names. `atOnce` is
 * without what a file asks for later: that makes no ring, since both are there by then.
 */
export function faultsIn(graph: Map<string, string[]>, atOnce = graph): string[] {
  const faults: string[] = [];
  for (const [file, imports] of graph) {
    const part = partOf(file);
    if (!part) {
      faults.push(`${file}: belongs to no part`);
      continue;
    }
    const test = /\.test\.tsx?$/.test(file);
    for (const target of imports) {
      if (target.startsWith('node:') && anywhere.includes(part) && !test)
        faults.push(`${file}: ${part} must run anywhere, but imports ${target}`);
      if (!graph.has(target)) continue;
      const other = partOf(target) ?? '';
      const allowed = [part, ...(arrows[part] ?? []), ...(test ? ['ops', 'test'] : [])];
      if (!allowed.includes(other)) faults.push(`${file}: ${part} must not import ${other} (${target})`);
    }
  }
  return [...faults, ...rings(atOnce)];
}

/** Files that import one another in a ring. */
function rings(graph: Map<string, string[]>): string[] {
  const done = new Set<string>();
  const way: string[] = [];
  const faults: string[] = [];
  const visit = (file: string): void => {
    const at = way.indexOf(file);
    if (at >= 0) {
      faults.push(`a ring: ${[...way.slice(at), file].join(' -> ')}`);
      return;
    }
    if (done.has(file)) return;
    way.push(file);
    for (const target of graph.get(file) ?? []) if (graph.has(target)) visit(target);
    way.pop();
    done.add(file);
  };
  for (const file of graph.keys()) visit(file);
  return faults;
}

function* sources(folder: string): Generator<string> {
  for (const name of readdirSync(folder).sort()) {
    const path = join(folder, name);
    if (name === 'node_modules' || name === 'dist') continue;
    if (statSync(path).isDirectory()) yield* sources(path);
    else if (/\.tsx?$/.test(name) && !name.endsWith('.d.ts') && name !== 'vite.config.ts') yield path;
  }
}

function resolve(from: string, specifier: string): string {
  if (specifier.startsWith('@zpine/')) return `${specifier.slice('@zpine/'.length)}.ts`;
  if (!specifier.startsWith('.')) return specifier;
  return normalize(join(dirname(from), specifier));
}

/** `import('...')`: asked for when it is needed. */
const LATER = /\bimport\(\s*'([^']+)'/g;

export function readGraph(root: string): { graph: Map<string, string[]>; atOnce: Map<string, string[]> } {
  const folders = [...new Set(Object.keys(arrows).map((part) => part.split('/')[0] ?? ''))].filter((f) =>
    existsSync(join(root, f)),
  );
  const graph = new Map<string, string[]>();
  const atOnce = new Map<string, string[]>();
  for (const path of folders.flatMap((folder) => [...sources(join(root, folder))])) {
    const file = relative(root, path);
    const source = readFileSync(path, 'utf8');
    const named = ts.preProcessFile(source, true, true).importedFiles.map(({ fileName }) => fileName);
    const later = new Set(Array.from(source.matchAll(LATER), ([, name]) => name));
    graph.set(
      file,
      named.map((name) => resolve(file, name)),
    );
    atOnce.set(
      file,
      named.filter((name) => !later.has(name)).map((name) => resolve(file, name)),
    );
  }
  return { graph, atOnce };
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const { graph, atOnce } = readGraph(process.cwd());
  const faults = faultsIn(graph, atOnce);
  for (const fault of faults) process.stderr.write(`${fault}\n`);
  process.stdout.write(`arrows: ${graph.size} files, ${faults.length} faults\n`);
  process.exit(faults.length > 0 ? 1 : 0);
}
