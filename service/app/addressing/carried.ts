/** The addresses that interfaces have: their own, and the shared ones that they carry with others. */
import type { Row } from '@zpine/contract/fields';
import type { Stored } from '@zpine/contract/kinds';
import { columnsIn, recordIn } from '../../store/joined.ts';
import { rememberKeys } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

export interface Carried {
  /** In their order; a shared one once for each of its carriers among them, as if it were on that alone. */
  addresses: Stored<'address'>[];
  prefixes: Map<number, Stored<'prefix'>>;
}

/** So many interfaces of one statement. */
const SLICE = 5000;

/** With the prefixes that they lie in. */
export async function addressesOn(tx: Tx, interfaces: readonly number[]): Promise<Carried> {
  const found: Carried = { addresses: [], prefixes: new Map() };
  const carried: Stored<'address'>[] = [];
  const columns = `${columnsIn('address', 'a')}, ${columnsIn('prefix', 'p')}`;
  for (let at = 0; at < interfaces.length; at += SLICE) {
    const ids = interfaces.slice(at, at + SLICE);
    const rows = await tx.select<Row>(
      `SELECT ${columns}, NULL AS carrier, a.sort_key AS place FROM address a JOIN prefix p ON p.id = a.prefix_id
         WHERE a.interface_id IN (?)
       UNION ALL SELECT ${columns}, c.interface_id, c.sort_key FROM carrier c JOIN address a ON a.id = c.address_id
         JOIN prefix p ON p.id = a.prefix_id WHERE c.interface_id IN (?)
       ORDER BY place`,
      [ids, ids],
    );
    for (const row of rows) {
      const [address, prefix] = [recordIn('address', 'a', row), recordIn('prefix', 'p', row)];
      if (!address || !prefix) continue;
      found.prefixes.set(prefix.id, prefix);
      if (row.carrier === null) found.addresses.push(address);
      else carried.push({ ...address, interface: Number(row.carrier) });
    }
  }
  rememberKeys(tx, 'prefix', found.prefixes.values());
  rememberKeys(tx, 'address', [...found.addresses, ...carried]);
  found.addresses.push(...carried);
  return found;
}
