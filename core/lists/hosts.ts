/** Names and addresses as people have them: lines of a hosts file, a table copied from a spreadsheet. */
import { formatIp, parseIp, type Ip } from '../addressing/ip.ts';
import { cellsOf, linesOf, separatorOf, type Line } from './cells.ts';
import { guessMeaning, hostWords, type Meaning } from './meanings.ts';

export interface ListedHost {
  line: number;
  name: string;
  /** As RFC 5952 writes them; one of each family, and those that are `again`. */
  addresses: string[];
  /** Further addresses of a family that it has one of: only a device that is known has several. */
  again: { line: number; address: string }[];
  /** What else stood in the line. */
  note: string | null;
  /** What columns with a head say of it: by the word of the head. */
  said: { word: string; value: string }[];
  /** Where the name is a whole one of DNS: what stands behind the first dot. */
  domain: string | null;
}

export interface HostFault {
  line: number;
  code:
    'paste-row' | 'import-twice' | 'address-syntax' | 'address-octet' | 'address-leading-zero' | 'address-short-form';
  column: 'name' | 'address';
  value: string;
  params: Record<string, string | number>;
}

/** Cells that say that there is no address. */
const noAddress = /^(-+|–|none|n\/?a|unassigned|not assigned|tbd|todo|dhcp|\?)?$/i;
/** Names that every hosts file has, and that are nobody's device. */
const everyFile = /^(localhost(\..*)?|ip6-.*|broadcasthost|loopback)$/i;

/** Loopback and what a machine keeps for itself (RFC 1122, RFC 4291). */
const ownOnly = /^(127\.|::1$|fe00::|ff0[0-9a-f]::)/;

const headWords = {
  name: /^(name|host|hostname|host name|device|system|box|switch|router)$/i,
  address: /^(address|ip|ip address|ipv4|ipv6|management|management address|mgmt|mgmt ip)$/i,
};

/** A host that only has an address is called by it, until it has said its name. */
export const nameByAddress = (address: string): string => `at-${address.replace(/[.:]+/g, '-').replace(/-$/, '')}`;

const nameShape = /^[a-z0-9][a-z0-9._-]*$/i;
const hasLetter = (text: string): boolean => /[a-z]/i.test(text);

const ipOf = (cell: string): Ip | undefined => {
  const read = parseIp(cell.replace(/\/\d{1,3}$/, ''));
  return read.ok ? read.value : undefined;
};
/** Digits and dots, or colons: somebody meant an address. */
const likeAddress = (cell: string): boolean =>
  /^[0-9]+(\.[0-9]+){2,}(\/\d+)?$/.test(cell) || (/^[0-9a-f:.]+$/i.test(cell) && cell.split(':').length > 2);

/** `told`: what the heads of columns mean, where that was said. */
export function readHosts(
  text: string,
  told: (word: string) => Meaning | undefined = () => undefined,
): { hosts: ListedHost[]; faults: HostFault[]; heads: string[] } {
  const lines = withoutInterfaces(linesOf(text));
  const separator = separatorOf(lines.map((line) => line.text));
  const hosts = new Map<string, ListedHost>();
  const faults: HostFault[] = [];
  const columns = headsIn(cellsOf(lines[0]?.text ?? '', separator), told);
  for (const line of columns ? lines.slice(1) : lines) {
    // The address, a tab, and all the names in one: a line of a hosts file, whatever the other lines are.
    const inOne = separator === '\t' && !columns && isHostsLine(cellsOf(line.text, separator));
    const read = readLine(line, inOne ? null : separator, columns);
    if (read === undefined) continue;
    if ('code' in read) faults.push(read);
    else join(hosts, read, faults);
  }
  return {
    hosts: [...hosts.values()],
    faults,
    heads: columns ? [...columns.said, ...columns.rest].map(({ word }) => word) : [],
  };
}

/** `10.77.16.11 <tab> ard-acc-1.brackwater.example ard-acc-1` (hosts(5)). */
function isHostsLine(cells: string[]): boolean {
  const [address = '', names = '', ...more] = cells.filter((cell) => cell !== '');
  return ipOf(address) !== undefined && more.length === 0 && names.split(/\s+/).every((name) => nameShape.test(name));
}

/**
 * An interface stands in a hosts file as `cu2-316.ard-xr-1.brackwater.example`, and its device in a line of its own. Gives the lines without those of interfaces.
 */
function withoutInterfaces(lines: Line[]): Line[] {
  const namesIn = ({ text }: Line): string[] => text.trim().toLowerCase().split(/\s+/).slice(1);
  const all = new Set(lines.flatMap(namesIn));
  return lines.filter((line) => {
    const [name = '', ...others] = namesIn(line);
    const below = /^[^.]+\.(.+)$/.exec(name)?.[1];
    return others.length > 0 || below === undefined || !all.has(below);
  });
}

