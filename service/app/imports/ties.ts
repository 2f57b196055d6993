/**
 * What rows of one import have to do with one another. Whoever looks at a stretch of rows alone takes those before it
 * along that the stretch could not be judged without: what it refers to, and what wants the same.
 */
import { parseIp } from '@zpine/core/addressing/ip';
import { formatPrefix, networkOf, parsePrefix, truncations } from '@zpine/core/addressing/prefix';
import { canonicalKey, fieldsOf, refsOf, splitKey } from '@zpine/contract/kind';
import { isKind, kindOf, type KindName } from '@zpine/contract/kinds';
import type { Planned } from './plan.ts';

interface Ties {
  /** What others may refer to once this row is in. */
  gives: string[];
  /** What this row refers to. */
  needs: string[];
  /** What only one of several rows may have, or what they have to agree on. */
  contends: string[];
}

/** Few, and judged by one another: each is looked at with all of its kind. */
const judgedTogether: readonly string[] = ['setting', 'label', 'template', 'dialect', 'siteplan'];

function tiesOf(p: Planned): Ties {
  const { kind } = p.row;
  const given = { ...p.fields, ...Object.fromEntries(p.waiting.map(({ field, value }) => [field, value])) };
  if (kind === 'value') return { gives: [], needs: needsOfValue(p.row.fields), contends: [] };
  const k = kindOf(kind);
  const ties: Ties = { gives: [`${kind} ${p.key}`, ...givesAlso(kind, p.key, given)], needs: [], contends: [] };
  for (const [name, { to, unique }] of refsOf(k)) {
    const ref = textOf(given[name]);
    if (ref === undefined) continue;
    const leadsTo = canonicalKey(kindOf(to), ref);
    ties.needs.push(...partsOf(to, leadsTo));
    if (unique || kind === 'cable') ties.contends.push(`${kind === 'cable' ? 'end' : `${kind}.${name}`} ${leadsTo}`);
    // Places in a rack, tags on a port, members of an aggregate, who carries an address.
    if (['rack', 'on', 'memberOf', 'address'].includes(name)) ties.contends.push(`in ${to} ${leadsTo}`);
  }
  for (const [name, field] of fieldsOf(k)) {
    const value = textOf(given[name]);
    if (value === undefined || !field.unique || field.type === 'ref') continue;
    // MACs are unique across kinds, however they are spelled.
    const mac = field.type === 'mac';
    ties.contends.push(`${mac ? 'mac' : `${kind}.${name}`} ${mac ? value.replace(/[^0-9a-f]/g, '') : value}`);
  }
  for (const label of Array.isArray(given.labels) ? given.labels : []) ties.needs.push(`label ${textOf(label) ?? ''}`);
  // A card may stand in another one, and a port on either.
  if (['interface', 'port', 'card'].includes(kind)) ties.needs.push(`cards in ${textOf(given.device) ?? ''}`);
  if (kind === 'interface') ties.needs.push(`port ${p.key}`, ...vlansOf(given));
  if (kind === 'address') ties.needs.push(...around(p.key, textOf(given.address)));
  if (kind === 'prefix' || kind === 'siteplan') ties.needs.push(...namedIn(given));
  if (kind === 'bootprofile') ties.needs.push(...legTemplates(given.legs));
  if (judgedTogether.includes(kind)) ties.contends.push(`all ${kind}`);
  return ties;
}

const textOf = (value: unknown): string | undefined =>
  typeof value === 'string' || typeof value === 'number' ? String(value).trim().toLowerCase() : undefined;

/** The templates that legs are made of stand in a list, and are referred to all the same. */
const legTemplates = (legs: unknown): string[] =>
  (Array.isArray(legs) ? (legs as { template?: unknown }[]) : []).flatMap((leg) => {
    const name = textOf(leg?.template);
    return name === undefined ? [] : [`template ${name}`];
  });

/** A record, and those that it is a part of: ports come with their device, and with the cards in it. */
function partsOf(kind: string, key: string): string[] {
  const k = kindOf(kind);
  const parts = splitKey(k, key);
  const whole = k.key.parts.flatMap((part) => {
    const to = k.fields[part]?.to;
    const text = parts[part];
    return to === undefined || text === undefined ? [] : partsOf(to, text);
  });
  const device = parts.device;
  const cards = (kind === 'port' || kind === 'interface') && device !== undefined ? [`cards in ${device}`] : [];
  return [`${kind} ${key}`, ...whole, ...cards];
}

