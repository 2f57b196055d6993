import { formatIp, parseIp, type Family } from '@zpine/core/addressing/ip';
import { contains, parsePrefix, usableRange } from '@zpine/core/addressing/prefix';
import { mustParse } from '@zpine/core/fault';
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import { keyOf, keysOfAll } from '../../store/records.ts';
import { insert } from '../../store/recordWrites.ts';
import { uniqueIds } from '../settings/layers.ts';
import { freeCount, nextFree, spaceOf, occupyNext } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';

export interface Proposal {
  address: string;
  length: number;
  prefix: string;
  vlan: string | null;
  site: string | null;
  use: string | null;
  left: string;
}

/** The next free address of a prefix, at or above `from`; nothing is taken. */
export async function nextIn(tx: Tx, prefix: Stored<'prefix'>, from: string | undefined): Promise<string> {
  const p = mustParse(parsePrefix(prefix.cidr));
  const value = await nextFree(tx, await spaceOf(tx, prefix.id, 'fixed'), p.family, startOf(prefix, from));
  if (value === undefined) throw await full(tx, prefix, from);
  return formatIp({ family: p.family, value });
}

/** Takes the next free address of a prefix for an interface, or for nobody. */
export async function assignNextIn(
  tx: Tx,
  prefix: Stored<'prefix'>,
  from: string | undefined,
  on: Stored<'interface'> | null,
  description: string | null,
): Promise<{ address: Stored<'address'>; left: bigint }> {
  const { family } = mustParse(parsePrefix(prefix.cidr));
  const start = startOf(prefix, from);
  if (on && on.vrf !== prefix.vrf) {
    const [one, other] = [await keyOf(tx, 'vrf', on.vrf), await keyOf(tx, 'vrf', prefix.vrf)];
    throw Refusal.at(['interface'], 'vrf-differs', { one: one ?? '', other: other ?? '' });
  }
  // What can be asked before the lock is asked before it.
  await Promise.all([
    keysOfAll(tx, [
      ['vrf', uniqueIds([prefix.vrf])],
      ['vlan', uniqueIds([prefix.vlan])],
      ['site', uniqueIds([prefix.site])],
      ['use', uniqueIds([prefix.use])],
    ]),
    tx.now(),
  ]);
  const taken = await occupyNext(tx, prefix.id, family, start);
  if (!taken) throw await full(tx, prefix, from);
  // What is free in a locked space is sound: inside the prefix and in no smaller one, in no pool, on nobody.
  const address = formatIp({ family, value: taken.value });
  const record = {
    address,
    description,
    shared: false,
    interface: on?.id ?? null,
    vrf: prefix.vrf,
    prefix: prefix.id,
    note: null,
  };
  const [[stored]] = await Promise.all([insert(tx, 'address', [record]), taken.done]);
  if (!stored) throw new Error('nothing was assigned');
  return { address: stored, left: taken.left };
}

export async function full(tx: Tx, prefix: Stored<'prefix'>, from?: string): Promise<Refusal> {
  const rests = await tx.one<{ count: number }>('SELECT COUNT(*) AS count FROM resting WHERE prefix_id = ?', [
    prefix.id,
  ]);
  return new Refusal('prefix-full', {
    prefix: prefix.key,
    length: mustParse(parsePrefix(prefix.cidr)).length,
    resting: Number(rests?.count ?? 0),
    ...(from === undefined ? {} : { from }),
  });
}

function startOf(prefix: Stored<'prefix'>, from: string | undefined): bigint {
  // From the first that a device may have: what is below it is in no free space for addresses.
  if (from === undefined) return usableRange(mustParse(parsePrefix(prefix.cidr))).first;
  const read = parseIp(from);
  if (!read.ok) throw Refusal.at(['from'], read.fault.code, read.fault.params);
  if (!contains(mustParse(parsePrefix(prefix.cidr)), read.value)) {
    throw Refusal.at(['from'], 'address-outside-prefix', { address: from, prefix: prefix.key });
  }
  return read.value.value;
}

export async function proposalOf(tx: Tx, prefix: Stored<'prefix'>, address: string, left?: bigint): Promise<Proposal> {
  return {
    address,
    length: mustParse(parsePrefix(prefix.cidr)).length,
    prefix: prefix.key,
    vlan: await keyOf(tx, 'vlan', prefix.vlan),
    site: await keyOf(tx, 'site', prefix.site),
    use: await keyOf(tx, 'use', prefix.use),
    left: String(left ?? (await freeCount(tx, prefix.id))),
  };
}

export const familyOf = (text: string | undefined): Family => (text === '6' ? 6 : 4);
