/** The addresses that interfaces have: their own, and the shared ones that they carry with others. */
import { type Stored } from '@zpine/contract/kinds';
import { byIds, find } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';

/** In the order of addresses; a shared one once for each of its carriers among them, as if it were on that alone. */
export async function addressesOn(tx: Tx, interfaces: readonly number[]): Promise<Stored<'address'>[]> {
  const own = await find(tx, 'address', { interface_id: [...interfaces] }, { order: ['sort_key'] });
  const carriers = await find(tx, 'carrier', { interface_id: [...interfaces] }, { order: ['sort_key'] });
  if (carriers.length === 0) return own;
  const shared = await byIds(
    tx,
    'address',
    carriers.map((one) => one.address),
  );
  const carried = carriers.flatMap(({ address, interface: on }) => {
    const held = shared.get(address);
    return held ? [{ ...held, interface: on }] : [];
  });
  return [...own, ...carried];
}
