/** What whoever sweeps takes from the database and puts back: a sweep at a time, its addresses in batches. */
import { parseIp } from '@zpine/core/addressing/ip';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { mustParse } from '@zpine/core/fault';
import type { Swept } from '@zpine/contract/sweepRoutes';
import { claimDue, release, renew, type Lease } from '../../store/claims.ts';
import { byIds, keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { allDialects } from '../fleet/dialects.ts';
import { accountsGiven } from '../boot/firstFile.ts';
import { metStranger } from './meet.ts';
import { loginsFor, type FirstLogin, type FirstLogins } from './logins.ts';
import { addressesOf, saveSwept, sweeps, type SweepRow } from './sweeps.ts';

export interface ClaimedSweep {
  id: number;
  lease: Lease;
  vrf: string;
  perSecond: number;
  /** Whose address it is alone that is looked at. */
  stranger: number | undefined;
  /** Those that are left. */
  addresses: string[];
  /** Undefined where nobody signs in. */
  logins: FirstLogins['logins'] | undefined;
  /** By address: of strangers that were given a first file. */
  accounts: ReadonlyMap<string, FirstLogin>;
  access: Omit<FirstLogins, 'logins' | 'remarks'>;
  dialects: Dialect[];
}

export async function claimSweep(tx: Tx): Promise<ClaimedSweep | undefined> {
  const [row] = await claimDue<SweepRow>(tx, 'sweep', {
    columns: sweeps.all,
    where: "state IN ('waiting', 'working')",
    values: [],
    order: 'id',
    most: 1,
  });
  if (!row) return undefined;
  await tx.execute("UPDATE sweep SET state = 'working' WHERE id = ?", [row.id]);
  const prefix = (await byIds(tx, 'prefix', [Number(row.prefix_id)])).get(Number(row.prefix_id));
  if (!prefix || prefix.sweep === 'no') {
    await endSweep(
      tx,
      { id: Number(row.id), lease: row.lease },
      prefix ? 'its prefix may not be swept any more' : 'its prefix is gone',
    );
    return undefined;
  }
  const { logins, remarks: _remarks, ...access } = await loginsFor(tx);
  return {
    id: Number(row.id),
    lease: row.lease,
    vrf: (await keysOf(tx, 'vrf', [prefix.vrf])).get(prefix.vrf) ?? 'default',
    perSecond: row.per_second,
    // Whoever had it before was as far as that; by now others may be known.
    addresses: behind(row.only === null ? await addressesOf(tx, prefix) : [row.only], row.last_done),
    stranger: row.stranger_id === null ? undefined : Number(row.stranger_id),
    // As it was begun: what was permitted since is for the next one, what was forbidden since holds at once.
    logins: row.signs_in === 1 && prefix.sweep === 'sign-in' ? logins : undefined,
    accounts: await accountsGiven(tx, prefix.id),
    access,
    dialects: await allDialects(tx),
  };
}

const behind = (addresses: readonly string[], last: string | null): string[] => {
  if (last === null) return [...addresses];
  const { value } = mustParse(parseIp(last));
  return addresses.filter((address) => mustParse(parseIp(address)).value > value);
};

/** Keeps what some addresses came to; gives whether to go on. */
export async function keepSwept(
  tx: Tx,
  sweep: ClaimedSweep,
  results: readonly { address: string; found: Swept | 'silent' | 'shut' }[],
): Promise<'on' | 'stopped' | 'lost'> {
  if (!(await renew(tx, sweep.lease))) return 'lost';
  await saveSwept(
    tx,
    sweep.id,
    results.map(({ address, found }) => ({ ...mustParse(parseIp(address)), found })),
  );
  for (const { found } of results) if (sweep.stranger !== undefined) await metStranger(tx, sweep.stranger, found);
  const row = await tx.one<{ stopping: number; sweep: string | null }>(
    'SELECT s.stopping, p.sweep FROM sweep s LEFT JOIN prefix p ON p.id = s.prefix_id WHERE s.id = ?',
    [sweep.id],
  );
  const permitted = sweep.logins ? row?.sweep === 'sign-in' : row?.sweep === 'look' || row?.sweep === 'sign-in';
  return row?.stopping === 1 || !permitted ? 'stopped' : 'on';
}

export async function endSweep(tx: Tx, sweep: Pick<ClaimedSweep, 'id' | 'lease'>, early: string | null): Promise<void> {
  await tx.execute("UPDATE sweep SET state = 'ended', ended_at = ?, ended = ? WHERE id = ?", [
    await tx.now(),
    early,
    sweep.id,
  ]);
  await release(tx, sweep.lease);
  tx.hint('sweep', sweep.id, null);
}
