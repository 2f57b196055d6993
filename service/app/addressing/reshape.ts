/** Prefixes into parts, and parts into one: what is assigned stays assigned, ranges and gateway go to where they belong. */
import { bitsOf, parseIp, type Family } from '@zpine/core/addressing/ip';
import {
  contains,
  covers,
  formatPrefix,
  lastOf,
  networkOf,
  parsePrefix,
  type Prefix,
} from '@zpine/core/addressing/prefix';
import { formatHandOut, parseHandOut, rebased, type HandOut } from '@zpine/core/addressing/handOut';
import { formatRanges, parseRanges, type Range } from '@zpine/core/addressing/ranges';
import { mustParse } from '@zpine/core/fault';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Value } from '@zpine/contract/fields';
import { fieldsOf } from '@zpine/contract/kind';
import { kindOf, type Stored } from '@zpine/contract/kinds';
import { byId, find } from '../../store/records.ts';
import { bytesOf } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { add, addOne } from '../records/add.ts';
import { editOne } from '../records/edit.ts';
import { mustFind, mustFindAll } from '../records/refs.ts';
import { removeOne } from '../records/remove.ts';

type Reshaped = ReplyOf<'prefix.split'>;
type Fields = Record<string, Value>;

const MOST_PARTS = 1024;
const rangeFields = ['heldBack', 'pool', 'quarantine'] as const;

const blockOf = (prefix: Stored<'prefix'>): Prefix => mustParse(parsePrefix(prefix.cidr));
const idRef = (id: number | null): Value => (id === null ? null : `#${id}`);

/** What is said of a place inside, and what one part alone can have. */
const placed = new Set<string>([...rangeFields, 'cidr', 'gateway', 'handOut', 'vlan']);

/** What all parts of a prefix share with it: every field that a person fills in and that names no place inside. */
const sharedFields = fieldsOf(kindOf('prefix')).filter(([name, field]) => !field.derived && !placed.has(name));

const shared = (prefix: Stored<'prefix'>): Fields =>
  Object.fromEntries(
    sharedFields.map(([name, field]) => {
      const value = prefix[name as keyof Stored<'prefix'>] as Value;
      return [name, field.type === 'ref' ? idRef(value as number | null) : value];
    }),
  );

/** Who gets which address, said for another block, and what of it begins nowhere in it. */
const handOutIn = (prefix: Stored<'prefix'>, to: Prefix): ReturnType<typeof rebased> =>
  rebased(prefix.handOut === null ? [] : mustParse(parseHandOut(prefix.handOut)), blockOf(prefix), to);

const handOutText = (rules: readonly HandOut[], family: Family): string | null => formatHandOut(rules, family) || null;

type Dropped = Reshaped['dropped'];
const droppedRule = (prefix: Stored<'prefix'>, rule: HandOut): Dropped[number] => ({
  prefix: prefix.key,
  field: 'handOut',
  value: formatHandOut([rule], blockOf(prefix).family),
});

/** What a prefix keeps for its own addresses must not lie under its parts. */
const bare: Fields = Object.fromEntries([...rangeFields, 'gateway'].map((name) => [name, null]));

const given = (fields: Fields): Fields =>
  Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== null));

export async function split(tx: Tx, ref: string, body: BodyOf<'prefix.split'>): Promise<Reshaped> {
  const prefix = await mustFind(tx, 'prefix', ref, true);
  const p = blockOf(prefix);
  const { length } = body;
  if (length <= p.length || length > bitsOf(p.family))
    throw Refusal.at(['length'], 'carve-length', { length, prefix: prefix.key, max: bitsOf(p.family) });
  if (length - p.length > Math.log2(MOST_PARTS)) throw Refusal.at(['length'], 'split-many', { max: MOST_PARTS });
  const children = (await find(tx, 'prefix', { parent_id: prefix.id })).map(blockOf);
  const size = 1n << BigInt(bitsOf(p.family) - length);
  const parts: Prefix[] = [];
  for (let first = p.first; first <= lastOf(p); first += size) parts.push({ family: p.family, first, length });
  // What a child has already is in nobody else's part.
  const missing = parts.filter((part) => !children.some((child) => covers(child, part)));
  const gateway = prefix.gateway === null ? undefined : mustParse(parseIp(prefix.gateway));
  const home = missing.find((part) => gateway && contains(part, gateway)) ?? missing[0];
  const fields = missing.map((part): Fields => ({
    cidr: formatPrefix(part),
    ...shared(prefix),
    // One VLAN has one prefix of a family in general: the part that keeps the gateway keeps it.
    ...(part === home ? { vlan: idRef(prefix.vlan) } : {}),
    ...(gateway && contains(part, gateway) ? { gateway: prefix.gateway } : {}),
    ...Object.fromEntries(rangeFields.map((name) => [name, within(prefix[name], part)])),
    handOut: handOutText(handOutIn(prefix, part).kept, p.family),
  }));
  // A rule that begins in no part of its own stands in a child that was there before.
  const dropped = (missing.length === 0 ? [] : handOutIn(prefix, p).kept).filter(
    (rule) => !missing.some((part) => contains(part, { family: p.family, value: p.first + rule.offset })),
  );
  await editOne(tx, 'prefix', `#${prefix.id}`, bare);
  await add(tx, 'prefix', fields.map(given), () => ['length']);
  await removeOne(tx, 'prefix', `#${prefix.id}`);
  if (!body.apply) tx.discarded = true;
  return {
    applied: body.apply,
    removed: [prefix.key],
    added: missing.map(formatPrefix),
    dropped: dropped.map((rule) => droppedRule(prefix, rule)),
  };
}

