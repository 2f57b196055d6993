/** What a document tells people to type, typed on a fresh demo in its order, as they would. */
import { spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';

/** No command of a document takes longer. */
const COMMAND_MS = 60_000;

export interface Typed {
  line: number;
  /** Without the remark behind it. */
  command: string;
  /** What the document shows below it. */
  shown: string[];
}

/** Commands in fenced blocks: lines after `$ `, or that begin with zpine or ./run. */
export function commandsIn(document: string): Typed[] {
  const out: Typed[] = [];
  let [inside, typed] = [false, false];
  for (const [i, line] of readFileSync(document, 'utf8').split('\n').entries()) {
    if (line.startsWith('```')) [inside, typed] = [!inside, false];
    else if (inside) {
      const prompted = /^\$ (.+)$/.exec(line)?.[1];
      const text = prompted ?? (/^(zpine|\.\/run) /.test(line) ? line : undefined);
      if (text !== undefined) {
        out.push({ line: i + 1, command: text.replace(/ +# .*$/, ''), shown: [] });
        typed = true;
      } else if (typed && line.trim() !== '') out.at(-1)?.shown.push(line.trim());
    }
  }
  return out;
}

export interface Walk {
  /** Types a command line in a shell. Whoever is `there` sits at a terminal, and gives the number that is asked for, or a yes. */
  type: (command: string, there?: { answers: string[] }) => Promise<{ said: string; status: number }>;
  end: () => Promise<void>;
}

/** A demo of its own, with `zpine` on the path and somebody signed in. */
export async function walkThrough(files: Record<string, string>): Promise<Walk> {
  const home = mkdtempSync(join(tmpdir(), 'zpine-document-'));
  const state = join(home, 'state');
  const here = join(home, 'folder');
  const bin = join(home, 'bin');
  for (const folder of [here, bin]) mkdirSync(folder, { recursive: true });
  for (const [name, text] of Object.entries(files)) {
    mkdirSync(join(here, name, '..'), { recursive: true });
    writeFileSync(join(here, name), text);
  }
  const script = (path: string, built: string) => {
    writeFileSync(path, `#!/bin/sh\nexec '${process.execPath}' '${resolve('dist', built)}' "$@"\n`);
    chmodSync(path, 0o755);
  };
  script(join(bin, 'zpine'), 'zpine.js');
  // The front door sets up what is missing, which a test run has done; the rest is the same.
  writeFileSync(
    join(here, 'run'),
    `#!/bin/sh\ncd '${resolve('.')}' && exec '${process.execPath}' dist/launch.js "$@"\n`,
    { mode: 0o755 },
  );
  const env = { ...process.env, ZPINE_STATE: state, ZPINE_LISTEN_PORT: '0', XDG_CONFIG_HOME: join(home, 'config') };
  const { child, said } = await started(env);
  const type: Walk['type'] = (command, there) => {
    const [program, args] = there ? ['script', ['-qefc', command, '/dev/null']] : ['bash', ['-c', command]];
    const shell = spawn(program, args, {
      cwd: here,
      env: { ...env, PATH: `${bin}:${process.env.PATH ?? ''}`, SHELL: '/bin/bash', TERM: 'dumb' },
      stdio: ['pipe', 'pipe', 'pipe'],
      detached: true,
    });
    // What waits for something that never comes is ended, with all that it started.
    const limit = setTimeout(() => process.kill(-(shell.pid ?? 0), 'SIGTERM'), COMMAND_MS);
    shell.stdin.on('error', () => undefined);
    if (!there) shell.stdin.end();
    const answers = [...(there?.answers ?? [])];
    let [out, asked] = ['', ''];
    for (const stream of [shell.stdout, shell.stderr])
      stream.on('data', (chunk: Buffer) => {
        out += chunk.toString();
        asked += chunk.toString();
        // One answer to a question, once it was asked.
        if (!there || !/[:\]?] $/.test(asked)) return;
        shell.stdin.write(
          `${/Type (\d+) to go on: $/.exec(asked)?.[1] ?? (/\[y\/N\] $/.test(asked) ? 'y' : answers.shift()) ?? ''}\n`,
        );
        asked = '';
      });
    return new Promise((done) =>
      shell.once('close', (code) => {
        clearTimeout(limit);
        done({ said: out, status: code ?? -1 });
      }),
    );
  };
  const end = async () => {
    const ended = new Promise((done) => child.once('exit', done));
    child.kill('SIGTERM');
    await ended;
    rmSync(home, { recursive: true, force: true });
  };
  const [, url = '', password = ''] = /console +(\S+)[\s\S]*m\.lind \/ (\S+)/.exec(said) ?? [];
  const { status, said: signIn } = await type(`echo ${password} | zpine sign-in ${url} --user m.lind`);
  if (status !== 0) throw new Error(`nobody is signed in: ${signIn}`);
  return { type, end };
}

async function started(env: NodeJS.ProcessEnv): Promise<{ child: ChildProcess; said: string }> {
  const child = spawn(process.execPath, ['dist/launch.js', 'demo'], { env, stdio: ['ignore', 'pipe', 'inherit'] });
  let said = '';
  await new Promise<void>((done, fail) => {
    child.stdout.on('data', (chunk: Buffer) => {
      said += chunk.toString();
      if (said.includes('Ctrl-C')) done();
    });
    child.once('exit', () => fail(new Error(`the demo ended early: ${said}`)));
  });
  return { child, said };
}

/** Times, digests and the like are others each time; all else is compared as it stands. */
const steady = (text: string): string =>
  text
    .replace(/\d\d:\d\d:\d\d/g, 'TIME')
    .replace(/\d{4}-\d\d-\d\d([T ]\d\d:\d\d(:\d\d)?(Z|[+-]\d\d:\d\d)?)?/g, 'DAY')
    .replace(/SHA256:\S+/g, 'PRINT')
    .replace(/\b[0-9a-f]{8,}\b/g, 'DIGEST')
    .replace(/\d+(\.\d+)? (s|ms|min|h|d)\b/g, 'SPAN')
    .replace(/#\d+|\brun \d+|\bset \d+/g, 'NUMBER')
    .replace(/127\.\d+\.\d+\.\d+:\d+/g, 'HOST')
    .replace(/\s+/g, ' ')
    .trim();

/** The shown lines that were not said; an ellipsis stands for anything. */
export function missingIn(shown: readonly string[], said: string): string[] {
  const all = steady(said);
  return shown.filter(
    (line) =>
      !line
        .split('…')
        .map(steady)
        .filter((piece) => piece !== '')
        .every((piece) => all.includes(piece)),
  );
}
