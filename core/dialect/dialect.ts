/** A dialect sheet, ready for use: its patterns compiled, its small rules as functions. */
import { parseConfig, walk, type ConfigLine } from '../config/tree.ts';
import { Masker } from '../secrets/masking.ts';
import { compilePattern, type Pattern } from '../text/pattern.ts';
import { samenessOf, type Sameness } from './sameness.ts';
import { blankFaults, blankValues, filledIn } from './blanks.ts';
import { interfaceNames } from './interfaceNames.ts';
import { PATH } from './path.ts';
import { secretFinder } from './secrets.ts';
import type { DialectSheet } from './sheet.ts';

export interface Dialect extends Sameness {
  name: string;
  sheet: DialectSheet;
  /** Whether the last line of what was received is a prompt. */
  isPrompt: (line: string) => boolean;
  /** The reason of a refusal in what a command answered. */
  refusal: (answer: string) => string | undefined;
  isRead: (command: string) => boolean;
  /** The configuration as a tree, without comments and lines that differ each time. */
  parse: (text: string) => ConfigLine[];
  /** The same text without lines that differ from one reading to the next: what makes two readings alike. */
  steady: (text: string) => string;
  /** The values that the sheet knows to be secret, wherever they stand: in lines, in blocks, in blocks on one line. */
  secretsIn: (text: string) => string[];
  /** Without them, wherever they are repeated. */
  masked: (text: string) => string;
  /** What makes two lines take each other's place, of a line with the blocks around it; undefined where nothing does. */
  singleHead: (path: readonly string[]) => string | undefined;
  /** Whether a line begins a block, even where nothing stands in it. */
  opens: (path: readonly string[]) => boolean;
  /** The name that an interface has on the device, from its name in the records. */
  interfaceName: (name: string) => string;
  /** The name that the records have for an interface of the device; undefined where there is none for it. */
  recordsName: (name: string) => string | undefined;
  /** The port that a line with its blocks is about, as the configuration calls it. */
  portOf: (path: string) => string | undefined;
  /** Ports that a configuration has lines about, live unless a line shuts them. */
  portsIn: (text: string) => Map<string, 'live' | 'still'>;
  /** Whether a state in its answers means that a port is up. */
  isLive: (state: string) => boolean;
  wayIn: (text: string) => WayIn;
  /** The same of a tree that was not read, but worked out. */
  wayInOf: (tree: readonly ConfigLine[]) => WayIn;
  /** The command of a named question, its blanks filled in; undefined where there is none, or blanks are not filled in. */
  askedBy: (question: string, given?: Readonly<Record<string, string>>) => string | undefined;
  /** The rows of fields in the answer to a named question. */
  rowsOf: (question: string, answer: string) => Record<string, string>[];
  /** The names of all fields that rows of it may have. */
  fieldsOf: (question: string) => string[];
  /** All lines of a configuration, each with the blocks that it stands in. */
  lines: (text: string) => string[];
  /** Those of such lines that open another way in than SSH; null where the sheet does not tell. */
  otherDoors: (lines: readonly string[]) => string[] | null;
  /** What a configuration says that settings say, too, in the order of its lines. */
  settingsIn: (text: string) => { setting: string; value: string }[];
}

/** What a rendered configuration will let the service in by. */
export interface WayIn {
  /** Interface names with the addresses that they will have. */
  /** `needs`: the VLAN that the address lies in, where its interface is one of a VLAN. */
  addresses: { on: string; address: string; needs?: string }[];
  gateway: string | undefined;
  /** User names with the digest or text of their passwords. */
  users: { name: string; password: string; sealed: boolean }[];
  /** Public keys by which users are let in, as OpenSSH writes them; null where the sheet does not tell. */
  keys: { name: string; key: string }[] | null;
  shell: boolean;
  callHome: string | undefined;
  /** Ports with the VLANs that they carry, and ports that are off; null where the sheet does not tell. */
  carriers: { port: string; vlans: string[] }[] | null;
  still: string[];
}

export { PATH };

/** Fields that a row may have, at most; and rows of an answer. */
const MOST_ROWS = 20_000;

