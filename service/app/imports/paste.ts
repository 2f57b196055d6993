/** Names and addresses of devices that run already: they become unproved devices, and the login is said once for all. */
import { parseIp } from '@zpine/core/addressing/ip';
import { formatPrefix, networkOf, truncations, usableRange, type Prefix } from '@zpine/core/addressing/prefix';
import { parseLabel } from '@zpine/core/naming/labels';
import { mustParse } from '@zpine/core/fault';
import { Refusal } from '@zpine/contract/errors';
import type { ImportOutcome } from '@zpine/contract/importRoutes';
import { DEFAULT_VRF, defaultVrf } from '@zpine/contract/kinds/addressing';
import { canonicalKey } from '@zpine/contract/kind';
import { kindOf, type KindName, type Stored } from '@zpine/contract/kinds';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import { find, keyOf } from '../../store/records.ts';
import { smallestCovering } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { mustFindField } from '../records/refs.ts';
import type { ImportRow, RowFault } from './rows.ts';
import { rememberHeads } from './headMapping.ts';
import { readListed, type Listed, type ListedValue, type ListHost } from './listed.ts';
import { importRows } from './run.ts';

type Input = BodyOf<'import.paste'>;

/** The interface that a device is reached by, as long as nobody knows better. */
const MANAGEMENT = 'management';
/** Between the ranks of a group and those in it. */
const RANK_STEP = 10;

export async function pasteDevices(tx: Tx, input: Input): Promise<ReplyOf<'import.paste'>> {
  const read = await readListed(tx, input);
  const vrf =
    input.vrf === undefined ? { id: DEFAULT_VRF, key: defaultVrf } : await mustFindField(tx, 'vrf', input.vrf, 'vrf');
  const newDialect = await shippedDialect(tx, input.dialect);
  for (const field of ['dialect', 'site', 'duty', 'model'] as const)
    if (input[field] !== undefined && !(field === 'dialect' && newDialect !== undefined))
      await mustFindField(tx, field, input[field], field);
  const label = await labelFor(tx, input, read);
  const paste = new Paste(tx, input, vrf, label);
  for (const host of read.hosts) await paste.host(host);
  const rows = [
    ...(await dialectRows(tx, [
      ...read.hosts,
      { fields: input.dialect === undefined ? {} : { dialect: input.dialect } },
    ])),
    ...(await labelRows(tx, read)),
    ...paste.rows,
    ...(label === null ? [] : login(input, label, read)),
  ];
  const outcome = await importRows(tx, rows, [...read.faults, ...paste.faults], { apply: input.apply, format: 'csv' });
  outcome.counts.same += paste.standing;
  // People count the lines that they pasted.
  outcome.rows = read.lines.size;
  if (outcome.applied) await rememberHeads(tx, 'list', input.means);
  const { form, words, groups } = read;
  return { ...outcome, label, form, words, groups };
}

/** Hosts that are at hand already, with rows that come along. */
export async function importHosts(
  tx: Tx,
  hosts: readonly ListHost[],
  more: readonly ImportRow[],
  {
    vrf,
    apply,
    ...input
  }: Pick<Input, 'site' | 'duty' | 'labels'> & { vrf: { id: number; key: string }; apply: boolean },
): Promise<ImportOutcome> {
  for (const field of ['site', 'duty'] as const)
    if (input[field] !== undefined) await mustFindField(tx, field, input[field], field);
  const paste = new Paste(tx, { ...input, text: '', means: {}, apply }, vrf, null);
  for (const host of hosts) await paste.host(host);
  const rows = [...(await dialectRows(tx, hosts)), ...paste.rows, ...more];
  const outcome = await importRows(tx, rows, paste.faults, { apply, format: 'csv' });
  outcome.rows = hosts.length;
  return outcome;
}

/** Dialects that ship, and that nobody has entered yet. */
async function dialectRows(tx: Tx, hosts: readonly Pick<ListHost, 'fields'>[]): Promise<ImportRow[]> {
  const names = new Set<string>();
  for (const said of new Set(hosts.map(({ fields }) => fields.dialect))) {
    const name = await shippedDialect(tx, said);
    if (name !== undefined) names.add(name);
  }
  return [...names].map((name) => row(0, 'dialect', { name }));
}

/** A dialect that ships and that nobody has entered yet comes along. */
async function shippedDialect(tx: Tx, typed: string | undefined): Promise<string | undefined> {
  const name = typed === undefined ? '' : canonicalKey(kindOf('dialect'), typed);
  if (!tx.dialects.shipped.has(name)) return undefined;
  return (await find(tx, 'dialect', { name })).length > 0 ? undefined : name;
}

