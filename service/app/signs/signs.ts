/** Signs of life: what devices say of themselves unasked. Evidence of known ones; of others it makes, or refreshes, a stranger. */
import { createHash } from 'node:crypto';
import { Masker } from '@zpine/core/secrets/masking';
import { visible } from '@zpine/core/text/visible';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { SignKind } from '@zpine/contract/signRoutes';
import { Instant } from '../../store/instant.ts';
import { byIds, keysOf } from '../../store/records.ts';
import { maybe, number, table, text, time, word, type RowOf } from '../../store/table.ts';
import type { Tx } from '../../store/tx.ts';
import { applyEvent, openArrival } from '../arrivals/arrivals.ts';
import { targetsOf } from '../fleet/targets.ts';
import { mustFindField } from '../records/refs.ts';
import type { Sign } from './sign.ts';
import { saveTalker } from './talkers.ts';

const signs = table('sign', {
  id: number,
  device_id: maybe(number),
  prefix_id: maybe(number),
  address: text,
  kind: word<SignKind>(),
  severity: maybe(number),
  text,
  first_at: time,
  last_at: time,
  times: number,
});
type SignRow = RowOf<typeof signs>;

const LONGEST = 1000;
/** The same again within this time is counted, not written once more. */
const SAME_MINUTES = 60;

export async function saveSigns(tx: Tx, all: readonly Sign[]): Promise<void> {
  const ids = [...new Set(all.flatMap(({ device }) => device ?? []))].sort((a, b) => a - b);
  // Devices first, in their order, as everybody else locks them.
  const devices = await byIds(tx, 'device', ids, true);
  const links = await byIds(tx, 'prefix', [...new Set(all.flatMap(({ prefix }) => prefix ?? []))]);
  const masks = new Map(
    [...(await targetsOf(tx, [...devices.values()]))].map(([id, { secrets }]) => [id, new Masker(secrets)]),
  );
  const kept = all.flatMap((sign): Sign[] => {
    const link = links.get(sign.prefix ?? 0);
    const device = devices.get(sign.device ?? 0);
    if (link?.signs === 'none' || (!device && (!link || link.signs === 'known'))) return [];
    const shown = visible(masks.get(device?.id ?? 0)?.mask(sign.text) ?? sign.text);
    return [{ ...sign, device: device?.id, text: shown.slice(0, LONGEST) }];
  });
  for (const sign of kept) await saveOne(tx, sign);
  for (const sign of newestOf(kept)) {
    if (sign.device === undefined) {
      const link = links.get(sign.prefix ?? 0);
      if (link) await saveTalker(tx, sign, link);
    } else await tellArrival(tx, sign.device, sign);
  }
}

/** One of each sender. */
const newestOf = (all: readonly Sign[]): Sign[] => [...new Map(all.map((sign) => [sign.address, sign])).values()];

async function saveOne(tx: Tx, sign: Sign): Promise<void> {
  const { kind, device = null, prefix = null, address, severity, text: said } = sign;
  const same = createHash('md5')
    .update(`${device ?? address} ${kind} ${said}`)
    .digest('hex');
  const [first, last] = [new Instant(sign.at), new Instant(sign.lastAt)];
  const counted = await tx.execute(
    `UPDATE sign SET times = times + ?, last_at = ? WHERE same_as = ? AND last_at > ? - INTERVAL ${SAME_MINUTES} MINUTE ORDER BY id DESC LIMIT 1`,
    [sign.times, last, same, last],
  );
  if (counted > 0) return;
  await tx.insertRows('sign', [
    {
      ...{ device_id: device, prefix_id: prefix, address, kind, severity, text: said, same_as: same },
      ...{ first_at: first, last_at: last, times: sign.times },
    },
  ]);
}

async function tellArrival(tx: Tx, device: number, { kind, address, text: said }: Sign): Promise<void> {
  const row = await openArrival(tx, device);
  if (row) await applyEvent(tx, row, { kind: 'sign', evidence: { by: kind, from: address, text: said.slice(0, 200) } });
}

export async function listSigns(tx: Tx, query: QueryOf<'sign.list'>): Promise<ReplyOf<'sign.list'>> {
  const tests: string[] = [];
  const values: unknown[] = [];
  const narrow = (test: string, value: unknown): void => {
    tests.push(test);
    values.push(value);
  };
  if (query.device !== undefined)
    narrow('device_id = ?', (await mustFindField(tx, 'device', query.device, 'device')).id);
  if (query.prefix !== undefined)
    narrow('prefix_id = ?', (await mustFindField(tx, 'prefix', query.prefix, 'prefix')).id);
  if (query.address !== undefined) narrow('address = ?', query.address);
  if (query.kind !== undefined) narrow('kind = ?', query.kind);
  const where = tests.length > 0 ? `WHERE ${tests.join(' AND ')}` : '';
  const rows = await tx.select<SignRow>(
    `SELECT ${signs.all} FROM sign ${where} ORDER BY last_at DESC, id DESC LIMIT ${query.limit}`,
    values,
  );
  return { items: await shownSigns(tx, rows) };
}

async function shownSigns(tx: Tx, rows: readonly SignRow[]): Promise<ReplyOf<'sign.list'>['items']> {
  const ids = (field: 'device_id' | 'prefix_id') => [...new Set(rows.flatMap((row) => row[field] ?? []))].map(Number);
  const devices = await keysOf(tx, 'device', ids('device_id'));
  const prefixes = await keysOf(tx, 'prefix', ids('prefix_id'));
  return rows.map((row) => ({
    id: Number(row.id),
    kind: row.kind,
    device: row.device_id === null ? null : (devices.get(Number(row.device_id)) ?? `#${row.device_id}`),
    prefix: row.prefix_id === null ? null : (prefixes.get(Number(row.prefix_id)) ?? null),
    address: row.address,
    severity: row.severity,
    text: row.text,
    firstAt: row.first_at.toISOString(),
    lastAt: row.last_at.toISOString(),
    times: row.times,
  }));
}