export function dialectFrom(name: string, sheet: DialectSheet): Dialect {
  const all = (sources: readonly string[]) => sources.map(compilePattern);
  const prompt = sheet.prompt === undefined ? undefined : compilePattern(sheet.prompt);
  const refusals = all(sheet.refusals);
  const reads = all(sheet.reads);
  const volatile = all(sheet.volatile);
  const secrets = all(sheet.secrets);
  const single = all(sheet.single);
  const opens = all(sheet.opens);
  const questions = new Map<string, Reading>();
  for (const [key, { rows = [], fields = [], states }] of Object.entries(sheet.questions))
    questions.set(key, {
      rows: all(typeof rows === 'string' ? [rows] : rows),
      fields: all(fields),
      states: Object.entries(states).map(([field, words]) => ({
        field,
        words: Object.entries(words).map(([word, source]) => ({ word, pattern: compilePattern(source) })),
      })),
    });
  const isVolatile = (line: string) => volatile.some((p) => p.test(line.trim()));
  const steady = (text: string) =>
    volatile.length === 0
      ? text
      : text
          .split('\n')
          .filter((line) => !isVolatile(line))
          .join('\n');
  const parse = (text: string) => parseConfig(steady(text), sheet);
  const wayInOf = wayInReader(sheet);
  const [portLine, portStill, portLive] = [sheet.ports?.line, sheet.ports?.still, sheet.ports?.live].map((source) =>
    source === undefined ? undefined : compilePattern(source),
  );
  const { toDevice: interfaceName, toRecords } = interfaceNames(sheet.interfaceNames);
  const finder = secretFinder(secrets, sheet);
  const others = sheet.wayIn?.others ? all(sheet.wayIn.others) : null;
  const says = sheet.says.map(({ setting, line }) => ({ setting, line: compilePattern(line) }));
  return {
    ...samenessOf(sheet),
    name,
    sheet,
    isPrompt: (line) => prompt?.test(line) ?? false,
    refusal: (answer) => {
      if (refusals.length === 0) return undefined;
      for (const line of answer.split('\n'))
        for (const one of refusals) {
          const found = one.find(line.trimEnd());
          if (found) return found.why ?? line.trim();
        }
      return undefined;
    },
    isRead: (command) => !/[\u0000-\u001f\u007f]/.test(command) && reads.some((p) => p.test(command)),
    parse,
    steady,
    secretsIn: (text) => finder.find(text).values,
    masked: (text) => {
      if (secrets.length === 0) return text;
      const { masked, values } = finder.find(text);
      return new Masker(values).mask(masked);
    },
    singleHead: (path) => {
      const text = path.join(PATH);
      for (const one of single) {
        const found = one.find(text);
        if (found?.head !== undefined) return found.head;
      }
      return undefined;
    },
    opens: (path) => opens.some((one) => one.test(path.join(PATH))),
    interfaceName,
    recordsName: toRecords,
    portOf: (path) => portLine?.find(path)?.port,
    portsIn: (text) => {
      const out = new Map<string, 'live' | 'still'>();
      for (const path of portLine ? pathsOf(parse(text)) : []) {
        const port = portLine?.find(path)?.port;
        if (port !== undefined && !out.has(port)) out.set(port, 'live');
        const shut = portStill?.find(path)?.port;
        if (shut !== undefined) out.set(shut, 'still');
      }
      return out;
    },
    isLive: (state) => portLive?.test(state) ?? false,
    wayIn: (text) => wayInOf(pathsOf(parse(text))),
    wayInOf: (tree) => wayInOf(pathsOf(tree)),
    askedBy: (question, given = {}) => {
      const asked = Object.hasOwn(sheet.questions, question) ? sheet.questions[question] : undefined;
      if (!asked || blankFaults(asked.blanks, given).length > 0) return undefined;
      const values = blankValues(asked.blanks, given, { portName: interfaceName, now: new Date() });
      return filledIn(asked.command, values, sheet.channel === 'exec');
    },
    rowsOf: (question, answer) => rowsIn(questions.get(question), answer),
    fieldsOf: (question) => {
      const { rows = [], fields = [] } = questions.get(question) ?? {};
      return [...new Set([...fields, ...rows].flatMap((one) => one.groups))];
    },
    lines: (text) => pathsOf(parse(text)),
    settingsIn: (text) =>
      says.length === 0
        ? []
        : pathsOf(parse(text)).flatMap((path) =>
            says.flatMap(({ setting, line }) => {
              const value = line.find(path)?.value;
              return value === undefined || value === '' ? [] : [{ setting, value }];
            }),
          ),
    otherDoors: (lines) => others && lines.filter((line) => others.some((one) => one.test(line))),
  };
}

const pathsOf = (tree: readonly ConfigLine[]): string[] =>
  [...walk(tree)].map(({ node, above }) => [...above, node.text].join(PATH));

/** How the answer to a question is read. */
interface Reading {
  rows: Pattern[];
  fields: Pattern[];
  /** Words that are alike in all dialects. */
  states: { field: string; words: { word: string; pattern: Pattern }[] }[];
}

/** Rows of lines that a pattern of one's own fits. */
export const rowsBy = (source: string, answer: string): Record<string, string>[] =>
  rowsIn({ rows: [compilePattern(source)], fields: [], states: [] }, answer);

