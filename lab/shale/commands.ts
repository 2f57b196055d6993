/** The one command of a Shale host that has to do with its configuration, and the few of Linux that it knows. */
import type { Facts } from '../facts.ts';
import type { Images } from '../images.ts';
import type { Hears } from '../hears.ts';
import type { Ended } from '../ssh.ts';
import { actOf, tellBeside } from './beside.ts';
import { fileCommand, type FileFaults, type HostFiles } from './files.ts';

const forms = [
  /^host [A-Za-z0-9._-]+$/,
  /^zone \S+$/,
  /^(ntp|dns|log) \d{1,3}(\.\d{1,3}){3}$/,
  /^user [a-z][a-z0-9._-]* word \S+$/,
  /^user [a-z][a-z0-9._-]* key [a-z0-9@.-]+ [A-Za-z0-9+/]+=*$/,
  /^address [a-z][a-z0-9.]* \d{1,3}(\.\d{1,3}){3}\/\d{1,2}$/,
  /^route \d{1,3}(\.\d{1,3}){3}\/\d{1,2} \d{1,3}(\.\d{1,3}){3}$/,
  /^port [a-z0-9]+ (up|down)$/,
  /^report https?:\/\/\S+$/,
];
const single = /^(host|zone|report) /;

/** Why a line is none of its configuration; undefined where it is one. */
export const unfitLine = (line: string): string | undefined =>
  forms.some((form) => form.test(line)) ? undefined : `"${line}" is not a line of this configuration`;

export interface ShaleMemory {
  /** A file beside the configuration, in base64. */
  licence: string;
  running: string[];
  stored: string[];
}

export interface ShaleOptions {
  memory: ShaleMemory;
  about: () => Record<string, string>;
  hears: () => readonly Hears[];
  facts: Facts;
  /** Left out where it is lines alone. */
  images?: Images;
  files: HostFiles;
  fileFaults: FileFaults;
  note: (what: string) => void;
  keep: () => string | undefined;
  reboot: () => void;
  fault: (line: string) => 'turn down' | 'swallow' | undefined;
  /** A line of a change was taken; gives whether the session ends there. */
  changed: () => boolean;
  /** What runs now comes back by itself after so many seconds, unless it is held; undefined: it is held. */
  guard: (seconds: number | undefined) => void;
}

const ok = (all: readonly string[]): Ended => ({ out: all.map((line) => `${line}\n`).join(''), wrong: '', status: 0 });
const wrong = (why: string, status = 1): Ended => ({ out: '', wrong: `shale: ${why}\n`, status });

/** Words of a command line; only single quotes are known. */
function wordsOf(command: string): string[] {
  const out: string[] = [];
  for (const match of command.matchAll(/((?:'[^']*'|\\.|[^\s'\\])+)/g))
    out.push(
      (match[1] ?? '').replace(/'([^']*)'|\\(.)/g, (_, inside?: string, escaped?: string) => inside ?? escaped ?? ''),
    );
  return out;
}

