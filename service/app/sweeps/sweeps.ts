/** Sweeps: begun, shown, stopped. The hosts themselves are tried in fleet/. */
import { fromBytes, formatIp, type Ip } from '@zpine/core/addressing/ip';
import { parsePrefix, usableRange, type Prefix } from '@zpine/core/addressing/prefix';
import { mustParse } from '@zpine/core/fault';
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import type { BodyOf, QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { SweepHead, Swept } from '@zpine/contract/sweepRoutes';
import { bytesOf } from '../../store/spans.ts';
import { maybe, number, table, text, time, word, type RowOf } from '../../store/table.ts';
import type { Tx } from '../../store/tx.ts';
import { mustFind, mustFindField } from '../records/refs.ts';
import { loginsFor } from './logins.ts';

export const sweeps = table('sweep', {
  id: number,
  prefix_id: number,
  prefix_key: text,
  vrf_id: number,
  only: maybe(text),
  stranger_id: maybe(number),
  state: word<SweepHead['state']>(),
  signs_in: number,
  per_second: number,
  total: number,
  known: number,
  done: number,
  silent: number,
  shut: number,
  last_done: maybe(text),
  stopping: number,
  remarks: text,
  made_at: time,
  made_by: text,
  reason: maybe(text),
  ended_at: maybe(time),
  ended: maybe(text),
});
export type SweepRow = RowOf<typeof sweeps>;

/** More than that nobody goes through: a prefix of IPv6 is never walked. */
const MOST_SWEPT = 4096;
const MOST_LISTED = 100;

/** `one`: of all addresses this one, of a stranger that talks. */
export async function startSweep(
  tx: Tx,
  body: BodyOf<'sweep.start'>,
  one?: { address: string; stranger: number },
): Promise<ReplyOf<'sweep.start'>> {
  const { id } = await mustFindField(tx, 'prefix', body.prefix, 'prefix');
  const prefix = await mustFind(tx, 'prefix', `#${id}`);
  if (prefix.sweep === 'no') throw Refusal.at(['prefix'], 'sweep-off', { prefix: prefix.key });
  const going = await tx.one<{ id: number }>(
    "SELECT id FROM sweep WHERE prefix_id = ? AND state <> 'ended' FOR UPDATE",
    [prefix.id],
  );
  if (going) throw Refusal.at(['prefix'], 'sweep-going', { prefix: prefix.key, id: going.id });
  const range = usableRange(mustParse(parsePrefix(prefix.cidr)));
  const size = range.last - range.first + 1n;
  if (!one && size > BigInt(MOST_SWEPT))
    throw Refusal.at(['prefix'], 'sweep-large', { prefix: prefix.key, most: MOST_SWEPT });
  const known = one ? 0 : (await knownIn(tx, prefix)).size;
  const remarks = prefix.sweep === 'sign-in' ? (await loginsFor(tx)).remarks : [];
  const [made = 0] = await tx.insertRows('sweep', [
    {
      prefix_id: prefix.id,
      prefix_key: prefix.key,
      vrf_id: prefix.vrf,
      state: 'waiting',
      signs_in: prefix.sweep === 'sign-in' ? 1 : 0,
      per_second: body.perSecond,
      ...(one ? { only: one.address, stranger_id: one.stranger } : {}),
      total: one ? 1 : Number(size) - known,
      known: one ? 0 : known,
      remarks: JSON.stringify(remarks),
      made_at: await tx.now(),
      made_by: tx.actor.name,
      reason: tx.actor.reason ?? null,
    },
  ]);
  tx.hint('sweep', made, null);
  return headOf(await sweepRow(tx, String(made)));
}

/** What an interface of the records has, and the gateway: there is nobody to be found. */
async function knownIn(tx: Tx, prefix: Stored<'prefix'>): Promise<Set<bigint>> {
  const parsed = mustParse(parsePrefix(prefix.cidr));
  const { first, last } = usableRange(parsed);
  const rows = await tx.select<{ address: Buffer }>(
    'SELECT address FROM address WHERE vrf_id = ? AND address_family = ? AND address BETWEEN ? AND ? AND interface_id IS NOT NULL',
    [prefix.vrf, parsed.family, bytesOf(parsed.family, first), bytesOf(parsed.family, last)],
  );
  return new Set(rows.map((row) => fromBytes(row.address, parsed.family).value));
}

/** The addresses that a sweep goes through, in their order: usable ones that the records do not know. */
export async function addressesOf(tx: Tx, prefix: Stored<'prefix'>): Promise<string[]> {
  const parsed: Prefix = mustParse(parsePrefix(prefix.cidr));
  const { first, last } = usableRange(parsed);
  const known = await knownIn(tx, prefix);
  const out: string[] = [];
  for (let value = first; value <= last && out.length < MOST_SWEPT; value += 1n)
    if (!known.has(value)) out.push(formatIp({ family: parsed.family, value }));
  return out;
}

export async function sweepRow(tx: Tx, id: string): Promise<SweepRow> {
  const [row] = await tx.select<SweepRow>(`SELECT ${sweeps.all} FROM sweep WHERE id = ?`, [id.replace(/^#/, '')]);
  if (!row) throw new Refusal('not-found', { kind: 'sweep', ref: id });
  return row;
}

export async function listSweeps(tx: Tx, query: QueryOf<'sweep.list'>): Promise<ReplyOf<'sweep.list'>> {
  const prefix = query.prefix === undefined ? undefined : await mustFindField(tx, 'prefix', query.prefix, 'prefix');
  const rows = await tx.select<SweepRow>(
    `SELECT ${sweeps.all} FROM sweep${prefix ? ' WHERE prefix_id = ?' : ''} ORDER BY id DESC LIMIT ${MOST_LISTED}`,
    prefix ? [prefix.id] : [],
  );
  return { items: rows.map(headOf) };
}

export async function showSweep(tx: Tx, id: string): Promise<ReplyOf<'sweep.show'>> {
  const row = await sweepRow(tx, id);
  return { ...headOf(row), found: await foundBy(tx, row.id) };
}

export const foundBy = async (tx: Tx, sweep: number): Promise<Swept[]> =>
  (await tx.select<{ result: string }>('SELECT result FROM swept WHERE sweep_id = ? ORDER BY address', [sweep])).map(
    ({ result }) => JSON.parse(result) as Swept,
  );

export async function stopSweep(tx: Tx, id: string): Promise<SweepHead> {
  const row = await sweepRow(tx, id);
  await tx.execute("UPDATE sweep SET stopping = 1 WHERE id = ? AND state <> 'ended'", [row.id]);
  tx.hint('sweep', row.id, null);
  return headOf(await sweepRow(tx, String(row.id)));
}

const headOf = (row: SweepRow): SweepHead => ({
  id: Number(row.id),
  prefix: row.prefix_key,
  state: row.state,
  signsIn: row.signs_in === 1,
  perSecond: row.per_second,
  total: row.total,
  done: row.done,
  silent: row.silent,
  shut: row.shut,
  known: row.known,
  remarks: JSON.parse(row.remarks) as string[],
  stopping: row.stopping === 1,
  madeAt: row.made_at.toISOString(),
  by: row.made_by,
  reason: row.reason,
  endedAt: row.ended_at?.toISOString() ?? null,
  ended: row.ended,
});

/** What came of an address: nobody answered, the port is shut, or somebody is there. */
export type SweptNow = Ip & { found: Swept | 'silent' | 'shut' };

export async function saveSwept(tx: Tx, sweep: number, results: readonly SweptNow[]): Promise<void> {
  for (const { family, value, found } of results)
    if (typeof found === 'object')
      await tx.execute(
        `INSERT INTO swept (sweep_id, address, address_family, rung, result) VALUES (?, ?, ?, ?, ?)
         ON DUPLICATE KEY UPDATE rung = VALUES(rung), result = VALUES(result)`,
        [sweep, bytesOf(family, value), family, found.rung, JSON.stringify(found)],
      );
  const of = (what: 'silent' | 'shut'): number => results.filter(({ found }) => found === what).length;
  const last = results.at(-1);
  await tx.execute(
    'UPDATE sweep SET done = done + ?, silent = silent + ?, shut = shut + ?, last_done = COALESCE(?, last_done) WHERE id = ?',
    [results.length, of('silent'), of('shut'), last ? formatIp(last) : null, sweep],
  );
  tx.hint('sweep', sweep, null);
}
