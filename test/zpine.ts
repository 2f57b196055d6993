/** The built command line, run as a person does, with a configuration folder of its own. */
import { spawn } from 'node:child_process';
import { expect } from 'chai';

export interface Said {
  out: string;
  err: string;
  status: number;
}

export function zpineIn(home: string) {
  const zpineWith = (input: string, env: Record<string, string>, ...args: string[]): Promise<Said> => {
    const child = spawn(process.execPath, ['dist/zpine.js', ...args], {
      env: { ...process.env, XDG_CONFIG_HOME: home, ...env },
      stdio: ['pipe', 'pipe', 'pipe'],
    });
    child.stdin.end(input);
    const said: Said = { out: '', err: '', status: 0 };
    child.stdout.on('data', (chunk: Buffer) => (said.out += chunk.toString()));
    child.stderr.on('data', (chunk: Buffer) => (said.err += chunk.toString()));
    return new Promise((done) => child.once('close', (code) => done({ ...said, status: code ?? -1 })));
  };
  const zpine = (...args: string[]) => zpineWith('', {}, ...args);
  /** For a command that must succeed: what it said. */
  const well = async (...args: string[]): Promise<string> => {
    const { out, err, status } = await zpine(...args);
    expect(status, `zpine ${args.join(' ')}: ${err}`).to.equal(0);
    return out.trimEnd();
  };
  return { zpineWith, zpine, well };
}
