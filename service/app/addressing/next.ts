import { formatIp, parseIp, type Family } from '@zpine/core/addressing/ip';
import { contains, parsePrefix } from '@zpine/core/addressing/prefix';
import { sure } from '@zpine/core/fault';
import { Refusal } from '@zpine/contract/errors';
import { type Stored } from '@zpine/contract/kinds';
import { keyOf } from '../../store/records.ts';
import { freeCount, nextFree, spaceOf } from '../../store/spans.ts';
import { type Tx } from '../../store/tx.ts';

export interface Proposal {
  address: string;
  length: number;
  prefix: string;
  vlan: string | null;
  site: string | null;
  use: string | null;
  left: string;
}

/** The next free address of a prefix, at or above `from`. With `lock` the prefix' free space stays as it is till the end. */
export async function nextIn(
  tx: Tx,
  prefix: Stored<'prefix'>,
  from: string | undefined,
  lock: boolean,
): Promise<string> {
  const p = sure(parsePrefix(prefix.cidr));
  const start = from === undefined ? p.first : startOf(prefix, from);
  const space = await spaceOf(tx, prefix.id, 'fixed', lock);
  const value = await nextFree(tx, space, p.family, start);
  if (value === undefined)
    throw new Refusal('prefix-full', { prefix: prefix.key, ...(from === undefined ? {} : { from }) });
  return formatIp({ family: p.family, value });
}

function startOf(prefix: Stored<'prefix'>, from: string): bigint {
  const read = parseIp(from);
  if (!read.ok) throw Refusal.at(['from'], read.fault.code, read.fault.params);
  if (!contains(sure(parsePrefix(prefix.cidr)), read.value)) {
    throw Refusal.at(['from'], 'address-outside-prefix', { address: from, prefix: prefix.key });
  }
  return read.value.value;
}

export async function proposalOf(tx: Tx, prefix: Stored<'prefix'>, address: string): Promise<Proposal> {
  const p = sure(parsePrefix(prefix.cidr));
  return {
    address,
    length: p.length,
    prefix: prefix.key,
    vlan: await keyOf(tx, 'vlan', prefix.vlan),
    site: await keyOf(tx, 'site', prefix.site),
    use: await keyOf(tx, 'use', prefix.use),
    left: String(await freeCount(tx, prefix.id, p.family)),
  };
}

export const familyOf = (text: string | undefined): Family => (text === '6' ? 6 : 4);