function givesAlso(kind: KindName, key: string, given: Record<string, unknown>): string[] {
  if (kind === 'card') return [`cards in ${textOf(given.device) ?? ''}`];
  // The port that an interface is on comes with it where nobody declared it.
  if (kind === 'interface') return [`port ${key}`];
  if (kind === 'vlan') return [`number ${textOf(given.number) ?? ''}`];
  if (kind === 'prefix') {
    const read = parsePrefix(textOf(given.cidr) ?? '');
    return read.ok ? [`around ${formatPrefix(read.value)}`] : [];
  }
  return [];
}

/** The VLANs of whatever site: it is that of the device. */
function vlansOf({ vlan, tagged }: Record<string, unknown>): string[] {
  const numbers = [vlan, ...(Array.isArray(tagged) ? (tagged as unknown[]) : [])];
  return numbers.flatMap((number) =>
    textOf(number) === undefined ? [] : [`number ${textOf(number)?.split('/').pop()}`],
  );
}

function around(key: string, address: string | undefined): string[] {
  const read = parseIp(address ?? key.split('/').pop() ?? '');
  if (!read.ok) return [];
  const host = networkOf(read.value, read.value.family === 4 ? 32 : 128);
  return [host, ...truncations(host)].map((p) => `around ${formatPrefix(p)}`);
}

/** Hand-out rules and site plans name records of lists within longer texts. */
const lists: readonly KindName[] = ['duty', 'use', 'purpose', 'owner', 'vrf'];
const namedIn = (given: Record<string, unknown>): string[] => {
  const words = new Set(
    JSON.stringify(given)
      .toLowerCase()
      .match(/[a-z0-9][a-z0-9._-]*/g),
  );
  return [...words].flatMap((word) => lists.map((list) => `${list} ${word}`));
};

function needsOfValue({ setting, layer, of, value }: Record<string, unknown>): string[] {
  const [name, kind, record] = [textOf(setting), textOf(layer), textOf(of)];
  const leadsTo = kind !== undefined && record !== undefined && isKind(kind) ? partsOf(kind, record) : [];
  // Images are named by a setting.
  const images = name === 'image.wanted' ? (Array.isArray(value) ? (value as unknown[]) : [value]) : [];
  const wanted = images.flatMap((one) => (textOf(one) === undefined ? [] : [`image ${textOf(one) ?? ''}`]));
  return [...(name === undefined ? [] : [`setting ${name}`]), ...leadsTo, ...wanted];
}

interface Kept {
  planned: Planned;
  /** Of which stretch, and the how manieth of all: it is taken along as it was taken. */
  stretch: number;
  at: number;
}

/** The rows of the stretches that were looked at, to be found by what they have to do with others. */
export class Companions {
  private readonly givers = new Map<string, Kept[]>();
  private readonly contenders = new Map<string, Kept[]>();
  private stretch = 0;
  private count = 0;

  /** Takes the sound rows of a stretch in. */
  keep(planned: readonly Planned[]): void {
    this.stretch += 1;
    for (const one of planned) {
      const { gives, contends } = tiesOf(one);
      const kept = { planned: one, stretch: this.stretch, at: (this.count += 1) };
      for (const word of gives) push(this.givers, word, kept);
      for (const word of contends) push(this.contenders, word, kept);
    }
  }

  /**
   * Those that these rows cannot be judged without, stretch by stretch in their order. `themselves`: the rows were taken
   * in before, and have to be there, too.
   */
  of(planned: readonly Planned[], themselves = false): Planned[][] {
    const found = new Map<Planned, Kept>();
    const open: { one: Planned; first: boolean }[] = planned.map((one) => ({ one, first: true }));
    for (let next = open.pop(); next !== undefined; next = open.pop()) {
      const { gives, needs, contends } = tiesOf(next.one);
      const kept = [
        ...needs.flatMap((word) => this.givers.get(word) ?? []),
        // With whom somebody's companion has to agree was seen to when it was looked at itself.
        ...(next.first ? contends.flatMap((word) => this.contenders.get(word) ?? []) : []),
        ...(next.first && themselves ? gives.flatMap((word) => this.givers.get(word) ?? []) : []),
      ];
      for (const one of kept) {
        if (found.has(one.planned)) continue;
        found.set(one.planned, one);
        open.push({ one: one.planned, first: false });
      }
    }
    const inOrder = [...found.values()].sort((a, b) => a.at - b.at);
    const stretches = new Map<number, Planned[]>();
    for (const { planned: one, stretch } of inOrder) push(stretches, stretch, one);
    return [...stretches.values()];
  }
}

function push<K, T>(lists: Map<K, T[]>, key: K, item: T): void {
  const list = lists.get(key);
  if (list) list.push(item);
  else lists.set(key, [item]);
}