/** The ranges of a text, as far as they lie in a part. */
function within(text: string | null, part: Prefix): string | null {
  if (text === null) return null;
  const last = lastOf(part);
  const ip = (value: bigint) => ({ family: part.family, value });
  const cut = mustParse(parseRanges(text)).flatMap(({ first, last: end }): Range[] => {
    const [from, to] = [first.value > part.first ? first.value : part.first, end.value < last ? end.value : last];
    return from <= to ? [{ first: ip(from), last: ip(to) }] : [];
  });
  return cut.length > 0 ? formatRanges(cut) : null;
}

export async function merge(tx: Tx, body: BodyOf<'prefix.merge'>): Promise<Reshaped> {
  const prefixes = await mustFindAll(tx, 'prefix', [...new Set(body.prefixes)]);
  const [lead] = prefixes;
  if (!lead || prefixes.length < 2)
    throw Refusal.at(['prefixes'], 'merge-apart', { prefixes: prefixes.map((one) => one.key).join(', ') });
  const whole = joined(prefixes.map(blockOf));
  if (!whole || prefixes.some((one) => one.vrf !== lead.vrf))
    throw Refusal.at(['prefixes'], 'merge-apart', { prefixes: prefixes.map((one) => one.key).join(', ') });
  const gateways = [...new Set(prefixes.flatMap((one) => one.gateway ?? []))];
  const gateway = body.gateway ?? (gateways.length > 1 ? undefined : (gateways[0] ?? null));
  if (gateway === undefined) throw Refusal.at(['gateway'], 'merge-gateways', { gateways: gateways.join(', ') });
  const { fields, dropped } = together(prefixes);
  const handOut = rulesTogether(prefixes, whole);
  const made = await addOne(
    tx,
    'prefix',
    given({
      cidr: formatPrefix(whole),
      ...fields,
      ...(body.description ? { description: body.description } : {}),
    }),
  );
  for (const one of prefixes) await removeOne(tx, 'prefix', `#${one.id}`);
  const ranges = Object.fromEntries(
    rangeFields.map((name) => [name, prefixes.flatMap((one) => one[name] ?? []).join(', ') || null]),
  );
  await editOne(tx, 'prefix', `#${made.id}`, { ...ranges, gateway, handOut: handOut.text });
  if (!body.apply) tx.discarded = true;
  return {
    applied: body.apply,
    removed: prefixes.map((one) => one.key),
    added: [made.key],
    dropped: [...dropped, ...handOut.dropped].filter(({ field }) => field !== 'description' || !body.description),
  };
}

/** One record of several: what the first of them says, else the next one; labels and notes of all. */
function together(prefixes: readonly Stored<'prefix'>[]): { fields: Fields; dropped: Dropped } {
  const dropped: Dropped = [];
  const fields = Object.fromEntries(
    [...sharedFields, ['vlan', kindOf('prefix').fields.vlan] as (typeof sharedFields)[number]].map(([name, field]) => {
      const said = prefixes
        .map((prefix) => ({ prefix, value: prefix[name as keyof Stored<'prefix'>] }))
        .filter(({ value }) => value !== null);
      if (name === 'labels') return [name, [...new Set(said.flatMap(({ value }) => value as string[]))]];
      if (name === 'note') return [name, [...new Set(said.map(({ value }) => value as string))].join('\n') || null];
      const first = said[0]?.value ?? null;
      for (const { prefix, value } of said)
        if (value !== first) dropped.push({ prefix: prefix.key, field: name, value: String(value) });
      return [name, field.type === 'ref' ? idRef(first as number | null) : first];
    }),
  );
  return { fields, dropped };
}

/** Of two rules for one duty the one of the lower block stays. */
function rulesTogether(
  prefixes: readonly Stored<'prefix'>[],
  whole: Prefix,
): { text: string | null; dropped: Dropped } {
  const rules: HandOut[] = [];
  const dropped: Dropped = [];
  const inOrder = [...prefixes].sort((a, b) => (blockOf(a).first < blockOf(b).first ? -1 : 1));
  for (const prefix of inOrder)
    for (const rule of handOutIn(prefix, whole).kept) {
      const standing = rules.find(({ duty }) => duty === rule.duty);
      if (!standing) rules.push(rule);
      else if (standing.offset !== rule.offset || standing.way !== rule.way)
        dropped.push(...rebased([rule], whole, blockOf(prefix)).kept.map((own) => droppedRule(prefix, own)));
    }
  return { text: handOutText(rules, whole.family), dropped };
}

