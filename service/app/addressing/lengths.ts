/** With which length an address is written: that of its prefix, but for a loopback, which is a host alone. */
import { bitsOf } from '@zpine/core/addressing/ip';
import { parsePrefix } from '@zpine/core/addressing/prefix';
import { mustParse } from '@zpine/core/fault';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

/** `form`: of the interface that it sits on, if any. */
export function writtenLength(form: string | null | undefined, prefix: Pick<Stored<'prefix'>, 'cidr'>): number {
  const p = mustParse(parsePrefix(prefix.cidr));
  return form === 'loopback' ? bitsOf(p.family) : p.length;
}

export async function lengthOn(
  tx: Tx,
  address: Pick<Stored<'address'>, 'interface'>,
  prefix: Pick<Stored<'prefix'>, 'cidr'>,
): Promise<number> {
  const on =
    address.interface === null ? undefined : (await byIds(tx, 'interface', [address.interface])).get(address.interface);
  return writtenLength(on?.form, prefix);
}
