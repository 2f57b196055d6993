/** Starts this program once more, for a part of its work. */
import { spawn, type ChildProcess } from 'node:child_process';

/** The kernel ends it when this process is gone, however that went and whatever it is busy with then. */
export function ownProcess(
  args: string[],
  { nodeOptions = [], stderr = 'inherit' }: { nodeOptions?: string[]; stderr?: 'inherit' | 'pipe' } = {},
): ChildProcess {
  const [script = ''] = process.argv.slice(1);
  const command = [process.execPath, ...process.execArgv, ...nodeOptions, script, ...args];
  return spawn('setpriv', ['--pdeathsig', 'KILL', ...command], { stdio: ['ignore', 'inherit', stderr, 'ipc'] });
}