function rowsIn(question: Reading | undefined, answer: string): Record<string, string>[] {
  if (!question) return [];
  return rowsAsTold(question, answer).map((row) => {
    const out = { ...row };
    for (const { field, words } of question.states) {
      const said = row[field];
      const alike = said === undefined ? undefined : words.find(({ pattern }) => pattern.test(said));
      if (alike) out[field] = alike.word;
    }
    return out;
  });
}

function rowsAsTold(question: Reading, answer: string): Record<string, string>[] {
  const out: Record<string, string>[] = [];
  const gathered = new Map<string, Set<string>>();
  for (const raw of answer.split('\n')) {
    const line = raw.trimEnd();
    if (line === '') continue;
    for (const pattern of question.fields) {
      const found = pattern.find(line);
      if (found)
        for (const [key, value] of Object.entries(found))
          gathered.set(key, (gathered.get(key) ?? new Set()).add(value));
    }
    if (out.length >= MOST_ROWS) continue;
    for (const pattern of question.rows) {
      const found = pattern.find(line);
      if (!found) continue;
      out.push(found);
      break;
    }
  }
  if (gathered.size === 0) return out;
  // What is said several times, such as servers, is one field with all of it.
  return [Object.fromEntries([...gathered].map(([key, values]) => [key, [...values].join(', ')])), ...out];
}

/** What one line says about the way in. */
interface LineSays {
  on?: WayIn['addresses'][number];
  carrier?: NonNullable<WayIn['carriers']>[number];
  still?: string | undefined;
  user?: { name: string; password: string; sealed: boolean };
  key?: { name: string; key: string };
  gateway?: string | undefined;
  callHome?: string | undefined;
  shell?: boolean;
}

/** So many lines are remembered: most lines of a configuration stand in those of other devices, too. */
const MOST_LINES = 4000;

function wayInReader({ wayIn }: DialectSheet): (lines: string[]) => WayIn {
  const compiled = (source: string | undefined) => (source === undefined ? undefined : compilePattern(source));
  const [address, gateway, user, sealed, key, shell, callHome, carries, still] = [
    compiled(wayIn?.address),
    compiled(wayIn?.gateway),
    compiled(wayIn?.user),
    compiled(wayIn?.sealed),
    compiled(wayIn?.key),
    compiled(wayIn?.shell),
    compiled(wayIn?.callHome),
    compiled(wayIn?.carries),
    compiled(wayIn?.still),
  ];
  const look = (line: string): LineSays => {
    const on = address?.find(line);
    const who = user?.find(line);
    const carrier = carries?.find(line);
    const byKey = key?.find(line);
    return {
      ...(byKey?.user !== undefined && byKey.key !== undefined ? { key: { name: byKey.user, key: byKey.key } } : {}),
      ...(on?.on !== undefined && on.address !== undefined
        ? {
            on: {
              on: on.vlan === undefined ? on.on : `${on.on}.${on.vlan}`,
              address: on.address,
              ...(on.needs === undefined ? {} : { needs: on.needs }),
            },
          }
        : {}),
      ...(who?.user !== undefined && who.password !== undefined
        ? { user: { name: who.user, password: who.password, sealed: sealed?.test(line) ?? false } }
        : {}),
      ...(carrier?.port !== undefined && carrier.vlans !== undefined
        ? { carrier: { port: carrier.port, vlans: carrier.vlans.split(',') } }
        : {}),
      still: still?.find(line)?.port,
      gateway: gateway?.find(line)?.gateway,
      callHome: callHome?.find(line)?.url,
      shell: shell?.test(line) ?? false,
    };
  };
  const known = new Map<string, LineSays>();
  const says = (line: string): LineSays => {
    const before = known.get(line);
    if (before) return before;
    const now = look(line);
    // Passwords are remembered by nobody.
    if (now.user) return now;
    if (known.size >= MOST_LINES) known.clear();
    known.set(line, now);
    return now;
  };
  return (lines) => {
    const way: WayIn = {
      addresses: [],
      gateway: undefined,
      users: [],
      keys: key ? [] : null,
      shell: false,
      callHome: undefined,
      carriers: carries ? [] : null,
      still: [],
    };
    if (!wayIn) return way;
    for (const line of lines) {
      const said = says(line);
      if (said.on) way.addresses.push(said.on);
      if (said.user) way.users.push(said.user);
      if (said.key) way.keys?.push(said.key);
      if (said.carrier) way.carriers?.push(said.carrier);
      if (said.still !== undefined) way.still.push(said.still);
      way.gateway = said.gateway ?? way.gateway;
      way.callHome = said.callHome ?? way.callHome;
      if (said.shell) way.shell = true;
    }
    return way;
  };
}