/** The label that carries the login: the one that is named, or the next `list-1`, `list-2` that nobody has. */
async function labelFor(tx: Tx, input: Input, read: Listed): Promise<string | null> {
  if (input.label !== undefined) {
    const read = parseLabel(input.label);
    if (!read.ok) throw Refusal.at(['label'], read.fault.code, read.fault.params);
    return read.value;
  }
  const shared = read.values.length > 0;
  if (input.user === undefined && input.password === undefined && input.port === undefined && !shared) return null;
  const taken = new Set((await find(tx, 'label', {})).map((label) => label.name));
  let n = 1;
  while (taken.has(`list-${n}`)) n += 1;
  return `list-${n}`;
}

/** What the list says once for all of it, and what is said with it. */
function login(input: Input, label: string, read: Listed): ImportRow[] {
  const user = input.user ?? 'zpine';
  const values: [string, unknown][] = [];
  if (input.user !== undefined || input.password !== undefined) values.push(['access.user', user]);
  if (input.password !== undefined) values.push(['users', { [user]: input.password }]);
  if (input.port !== undefined) values.push(['access.port', input.port]);
  const said = values.map(([setting]) => setting);
  const shared = read.values.filter(({ setting }) => !said.includes(setting));
  if (values.length + shared.length === 0) return [];
  return [
    row(0, 'label', { name: label }),
    ...values.map(([setting, value]) => row(0, 'value', { setting, layer: 'label', of: label, mode: 'set', value })),
    ...valueRows('label', label, shared),
  ];
}

/** Labels that groups become; of groups in groups the inner one is heard, unless somebody ranked them otherwise. */
async function labelRows(tx: Tx, { labels }: Listed): Promise<ImportRow[]> {
  const standing = new Map((await find(tx, 'label', {})).map((one) => [one.name, one.rank]));
  const made = labels.filter(({ values, nested }) => values.length > 0 || nested);
  return made.flatMap(({ name, line, depth, nested, values }) => {
    const rank = nested && (standing.get(name) ?? null) === null ? { rank: RANK_STEP * (depth + 1) } : {};
    return [row(line, 'label', { name, ...rank }), ...valueRows('label', name, values)];
  });
}

/** A value that is written as text is read as the setting wants it. */
const valueRows = (layer: 'label' | 'device', of: string, values: readonly ListedValue[]): ImportRow[] =>
  values.map(({ line, setting, word, value }) => ({
    ...row(line, 'value', {
      setting,
      layer,
      of,
      mode: 'set',
      value: typeof value === 'number' || typeof value === 'boolean' ? String(value) : value,
    }),
    heads: { value: word },
  }));

const row = (line: number, kind: ImportRow['kind'], fields: Record<string, unknown>): ImportRow => ({
  kind,
  file: null,
  row: line,
  fields,
  heads: {},
});

class Paste {
  readonly rows: ImportRow[] = [];
  readonly faults: RowFault[] = [];
  /** Lines that say what is known already. */
  standing = 0;
  private readonly tx: Tx;
  private readonly input: Input;
  private readonly vrf: { id: number; key: string };
  private readonly label: string | null;
  /** Prefixes that come with this list. */
  private readonly made = new Set<string>();

  constructor(tx: Tx, input: Input, vrf: { id: number; key: string }, label: string | null) {
    this.tx = tx;
    this.input = input;
    this.vrf = vrf;
    this.label = label;
  }

  async host(host: ListHost): Promise<void> {
    const [device] = await find(this.tx, 'device', { natural_key: host.name });
    const has = device ? await this.managementAddresses(device) : [];
    // A router stands in a hosts file with its loopback: what it has on any interface is known already.
    const own = device ? await this.addressesOf(device) : [];
    const said = host.addresses.filter((one) => !own.includes(one));
    const twice = host.again.find(({ address }) => !own.includes(address));
    if (twice)
      return this.fault({ ...host, line: twice.line }, 'name', host.name, 'import-twice', {
        key: host.name,
        row: host.line,
      });
    const differs = said.find((one) => {
      const same = has.filter((other) => other.includes(':') === one.includes(':'));
      return same.length > 0 && !same.includes(one);
    });
    if (differs !== undefined)
      return this.fault(host, 'address', differs, 'paste-differs', { device: host.name, has: has.join(', ') });
    for (const address of said) if (!(await this.isFree(host, address))) return;
    const values = await this.valuesOf(host);
    this.rows.push(...valueRows('device', host.name, values));
    const more = device ? this.more(device, host) : {};
    const takeMore = () => {
      if (Object.keys(more).length > 0) this.rows.push(row(host.line, 'device', { name: host.name, ...more }));
    };
    if (device && said.length === 0) {
      takeMore();
      if (values.length === 0 && Object.keys(more).length === 0) this.standing += 1;
      return;
    }
    if (!device) this.add(host, said.length > 0);
    else if (device.management === null) more.management = this.interfaceOf(host);
    takeMore();
    const on = (device && (await keyOf(this.tx, 'interface', device.management))) ?? this.interfaceOf(host);
    if (said.length > 0 && on === this.interfaceOf(host))
      this.rows.push(
        row(host.line, 'interface', { device: host.name, name: MANAGEMENT, form: 'routed', vrf: this.vrf.key }),
      );
    for (const address of said) {
      await this.cover(host.line, address);
      this.rows.push(row(host.line, 'address', { address, vrf: this.vrf.key, interface: on }));
    }
  }

