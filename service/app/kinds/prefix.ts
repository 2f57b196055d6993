/** A prefix has its place in the tree of its VRF, a sound plan of its own space, and free space kept beside it. */
import { parseIp, type Ip } from '@zpine/core/addressing/ip';
import { contains, lastOf, parsePrefix, truncations, usableRange, type Prefix } from '@zpine/core/addressing/prefix';
import { keptSpans, parseRanges, rangesInside, spanText } from '@zpine/core/addressing/ranges';
import { formatHandOut, parseHandOut } from '@zpine/core/addressing/handOut';
import { addressAt } from '@zpine/core/addressing/offsets';
import { nearest } from '@zpine/core/naming/names';
import { parseDomain } from '@zpine/core/naming/domain';
import type { Span } from '@zpine/core/addressing/spans';
import { mustParse } from '@zpine/core/fault';
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import { checkMany, MANY, placeMany } from '../addressing/placeMany.ts';
import { keptByDraft, keptWords } from '../addressing/kept.ts';
import { asStored, type Draft, type KindRules } from '../records/draft.ts';
import { type AnyStored, byId, byIds, keyOf } from '../../store/records.ts';
import {
  bytesOf,
  createSpaces,
  ipText,
  lockSpaces,
  prefixText,
  rebuild,
  smallestCovering,
  valueOf,
} from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';

export const prefixRules: KindRules = {
  async prepare(tx, drafts) {
    await lockVrfs(
      tx,
      drafts.map((d) => d.id('vrf')),
    );
    const vlans = await byIds(
      tx,
      'vlan',
      drafts.map((d) => d.id('vlan')).filter((id) => id !== null),
    );
    const fresh = drafts.filter((draft) => !draft.before).length;
    const many: { draft: Draft; p: Prefix; pools: Span[] }[] = [];
    for (const draft of drafts) {
      const p = mustParse(parsePrefix(String(draft.after.cidr)));
      await followVlan(tx, draft, vlans.get(draft.id('vlan') ?? 0));
      const gateway = checkGateway(draft, p);
      const held = checkRanges(draft, 'heldBack', p);
      const pool = checkRanges(draft, 'pool', p);
      const quarantine = checkRanges(draft, 'quarantine', p);
      for (const [field, spans] of [
        ['pool', pool],
        ['quarantine', quarantine],
      ] as const) {
        if (gateway) checkApart(draft, field, p, spans, [{ first: gateway.value, last: gateway.value }]);
        checkApart(draft, field, p, spans, held);
      }
      checkApart(draft, 'quarantine', p, quarantine, pool);
      checkTold(draft);
      await checkHandOut(tx, draft, p);
      const pools = [...pool, ...quarantine];
      if (draft.before) await checkNothingUnder(tx, draft, draft.before.id, p, pools);
      else if (fresh >= MANY) many.push({ draft, p, pools });
      else await placeInTree(tx, draft, p, pools);
    }
    await checkMany(tx, many);
  },

  async added(tx, records) {
    // The largest first: each finds its place below those that were added before it.
    const prefixes = records.map((r) => asStored('prefix', r)).sort((a, b) => lengthOf(a) - lengthOf(b));
    if (prefixes.length >= MANY) return placeMany(tx, prefixes);
    for (const record of prefixes) {
      const p = mustParse(parsePrefix(record.cidr));
      await createSpaces(tx, record.id);
      const parent = await smallestCovering(tx, record.vrf, truncations(p));
      await tx.execute('UPDATE prefix SET parent_id = ? WHERE id = ?', [parent ?? null, record.id]);
      record.parent = parent ?? null;
      await tx.execute(
        `UPDATE prefix SET parent_id = ? WHERE vrf_id = ? AND cidr_family = ? AND cidr BETWEEN ? AND ? AND cidr_length > ? AND parent_id ${parent ? '= ?' : 'IS NULL'}`,
        [
          record.id,
          record.vrf,
          p.family,
          bytesOf(p.family, p.first),
          bytesOf(p.family, lastOf(p)),
          p.length,
          ...(parent ? [parent] : []),
        ],
      );
      if (parent !== undefined) {
        for (const table of ['address', 'resting'])
          await tx.execute(`UPDATE ${table} SET prefix_id = ? WHERE prefix_id = ? AND address BETWEEN ? AND ?`, [
            record.id,
            parent,
            bytesOf(p.family, p.first),
            bytesOf(p.family, lastOf(p)),
          ]);
      }
      await rebuild(tx, record);
      if (parent !== undefined)
        await rebuild(tx, await byId(tx, 'prefix', parent), { first: p.first, last: lastOf(p) });
    }
  },

  async edited(tx, pairs) {
    for (const { before, after } of pairs) {
      const changed = (['gateway', 'heldBack', 'pool', 'quarantine'] as const).some(
        (field) => before[field] !== after[field],
      );
      if (changed) await rebuild(tx, asStored('prefix', after));
    }
  },

  async removing(tx, records) {
    await lockVrfs(
      tx,
      records.map((r) => asStored('prefix', r).vrf),
    );
    for (const prefix of standing(records)) {
      const p = mustParse(parsePrefix(prefix.cidr));
      await lockSpaces(tx, [prefix.id, ...(prefix.parent === null ? [] : [prefix.parent])]);
      if (prefix.parent === null) {
        const used = await tx.select<{ natural_key: string }>(
          'SELECT natural_key FROM address WHERE prefix_id = ? ORDER BY sort_key LIMIT 6',
          [prefix.id],
        );
        if (used.length > 0) {
          const names = used
            .slice(0, 5)
            .map((u) => u.natural_key)
            .join(', ');
          throw new Refusal('in-use', {
            kind: 'prefix',
            key: prefix.key,
            users: `addresses ${names}${used.length > 5 ? ' and more' : ''}`,
          });
        }
      } else {
        await tx.execute('UPDATE address SET prefix_id = ? WHERE prefix_id = ? ORDER BY id', [
          prefix.parent,
          prefix.id,
        ]);
        await tx.execute('UPDATE resting SET prefix_id = ? WHERE prefix_id = ?', [prefix.parent, prefix.id]);
      }
      await tx.execute('UPDATE prefix SET parent_id = ? WHERE parent_id = ?', [prefix.parent, prefix.id]);
      if (prefix.parent !== null) await refuseLostAddresses(tx, prefix.parent, p);
    }
  },

  async removed(tx, records) {
    for (const { parent, cidr } of standing(records)) {
      const p = mustParse(parsePrefix(cidr));
      if (parent !== null) await rebuild(tx, await byId(tx, 'prefix', parent), { first: p.first, last: lastOf(p) });
    }
  },
};