export function execute(command: string, options: ShaleOptions): Ended {
  const [program = '', verb = '', line = '', ...more] = wordsOf(command);
  const { memory } = options;
  if (program === 'ip' && command === 'ip -brief address') return ok(addresses(memory, options.hears()));
  if (program === 'ip' && command === 'ip neighbour')
    return ok(
      options
        .hears()
        .flatMap(({ on, address, mac }) => (address && mac ? [`${address} dev ${on} lladdr ${mac} REACHABLE`] : [])),
    );
  if (command === 'base64 /etc/shale/licence') return ok([options.memory.licence]);
  if (command === 'uptime') return ok([' 10:02:11 up 12 days,  1 user,  load average: 0.08, 0.02, 0.01']);
  if (command === 'reboot') {
    options.reboot();
    return ok([]);
  }
  const told = tellBeside(command, memory.running, options.facts) ?? actOf(command, memory.running, options.facts);
  if (told) return told;
  const filed = fileCommand(command, options.files, options.fileFaults);
  if (filed) return filed;
  const reloaded = /^systemctl reload (\S+)$/.exec(command)?.[1];
  if (reloaded !== undefined) {
    options.note(`${reloaded} read its files again`);
    return ok([]);
  }
  if (program !== 'shale') return { out: '', wrong: `sh: ${program}: not found\n`, status: 127 };
  const system = options.images && systemCommand(verb, line, options.images);
  if (system) return system;
  if (more.length > 0) return wrong(`${verb} takes one line`);
  switch (verb) {
    case 'show':
      return ok([`# since ${new Date().toISOString()}`, ...memory.running]);
    case 'stored':
      return ok(memory.stored);
    case 'about':
      return ok(Object.entries(options.about()).map(([name, value]) => `${name}=${value}`));
    case 'kin':
      return ok(
        options.hears().flatMap(({ on, neighbour, port }) => (neighbour ? [`${on} ${neighbour} ${port}`] : [])),
      );
    case 'macs':
      return ok(options.hears().flatMap(({ on, mac, vlan }) => (mac ? [`${mac} vlan ${vlan ?? 1} ${on}`] : [])));
    case 'licence':
      if (!/^[A-Za-z0-9+/]+=*$/.test(line)) return wrong('that is no licence');
      memory.licence = line;
      return ok([]);
    case 'keep': {
      const why = options.keep();
      return why === undefined ? ok([]) : wrong(why);
    }
    case 'guard':
      if (!/^[1-9][0-9]{0,3}$/.test(line)) return wrong('guard takes a number of seconds');
      options.guard(Number(line));
      return ok([]);
    case 'hold':
      options.guard(undefined);
      return ok([]);
    case 'take':
      return take(line, options);
    case 'drop': {
      const at = memory.running.indexOf(line);
      if (at < 0) return wrong(`there is no "${line}"`);
      memory.running.splice(at, 1);
      return { ...ok([]), ends: options.changed() };
    }
    default:
      return wrong(`it knows show, stored, about, kin, macs, clock, take, drop, guard, hold and keep, not ${verb}`, 2);
  }
}

/** What has to do with its images. */
function systemCommand(verb: string, file: string, images: Images): Ended | undefined {
  if (verb === 'images') return ok([`running=${images.runs}`, `default=${images.next}`, `free=${images.free}`]);
  if (verb !== 'default' && verb !== 'unfetch') return undefined;
  const why = verb === 'default' ? images.startWith(file) : images.drop(file);
  return why === undefined ? ok([]) : wrong(why);
}

function take(line: string, { memory, fault, changed }: ShaleOptions): Ended {
  const how = fault(line);
  if (how === 'turn down') return wrong('internal fault');
  if (how === 'swallow') return ok([]);
  const unfit = unfitLine(line);
  if (unfit !== undefined) return wrong(unfit);
  if (memory.running.includes(line)) return ok([]);
  const head = single.exec(line)?.[1];
  const before = head === undefined ? -1 : memory.running.findIndex((one) => one.startsWith(`${head} `));
  if (before >= 0) memory.running[before] = line;
  else memory.running.push(line);
  return { ...ok([]), ends: changed() };
}

function addresses({ running }: ShaleMemory, hears: readonly Hears[]): string[] {
  const names = [...new Set(running.flatMap((line) => /^(?:address|port) (\S+) /.exec(line)?.[1] ?? []))];
  return names.map((name) => {
    const address = running.map((line) => /^address (\S+) (\S+)$/.exec(line)).find((m) => m?.[1] === name)?.[2] ?? '';
    const up =
      !running.includes(`port ${name} down`) &&
      (name.startsWith('lo') || address !== '' || hears.some((one) => one.on === name));
    return `${name.padEnd(16)} ${(up ? 'UP' : 'DOWN').padEnd(14)} ${address}`.trimEnd();
  });
}
