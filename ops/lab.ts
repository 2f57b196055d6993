/** `./run lab`: the simulated devices of a running demo, by the lab's control API. */
import { existsSync, readFileSync } from 'node:fs';
import type { DeviceState as Device } from '@zpine/lab/lab';
import type { Letter } from '@zpine/lab/mail';

const usage = `usage: ./run lab COMMAND

  list                      all simulated devices
  show NAME                 one device, with what it did lately
  running NAME              the configuration that it runs
  on NAME | off NAME        power
  erase NAME                empty its memory: with the next power-on it boots from the network
  fault NAME FAULT ...      switch faults on;  clear NAME FAULT ... switches them off
  faults                    what can be wrong
  plug NAME RELAY [CIRCUIT] plug it in elsewhere (it must be off)
  letters                   the e-mail that came: notices of what is watched
  new NAME SERIAL MAC RELAY [MODEL]   another box, switched off
`;

export async function labCommand(args: string[], controlFile: string): Promise<void> {
  const [command = '', name = '', ...rest] = args;
  if (['', 'help', '--help', '-h'].includes(command)) return print(usage);
  if (!existsSync(controlFile)) throw new Error('no lab runs here: ./run demo starts it');
  const base = readFileSync(controlFile, 'utf8').trim();
  const ask = async (path: string, body?: object, method = body === undefined ? 'GET' : 'POST'): Promise<Response> => {
    const response = await fetch(`${base}${path}`, {
      method,
      ...(body === undefined ? {} : { body: JSON.stringify(body), headers: { 'Content-Type': 'application/json' } }),
    }).catch(() => {
      throw new Error('the lab does not answer: ./run demo starts it');
    });
    if (!response.ok) throw new Error(((await response.json()) as { detail: string }).detail);
    return response;
  };
  const device = async (path: string, body?: object): Promise<void> =>
    show((await (await ask(path, body)).json()) as Device);
  /** What is done to a device is told in its own line; its diary is for `show`. */
  const done = async (path: string, body: object): Promise<void> => {
    const now = (await (await ask(path, body)).json()) as Device;
    list([now]);
    if (now.faults.length > 0)
      print(`  ./run lab clear ${now.name} ${now.faults.join(' ')}   takes back what is wrong\n`);
  };
  switch (command) {
    case 'list':
      return list((await (await ask('/devices')).json()) as Device[]);
    case 'faults':
      for (const [word, about] of Object.entries((await (await ask('/faults')).json()) as Record<string, string>))
        print(`${word.padEnd(16)}${about}\n`);
      return;
    case 'letters':
      for (const letter of (await (await ask('/letters')).json()) as Letter[])
        print(`to ${letter.to.join(', ')}: ${letter.text}\n\n`);
      return;
    case 'show':
      return device(`/devices/${name}`);
    case 'running':
      return print(await (await ask(`/devices/${name}/running`)).text());
    case 'on':
    case 'off':
    case 'erase':
      return done(`/devices/${name}/${command}`, {});
    case 'fault':
      return done(`/devices/${name}/faults`, { add: rest });
    case 'clear':
      return done(`/devices/${name}/faults`, { remove: rest });
    case 'plug':
      return done(`/devices/${name}/plug`, { relay: rest[0], ...(rest[1] ? { circuit: rest[1] } : {}) });
    case 'new':
      return done('/devices', { name, serial: rest[0], mac: rest[1], relay: rest[2], model: rest[3] ?? 'LF-24' });
    default:
      process.stderr.write(`no command '${command}'\n${usage}`);
      process.exitCode = 2;
  }
}

const print = (text: string): void => void process.stdout.write(text);
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  // The reader went away, as `| head` does: nothing is wrong.
  if (error.code === 'EPIPE') process.exit(0);
  throw error;
});

function list(devices: Device[]): void {
  for (const d of devices) {
    const state = d.on ? `on${d.address ? `, ${d.address}` : d.leased ? `, leased ${d.leased}` : ''}` : 'off';
    print(
      `${d.name.padEnd(16)}${d.model.padEnd(8)}${d.serial.padEnd(15)}${d.mac.padEnd(19)}${(d.relay ?? '').padEnd(13)}${state}${d.faults.length > 0 ? `  (${d.faults.join(', ')})` : ''}\n`,
    );
  }
}

function show(d: Device): void {
  list([d]);
  if (d.circuit) print(`  hangs on ${d.circuit}\n`);
  print(`  memory   ${d.kept ? 'holds a configuration' : 'empty'}\n`);
  for (const { at, text } of d.log) print(`  ${at.slice(11, 19)} ${text}\n`);
}