/** Prefixes that go together, each with the innermost one around it that stays. */
function standing(records: AnyStored[]): Stored<'prefix'>[] {
  const going = new Map(records.map((record) => [record.id, asStored('prefix', record)]));
  const stays = (id: number | null): number | null => {
    const prefix = going.get(id ?? 0);
    return prefix ? stays(prefix.parent) : id;
  };
  return [...going.values()].map((prefix) => ({ ...prefix, parent: stays(prefix.parent) }));
}

const lengthOf = (record: Stored<'prefix'>): number => mustParse(parsePrefix(record.cidr)).length;

/** Changes of shape inside a VRF wait for one another. */
async function lockVrfs(tx: Tx, ids: (number | null)[]): Promise<void> {
  const wanted = [...new Set(ids.filter((id) => id !== null))];
  if (wanted.length > 0) await tx.select('SELECT id FROM vrf WHERE id IN (?) ORDER BY id FOR UPDATE', [wanted]);
}

/** Site and use follow the VLAN where they were not given. */
async function followVlan(tx: Tx, draft: Draft, vlan: Stored<'vlan'> | undefined): Promise<void> {
  if (!vlan) return;
  if (draft.id('site') === null || (draft.changes('vlan') && !draft.given.has('site'))) draft.after.site = vlan.site;
  if (draft.id('use') === null && !draft.given.has('use')) draft.after.use = vlan.use;
  if (draft.id('site') !== vlan.site) {
    draft.fault('vlan', 'site-differs', {
      what: `VLAN ${vlan.key}`,
      there: (await keyOf(tx, 'site', vlan.site)) ?? '',
      here: (await keyOf(tx, 'site', draft.id('site'))) ?? '',
    });
  }
}

