/** Lists of hosts as people keep them, read: plain lines, tables, trees of groups; what their words mean is said, remembered or guessed. */
import { outer, readIni, isIni, type Entry, type ListTree, type Plain } from '@zpine/core/lists/branches';
import { nameByAddress, readHosts, type ListedHost } from '@zpine/core/lists/hosts';
import { soundsSecret, wordsOf, type Meaning } from '@zpine/core/lists/meanings';
import { parseIp, formatIp } from '@zpine/core/addressing/ip';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Tx } from '../../store/tx.ts';
import { ListWords } from './listWords.ts';
import { yamlTree } from './listYaml.ts';
import { deviceFault, type RowFault } from './rows.ts';

type Input = BodyOf<'import.paste'>;
type Reply = ReplyOf<'import.paste'>;

/** A value that a list gives to a setting. */
export interface ListedValue {
  line: number;
  setting: string;
  /** As the list calls it. */
  word: string;
  value: Plain;
}

const deviceFields = ['dialect', 'site', 'duty', 'model'] as const;
type DeviceField = (typeof deviceFields)[number];

export interface ListHost extends ListedHost {
  fields: Partial<Record<DeviceField, string>>;
  labels: string[];
  values: ListedValue[];
}

/** What holds for all hosts with a label. */
interface ListedLabel {
  name: string;
  line: number;
  /** How deep its group stands in others; 0 for a group that stands in none. */
  depth: number;
  nested: boolean;
  values: ListedValue[];
}

export interface Listed extends Pick<Reply, 'form' | 'words' | 'groups'> {
  hosts: ListHost[];
  /** Lines that were read, right or wrong. */
  lines: Set<number>;
  labels: ListedLabel[];
  /** What holds for the whole list. */
  values: ListedValue[];
  faults: RowFault[];
}

/** ListWords that the settings of the way in go by. */
const accessSettings: Partial<Record<Meaning['is'], string>> = {
  user: 'access.user',
  password: 'access.password',
  second: 'access.second',
  port: 'access.port',
};

export async function readListed(tx: Tx, input: Input): Promise<Listed> {
  const words = await ListWords.of(tx, input.means);
  const { told } = words;
  const tree = isIni(input.text)
    ? ({ form: 'ini', tree: readIni(input.text, told) } as const)
    : yamlTree(input.text, told);
  if (tree === undefined) return plainList(input, words);
  if ('faults' in tree)
    return {
      form: 'yaml',
      hosts: [],
      lines: new Set(),
      labels: [],
      values: [],
      words: [],
      groups: [],
      faults: tree.faults,
    };
  return new TreeReading(tree.tree, words).all(tree.form);
}

function plainList(input: Input, words: ListWords): Listed {
  const read = readHosts(input.text, words.told);
  const reading = new EntryReading(words);
  const hosts = read.hosts.map((host): ListHost => {
    const entries = host.said.map((one) => ({ ...one, line: host.line }));
    return reading.host(host, entries, [], []);
  });
  for (const head of read.heads)
    if (!hosts.some((host) => host.said.some(({ word }) => word === head))) words.see({ word: head, value: '' });
  const faults = read.faults.map(({ line, code, column, value, params }): RowFault =>
    deviceFault(line, column, value, code, params),
  );
  return {
    form: 'lines',
    hosts,
    lines: new Set([...hosts.map(({ line }) => line), ...read.faults.map(({ line }) => line)]),
    labels: [],
    values: [],
    words: words.shown(),
    groups: [],
    faults: [...faults, ...reading.faults],
  };
}

/** What entries say of a host or of all hosts of a group. */
class EntryReading {
  readonly faults: RowFault[] = [];
  protected readonly words: ListWords;

  constructor(words: ListWords) {
    this.words = words;
  }

  /** `around`: what the groups say, the nearest first. */
  host(
    host: ListedHost,
    entries: readonly Entry[],
    labels: readonly string[],
    around: readonly (readonly Entry[])[],
  ): ListHost {
    const out: ListHost = { ...host, fields: {}, labels: [...labels], values: [] };
    for (const entry of entries) {
      this.words.see(entry);
      const meaning = this.words.meaning(entry.word);
      const text = textOf(entry.value);
      if (meaning === undefined || text === '') continue;
      if (meaning.is === 'labels')
        out.labels.push(...(Array.isArray(entry.value) ? entry.value.map(textOf) : text.split(/[\s,;]+/)));
      else if (meaning.is === 'note') out.note = [out.note, text].filter(Boolean).join(', ');
      else if (meaning.is === 'address') this.address(out, entry.line, text);
      else if (isField(meaning.is)) out.fields[meaning.is] = this.words.translated(entry.word, text);
      else out.values.push(...this.value(entry, meaning));
    }
    for (const field of deviceFields)
      for (const group of around) {
        const said = group.find(({ word }) => this.words.meaning(word)?.is === field);
        if (said && out.fields[field] === undefined)
          out.fields[field] = this.words.translated(said.word, textOf(said.value));
      }
    return out;
  }