interface Columns {
  /** -1 where there is none. */
  name: number;
  address: number;
  said: { word: string; at: number }[];
  /** Columns of which nobody knows what they mean. */
  rest: { word: string; at: number }[];
}

/** A first line that says what the columns are: two of them at least, of which one is name or address. */
function headsIn(cells: string[], told: (word: string) => Meaning | undefined): Columns | undefined {
  const meaning = (cell: string) => told(cell.toLowerCase())?.is ?? guessMeaning(cell)?.is;
  if (cells.some((cell) => ipOf(cell) !== undefined || likeAddress(cell))) return undefined;
  const find = (head: 'name' | 'address') => {
    const said = cells.findIndex((cell) => told(cell.toLowerCase())?.is === head);
    return said >= 0
      ? said
      : cells.findIndex((cell) => told(cell.toLowerCase()) === undefined && headWords[head].test(cell));
  };
  const [name, address] = [find('name'), find('address')];
  const others = cells.flatMap((cell, at) => (at === name || at === address || cell === '' ? [] : [{ cell, at }]));
  const known = others.filter(
    ({ cell }) => meaning(cell) !== undefined && (hostWords as readonly string[]).includes(meaning(cell) ?? ''),
  );
  if ((name < 0 && address < 0) || (name < 0 || address < 0 ? known.length === 0 : false)) return undefined;
  const columns = (all: typeof others) => all.map(({ cell, at }) => ({ word: cell.toLowerCase(), at }));
  const left = others.filter(({ cell }) => meaning(cell) === undefined);
  return { name, address, said: columns(others.filter((one) => !left.includes(one))), rest: columns(left) };
}

function readLine(
  { line, text, comment }: Line,
  separator: string | null,
  columns: Columns | undefined,
): ListedHost | HostFault | undefined {
  const cells = cellsOf(text, separator);
  const at = columns ? columns.address : cells.findIndex((cell) => ipOf(cell) !== undefined || likeAddress(cell));
  const addressCell = cells[at] ?? '';
  const ip = ipOf(addressCell);
  if (!ip && !noAddress.test(addressCell)) {
    const read = parseIp(addressCell);
    const code = read.ok ? 'address-syntax' : (read.fault.code as HostFault['code']);
    return { line, code, column: 'address', value: addressCell, params: read.ok ? {} : read.fault.params };
  }
  const said = (columns?.said ?? []).flatMap(({ word, at: place }) => {
    const value = cells[place] ?? '';
    return value === '' ? [] : [{ word, value }];
  });
  const others = columns
    ? [cells[columns.name] ?? '', ...columns.rest.map(({ at: place }) => cells[place] ?? '')].filter(
        (cell) => cell !== '' && !noAddress.test(cell),
      )
    : cells.filter((cell, i) => i !== at && cell !== '' && !noAddress.test(cell));
  const names = columns
    ? [cells[columns.name] ?? '']
    : others.filter((cell) => nameShape.test(cell) && hasLetter(cell));
  if (names.some((name) => everyFile.test(name))) return undefined;
  // Every machine's own lines: nobody reaches another device by them.
  if (separator === null && at === 0 && ip && ownOnly.test(formatIp(ip))) return undefined;
  // In a hosts file all that follows are names of the same host, the short one is meant; in a table the first is its name.
  const byAddress = ip && others.length === 0 ? nameByAddress(formatIp(ip)) : undefined;
  const given =
    (separator === null ? names.find((name) => !name.includes('.')) : undefined) ??
    (names[0] || undefined) ??
    byAddress;
  if (given === undefined || !nameShape.test(given))
    return { line, code: 'paste-row', column: 'name', value: text.trim(), params: { value: text.trim() } };
  const name = (given.split('.')[0] ?? given).toLowerCase();
  const rest = others.filter((cell) => cell !== given && cell.toLowerCase() !== name);
  const note = [...rest, ...(given.toLowerCase() === name ? [] : [given]), ...(comment === null ? [] : [comment])].join(
    ', ',
  );
  const domain = /^[^.]+\.(.+)$/.exec(names.find((one) => one.includes('.')) ?? '')?.[1]?.toLowerCase() ?? null;
  return { line, name, addresses: ip ? [formatIp(ip)] : [], again: [], note: note === '' ? null : note, said, domain };
}

/** A host may stand in two lines, with an address of either family. */
function join(hosts: Map<string, ListedHost>, host: ListedHost, faults: HostFault[]): void {
  const before = hosts.get(host.name);
  if (!before) return void hosts.set(host.name, host);
  const [address = ''] = host.addresses;
  const family = (one: string) => one.includes(':');
  const again = before.addresses.some((one) => family(one) === family(address));
  if (again && !before.addresses.includes(address)) before.again.push({ line: host.line, address });
  else if (again || address === '')
    faults.push({
      line: host.line,
      code: 'import-twice',
      column: 'name',
      value: host.name,
      params: { key: host.name, row: before.line },
    });
  else before.addresses.push(address);
}