function checkGateway(draft: Draft, p: Prefix): Ip | undefined {
  const text = draft.text('gateway');
  if (text === null) return undefined;
  const gateway = mustParse(parseIp(text));
  if (!contains(p, gateway)) {
    draft.fault('gateway', 'gateway-outside', { gateway: text, prefix: String(draft.after.cidr) });
    return undefined;
  }
  const usable = usableRange(p);
  if (gateway.value < usable.first || gateway.value > usable.last) {
    const what = gateway.value === p.first ? 'network' : 'broadcast';
    draft.fault('gateway', 'gateway-unusable', { gateway: text, what, prefix: String(draft.after.cidr) });
  }
  return gateway;
}

/** Who gets which address, said of duties that there are. */
async function checkHandOut(tx: Tx, draft: Draft, p: Prefix): Promise<void> {
  const text = draft.text('handOut');
  if (text === null || !draft.changes('handOut')) return;
  const rules = parseHandOut(text);
  if (!rules.ok) return draft.fault('handOut', rules.fault.code, rules.fault.params);
  const duties = await tx.select<{ natural_key: string }>('SELECT natural_key FROM duty');
  const known = new Set(duties.map((one) => one.natural_key));
  for (const { duty, offset } of rules.value) {
    const at = addressAt(p, offset);
    if (!at.ok) draft.fault('handOut', at.fault.code, at.fault.params);
    if (duty === null || known.has(duty)) continue;
    const near = nearest(duty, known);
    draft.fault('handOut', 'ref-unknown', { kind: 'duty', ref: duty, ...(near ? { meant: near } : {}) });
  }
  draft.after.handOut = formatHandOut(rules.value, p.family) || null;
}

/** What DHCP clients are told. */
function checkTold(draft: Draft): void {
  for (const field of ['nameServers', 'timeServers', 'relays']) {
    const given = (draft.text(field) ?? '').split(/[,;\s]+/).filter(Boolean);
    const servers = given.map((text) => ({ text, ip: parseIp(text) }));
    const odd = servers.find(({ ip }) => !ip.ok || ip.value.family !== 4);
    if (odd) draft.fault(field, 'servers-syntax', { value: odd.text });
    else draft.after[field] = given.join(', ') || null;
  }
  const domain = draft.text('domain');
  if (domain === null) return;
  const name = parseDomain(domain);
  if (name.ok) draft.after.domain = name.value;
  else draft.fault('domain', name.fault.code, name.fault.params);
}

function checkRanges(draft: Draft, field: 'heldBack' | 'pool' | 'quarantine', p: Prefix): Span[] {
  const ranges = mustParse(parseRanges(draft.text(field) ?? ''));
  const spans = rangesInside(p, ranges);
  if (!spans.ok) {
    draft.fault(field, spans.fault.code, spans.fault.params);
    return [];
  }
  for (const [i, span] of spans.value.entries()) {
    const next = spans.value[i + 1];
    if (next && next.first <= span.last) {
      draft.fault(field, 'range-on-range', { one: spanText(span, p.family), other: spanText(next, p.family) });
    }
  }
  return spans.value;
}

function checkApart(draft: Draft, field: string, p: Prefix, ones: Span[], others: Span[]): void {
  for (const one of ones) {
    const other = others.find((o) => o.first <= one.last && one.first <= o.last);
    if (other) draft.fault(field, 'range-on-range', { one: spanText(one, p.family), other: spanText(other, p.family) });
  }
}

/** A pool must not cover what is assigned, and nothing that a prefix keeps may lie under its children. */
async function checkNothingUnder(tx: Tx, draft: Draft, prefixId: number, p: Prefix, pool: Span[]): Promise<void> {
  const places = keptByDraft(draft).filter(({ field }) => draft.changes(field));
  if (places.length === 0) return;
  await lockSpaces(tx, [prefixId]);
  if (draft.changes('pool') || draft.changes('quarantine'))
    for (const span of pool) {
      const address = await tx.one<{ natural_key: string }>(
        'SELECT natural_key FROM address WHERE prefix_id = ? AND address BETWEEN ? AND ? ORDER BY address LIMIT 1',
        [prefixId, bytesOf(p.family, span.first), bytesOf(p.family, span.last)],
      );
      if (address)
        draft.fault('pool', 'range-on-address', { range: spanText(span, p.family), address: address.natural_key });
    }
  await checkBesideChildren(tx, draft, p, places, 'parent_id = ?', [prefixId]);
}

