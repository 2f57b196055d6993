/** The smallest prefixes around many addresses, in a few statements however many they are. */
import { bitsOf, type Family, type Ip } from '@zpine/core/addressing/ip';
import { networkOf, type Prefix } from '@zpine/core/addressing/prefix';
import { grouped } from '@zpine/core/lists/grouped';
import { bytesOf, valueOf } from './spans.ts';
import type { Tx } from './tx.ts';

export interface Host {
  vrf: number;
  ip: Ip;
}

/** From so many on it is asked first which lengths there are at all: most of the 33 or 129 are not. */
const ASK_LENGTHS = 4;
/** Probes of one statement. */
const SLICE = 1000;
/** So many are asked for in pairs. */
const FEW = 140;

/** By exact probes of the truncations of each host, in its VRF; undefined where none covers it. */
export async function smallestCoverings(tx: Tx, hosts: readonly Host[]): Promise<(number | undefined)[]> {
  const out = new Array<number | undefined>(hosts.length).fill(undefined);
  const numbered = hosts.map((host, i) => ({ ...host, i }));
  for (const some of grouped(numbered, ({ vrf, ip }) => `${vrf} ${ip.family}`).values()) {
    const { vrf, ip } = some[0] as (typeof some)[number];
    const lengths = await lengthsIn(tx, vrf, ip.family, some.length);
    const around = some.map((host) => lengths.map((length) => networkOf(host.ip, length)));
    const found = await standing(tx, vrf, ip.family, around.flat());
    for (const [n, host] of some.entries())
      out[host.i] = around[n]?.map((p) => found.get(nameOf(p))).find((id) => id !== undefined);
  }
  return out;
}

const nameOf = ({ first, length }: Pick<Prefix, 'first' | 'length'>): string => `${first}/${length}`;

/** The longest first. */
async function lengthsIn(tx: Tx, vrf: number, family: Family, hosts: number): Promise<number[]> {
  const all = Array.from({ length: bitsOf(family) + 1 }, (_, i) => bitsOf(family) - i);
  if (hosts < ASK_LENGTHS) return all;
  const rows = await tx.select<{ length: number }>(
    'SELECT DISTINCT cidr_length AS length FROM prefix WHERE vrf_id = ? AND cidr_family = ?',
    [vrf, family],
  );
  return rows.map(({ length }) => length).sort((a, b) => b - a);
}

/** Length by length: a list of pairs as long as this is looked for row by row by the database. */
async function standing(tx: Tx, vrf: number, family: Family, probes: readonly Prefix[]): Promise<Map<string, number>> {
  const each = [...new Map(probes.map((p) => [nameOf(p), p])).values()];
  const found = new Map<string, number>();
  const take = (rows: { id: number; cidr: Buffer; length: number }[]): void => {
    for (const { id, cidr, length } of rows) found.set(nameOf({ first: valueOf(cidr, family), length }), Number(id));
  };
  if (each.length <= FEW) {
    take(
      await tx.select(
        `SELECT id, cidr, cidr_length AS length FROM prefix
         WHERE vrf_id = ? AND cidr_family = ? AND (cidr, cidr_length) IN (${each.map(() => '(?, ?)').join(', ')})`,
        [vrf, family, ...each.flatMap((p) => [bytesOf(family, p.first), p.length])],
      ),
    );
    return found;
  }
  for (const [length, some] of grouped(each, (p) => p.length))
    for (let at = 0; at < some.length; at += SLICE)
      take(
        await tx.select(
          `SELECT id, cidr, cidr_length AS length FROM prefix
           WHERE vrf_id = ? AND cidr_family = ? AND cidr_length = ? AND cidr IN (?)`,
          [vrf, family, length, some.slice(at, at + SLICE).map((p) => bytesOf(family, p.first))],
        ),
      );
  return found;
}