  private readonly interfaceOf = (host: ListHost): string => `${host.name}:${MANAGEMENT}`;

  /** What the list says of a device that stands, and the records do not say: what they do say stays. */
  private more(device: Stored<'device'>, host: ListHost): Record<string, unknown> {
    const fields = Object.entries(host.fields).filter(([field]) => device[field as keyof typeof host.fields] === null);
    const has = device.labels ?? [];
    const added = host.labels.flatMap((label) => {
      const read = parseLabel(label);
      return read.ok && has.includes(read.value) ? [] : [label];
    });
    return {
      ...Object.fromEntries(fields),
      ...(added.length > 0 ? { labels: [...has, ...added].join(',') } : {}),
    };
  }

  /** What is said of this host alone; one without an address is looked up by its whole name. */
  private async valuesOf(host: ListHost): Promise<ListedValue[]> {
    if (host.domain === null || host.addresses.length > 0) return host.values;
    const [setting] = await find(this.tx, 'setting', { name: 'name.domain' });
    if (!setting) return host.values;
    return [...host.values, { line: host.line, setting: setting.name, word: 'name', value: host.domain }];
  }

  private add(host: ListHost, reachable: boolean): void {
    const { labels } = this.input;
    // What the list says of a host goes before what is said for all of it.
    const { dialect, site, duty, model } = { ...this.input, ...host.fields };
    const words = [labels, this.label, ...host.labels].filter(Boolean).join(',');
    const given = {
      name: host.name,
      stage: 'unproved',
      dialect,
      site,
      duty,
      model,
      labels: words === '' ? null : words,
      note: host.note,
      management: reachable ? this.interfaceOf(host) : null,
    };
    const fields = Object.fromEntries(
      Object.entries(given).filter(([, value]) => value !== undefined && value !== null),
    );
    this.rows.push(row(host.line, 'device', fields));
  }

  private async addressesOf(device: Stored<'device'>): Promise<string[]> {
    const interfaces = await find(this.tx, 'interface', { device_id: device.id });
    return (await find(this.tx, 'address', { interface_id: interfaces.map((one) => one.id) })).map(
      (one) => one.address,
    );
  }

  private async managementAddresses(device: Stored<'device'>): Promise<string[]> {
    if (device.management === null) return [];
    return (await find(this.tx, 'address', { interface_id: device.management })).map((one) => one.address);
  }

  private async isFree(host: ListHost, address: string): Promise<boolean> {
    const key = canonicalKey(kindOf('address'), this.vrf.id === DEFAULT_VRF ? address : `${address}@${this.vrf.key}`);
    const [held] = await find(this.tx, 'address', { natural_key: key });
    if (!held || held.interface === null) return true;
    const by = (await keyOf(this.tx, 'interface', held.interface)) ?? '';
    if (by === this.interfaceOf(host)) return true;
    this.fault(host, 'address', address, 'paste-address-taken', { address, by });
    return false;
  }

  /** An address lies in a prefix; where there is none, the usual one around it is made. */
  private async cover(line: number, address: string): Promise<void> {
    const ip = mustParse(parseIp(address));
    const most = ip.family === 4 ? 32 : 128;
    const host = networkOf(ip, most);
    if ((await smallestCovering(this.tx, this.vrf.id, [host, ...truncations(host)])) !== undefined) return;
    const holds = (prefix: Prefix) => this.made.has(formatPrefix(prefix));
    if (truncations(host).some(holds)) return;
    const usual = ip.family === 4 ? 24 : 64;
    let length = this.input.length === undefined || this.input.length > most ? usual : this.input.length;
    let prefix = networkOf(ip, length);
    // Nobody's address is the first or last of its prefix: then the prefix is a larger one.
    while (length > 0 && !isUsable(prefix, ip.value)) prefix = networkOf(ip, (length -= 1));
    this.made.add(formatPrefix(prefix));
    this.rows.push(row(line, 'prefix', { cidr: formatPrefix(prefix), vrf: this.vrf.key }));
  }

  private fault(
    host: ListHost,
    column: string,
    value: string,
    code: RowFault['code'],
    params: RowFault['params'],
  ): void {
    this.faults.push({ file: null, row: host.line, kind: 'device' satisfies KindName, column, value, code, params });
  }
}

function isUsable(prefix: Prefix, value: bigint): boolean {
  const { first, last } = usableRange(prefix);
  return value >= first && value <= last;
}