async function checkBesideChildren(
  tx: Tx,
  draft: Draft,
  p: Prefix,
  places: ReturnType<typeof keptSpans>,
  where: string,
  values: unknown[],
): Promise<void> {
  for (const { field, span } of places) {
    const below = await tx.select<{ natural_key: string; cidr: Buffer; cidr_length: number }>(
      `SELECT natural_key, cidr, cidr_length FROM prefix WHERE ${where} AND cidr <= ? ORDER BY sort_key`,
      [...values, bytesOf(p.family, span.last)],
    );
    const child = below.find(
      (c) => lastOf({ family: p.family, first: valueOf(c.cidr, p.family), length: c.cidr_length }) >= span.first,
    );
    if (child) draft.fault(field, 'range-on-prefix', { range: spanText(span, p.family), prefix: child.natural_key });
  }
}

/** What a new prefix takes over must not become impossible: addresses at its edges or in its pool, its parent's pool. */
async function placeInTree(tx: Tx, draft: Draft, p: Prefix, pool: Span[]): Promise<void> {
  const vrf = draft.id('vrf') ?? 0;
  await checkBesideChildren(
    tx,
    draft,
    p,
    keptByDraft(draft),
    'vrf_id = ? AND cidr_family = ? AND cidr_length > ? AND cidr >= ?',
    [vrf, p.family, p.length, bytesOf(p.family, p.first)],
  );
  const parentId = await smallestCovering(tx, vrf, truncations(p));
  if (parentId === undefined) return;
  await lockSpaces(tx, [parentId]);
  const parent = await byId(tx, 'prefix', parentId);
  for (const { field, span } of keptSpans(parent)) {
    if (span.first <= lastOf(p) && p.first <= span.last)
      draft.fault('cidr', 'prefix-on-kept', keptWords(field, span, parent.key, p.family, String(draft.after.cidr)));
  }
  const usable = usableRange(p);
  const moved = await tx.select<{ address: Buffer }>(
    'SELECT address FROM address WHERE prefix_id = ? AND address BETWEEN ? AND ?',
    [parentId, bytesOf(p.family, p.first), bytesOf(p.family, lastOf(p))],
  );
  for (const row of moved) {
    const value = valueOf(row.address, p.family);
    const address = ipText(p.family, value);
    if (value < usable.first || value > usable.last) {
      draft.fault('cidr', 'prefix-edge', {
        address,
        what: value === p.first ? 'network' : 'broadcast',
        prefix: String(draft.after.cidr),
      });
    }
    const range = pool.find((span) => value >= span.first && value <= span.last);
    if (range) draft.fault('pool', 'range-on-address', { range: spanText(range, p.family), address });
  }
}

/** When a prefix goes, its addresses fall to its parent: none may be the parent's network or broadcast address. */
async function refuseLostAddresses(tx: Tx, parentId: number, p: Prefix): Promise<void> {
  const row = await tx.one<{ cidr: Buffer; cidr_length: number }>('SELECT cidr, cidr_length FROM prefix WHERE id = ?', [
    parentId,
  ]);
  if (!row) return;
  const parent: Prefix = { family: p.family, first: valueOf(row.cidr, p.family), length: row.cidr_length };
  const usable = usableRange(parent);
  const edges = [parent.first, lastOf(parent)].filter((value) => value < usable.first || value > usable.last);
  if (edges.length === 0) return;
  const lost = await tx.one<{ address: Buffer }>(
    'SELECT address FROM address WHERE prefix_id = ? AND address IN (?) LIMIT 1',
    [parentId, edges.map((value) => bytesOf(p.family, value))],
  );
  if (!lost) return;
  const value = valueOf(lost.address, p.family);
  throw new Refusal('prefix-edge', {
    address: ipText(p.family, value),
    what: value === parent.first ? 'network' : 'broadcast',
    prefix: prefixText(p.family, row.cidr, row.cidr_length),
  });
}