  /** The setting that an entry gives a value to. */
  value(entry: Entry, meaning: Meaning): ListedValue[] {
    const setting = 'setting' in meaning ? meaning.setting : accessSettings[meaning.is];
    if (setting === undefined || entry.value === null) return [];
    if (soundsSecret(entry.word) && !this.words.isSecret(setting)) {
      this.faults.push(deviceFault(entry.line, entry.word, null, 'list-open-secret', { word: entry.word, setting }));
      return [];
    }
    return [{ line: entry.line, setting, word: entry.word, value: entry.value }];
  }

  private address(host: ListHost, line: number, text: string): void {
    const read = parseIp(text.replace(/\/\d{1,3}$/, ''));
    if (read.ok) host.addresses.push(formatIp(read.value));
    // By name: it is looked up when the device is reached.
    else if (/^[a-z0-9-]+(\.[a-z0-9-]+)+$/i.test(text) && /[a-z]/i.test(text))
      host.domain = text.toLowerCase().replace(/^[^.]+\./, '');
    else if (/^[a-z][a-z0-9-]*$/i.test(text)) return;
    else this.faults.push(deviceFault(line, 'address', text, read.fault.code, read.fault.params));
  }
}

const isField = (is: string): is is DeviceField => (deviceFields as readonly string[]).includes(is);

const textOf = (value: Plain): string =>
  value === null
    ? ''
    : Array.isArray(value)
      ? value.map(textOf).join(',')
      : typeof value === 'object'
        ? JSON.stringify(value)
        : String(value).trim();

class TreeReading extends EntryReading {
  private readonly tree: ListTree;

  constructor(tree: ListTree, words: ListWords) {
    super(words);
    this.tree = tree;
  }

  all(form: 'ini' | 'yaml'): Listed {
    const { tree, words } = this;
    for (const { line, code, value } of tree.faults)
      this.faults.push(deviceFault(line, 'name', value, code, { value }));
    const broken = tree.faults.some(({ code }) => code === 'list-round');
    const hosts = broken ? [] : [...tree.hosts.values()].map((host) => this.treeHost(host));
    const labels = broken ? [] : this.labels();
    const counted = new Map<string, number>();
    for (const host of tree.hosts.values())
      for (const name of outer(tree, [...host.groups]).keys()) counted.set(name, (counted.get(name) ?? 0) + 1);
    return {
      form,
      hosts,
      lines: new Set([...tree.hosts.values()].map(({ line }) => line)),
      labels,
      values: this.shared(tree.entries),
      words: words.shown(),
      groups: [...tree.groups.keys()].map((name) => ({
        group: name,
        hosts: counted.get(name) ?? 0,
        means: wordsOf(words.group(name)),
        by: words.groupBy(name),
      })),
      faults: this.faults,
    };
  }

  private treeHost({
    name: typed,
    line,
    groups,
    entries,
  }: {
    name: string;
    line: number;
    groups: Set<string>;
    entries: Entry[];
  }): ListHost {
    const { tree, words } = this;
    const around = [...outer(tree, [...groups])].sort((a, b) => a[1] - b[1]).map(([name]) => name);
    const ip = parseIp(typed);
    const name = ip.ok ? nameByAddress(formatIp(ip.value)) : (typed.split('.')[0] ?? typed);
    const listed: ListedHost = {
      line,
      name,
      addresses:
        ip.ok && !entries.some(({ word }) => words.meaning(word)?.is === 'address') ? [formatIp(ip.value)] : [],
      again: [],
      note: null,
      said: [],
      domain: !ip.ok && typed.includes('.') ? typed.slice(typed.indexOf('.') + 1) : null,
    };
    const labels = around.flatMap((group) => {
      const meaning = words.group(group);
      return meaning.is === 'label' ? [meaning.of] : [];
    });
    const host = this.host(listed, entries, labels, [
      ...around.map((group) => tree.groups.get(group)?.entries ?? []),
      tree.entries,
    ]);
    for (const group of around) {
      const meaning = words.group(group);
      if (isField(meaning.is) && 'of' in meaning) host.fields[meaning.is] ??= meaning.of;
    }
    return host;
  }

  private labels(): ListedLabel[] {
    const { tree, words } = this;
    return [...tree.groups.values()].flatMap((group) => {
      const meaning = words.group(group.name);
      const values = this.shared(group.entries);
      if (meaning.is !== 'label') {
        for (const { line, word } of values)
          this.faults.push(deviceFault(line, word, null, 'list-no-label', { group: group.name, word }));
        return [];
      }
      const depth = Math.max(0, ...outer(tree, [...group.within]).values()) + (group.within.size > 0 ? 1 : 0);
      const nested = group.within.size > 0 || [...tree.groups.values()].some(({ within }) => within.has(group.name));
      return [{ name: meaning.of, line: group.line, depth, nested, values }];
    });
  }

  /** Of a group: what is a setting. What is a field of devices is taken by them. */
  private shared(entries: readonly Entry[]): ListedValue[] {
    return entries.flatMap((entry) => {
      this.words.see(entry);
      const meaning = this.words.meaning(entry.word);
      return meaning === undefined || isField(meaning.is) ? [] : this.value(entry, meaning);
    });
  }
}