/** A prefix made larger or smaller in its place; refused where something in use would be cut off or taken in. */
export async function resize(tx: Tx, ref: string, body: BodyOf<'prefix.resize'>): Promise<Reshaped> {
  const prefix = await mustFind(tx, 'prefix', ref, true);
  const p = blockOf(prefix);
  const { length } = body;
  if (length === p.length || length > bitsOf(p.family))
    throw Refusal.at(['length'], 'carve-length', { length, prefix: prefix.key, max: bitsOf(p.family) });
  const next = networkOf({ family: p.family, value: p.first }, length);
  if (length < p.length) await refuseNeighbours(tx, prefix, next);
  else await refuseCut(tx, prefix, next);
  await editOne(tx, 'prefix', `#${prefix.id}`, bare);
  const made = await addOne(
    tx,
    'prefix',
    given({ ...shared(prefix), cidr: formatPrefix(next), vlan: idRef(prefix.vlan) }),
  );
  await removeOne(tx, 'prefix', `#${prefix.id}`);
  const ranges = Object.fromEntries(rangeFields.map((name) => [name, within(prefix[name], next)]));
  const rules = handOutIn(prefix, next);
  const handOut = handOutText(rules.kept, p.family);
  await editOne(tx, 'prefix', `#${made.id}`, { ...ranges, gateway: prefix.gateway, handOut });
  if (!body.apply) tx.discarded = true;
  const dropped = rules.outside.map((rule) => droppedRule(prefix, rule));
  return { applied: body.apply, removed: [prefix.key], added: [made.key], dropped };
}

/** Growing stays below the parent, and takes in no neighbour. */
async function refuseNeighbours(tx: Tx, prefix: Stored<'prefix'>, next: Prefix): Promise<void> {
  const cidr = formatPrefix(next);
  const parent = prefix.parent === null ? undefined : await byId(tx, 'prefix', prefix.parent);
  if (parent && next.length <= blockOf(parent).length)
    throw Refusal.at(['length'], 'resize-parent', { prefix: cidr, parent: parent.key });
  const beside = await tx.select<{ natural_key: string }>(
    `SELECT natural_key FROM prefix WHERE vrf_id = ? AND cidr_family = ? AND cidr BETWEEN ? AND ? AND id <> ?
       AND parent_id ${prefix.parent === null ? 'IS NULL' : '= ?'} ORDER BY sort_key LIMIT 6`,
    [
      prefix.vrf,
      next.family,
      bytesOf(next.family, next.first),
      bytesOf(next.family, lastOf(next)),
      prefix.id,
      ...(prefix.parent === null ? [] : [prefix.parent]),
    ],
  );
  if (beside.length > 0)
    throw Refusal.at(['length'], 'resize-beside', {
      prefix: cidr,
      beside: beside.map((one) => one.natural_key).join(', '),
    });
}

/** Shrinking cuts off no address, no prefix below, no range and not the gateway. */
async function refuseCut(tx: Tx, prefix: Stored<'prefix'>, next: Prefix): Promise<void> {
  const outside = [prefix.id, bytesOf(next.family, next.first), bytesOf(next.family, lastOf(next))];
  const lost = await tx.select<{ natural_key: string }>(
    `(SELECT natural_key FROM address WHERE prefix_id = ? AND (address < ? OR address > ?) ORDER BY sort_key LIMIT 4)
     UNION ALL (SELECT natural_key FROM prefix WHERE parent_id = ? AND (cidr < ? OR cidr > ?) ORDER BY sort_key LIMIT 4)`,
    [...outside, ...outside],
  );
  const wide = (await find(tx, 'prefix', { parent_id: prefix.id })).filter((one) => covers(blockOf(one), next));
  const gateway = prefix.gateway === null ? undefined : mustParse(parseIp(prefix.gateway));
  const cut = rangeFields.flatMap((name) =>
    prefix[name] !== null && within(prefix[name], next) !== prefix[name] ? [`all of ${prefix[name]}`] : [],
  );
  const names = [
    ...cut,
    ...lost.map((one) => one.natural_key),
    ...wide.map((one) => `the rest of ${one.key}`),
    ...(gateway && !contains(next, gateway) ? [`the gateway ${prefix.gateway ?? ''}`] : []),
  ];
  if (names.length > 0)
    throw Refusal.at(['length'], 'resize-cut', { prefix: formatPrefix(next), lost: names.join(', ') });
}

/** The one block that these make up, without a gap and without an overlap. */
function joined(blocks: Prefix[]): Prefix | undefined {
  const sorted = [...blocks].sort((a, b) => (a.first < b.first ? -1 : 1));
  const [first] = sorted;
  const last = sorted.at(-1);
  if (!first || !last || sorted.some((block) => block.family !== first.family)) return undefined;
  for (const [i, block] of sorted.entries()) {
    const next = sorted[i + 1];
    if (next && next.first !== lastOf(block) + 1n) return undefined;
  }
  const size = lastOf(last) - first.first + 1n;
  const host = size.toString(2).length - 1;
  if (1n << BigInt(host) !== size) return undefined;
  const whole = networkOf({ family: first.family, value: first.first }, bitsOf(first.family) - host);
  return whole.first === first.first ? whole : undefined;
}
