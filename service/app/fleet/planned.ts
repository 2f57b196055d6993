/** What has changed by which devices are watched or captured: in between, plans need not be made again. */
import type { LayerKind } from '@zpine/core/settings/layers';
import { devicesBehind } from '../devices/behind.ts';
import { devicesIn } from '../settings/numbers.ts';
import type { Tx } from '../../store/tx.ts';

/** Events that were seen; `top` is the newest of all. */
export interface SeenEvents {
  top: number;
  seen: ReadonlySet<number>;
}

/** Devices to be planned anew; undefined for all of them. */
export type Touched = readonly number[] | undefined;

const PLANS = ['watch.minutes', 'capture.hours'];
/** By what layers a device stands in. */
const LAYERS = ['label', 'area', 'site', 'room', 'rack', 'model', 'duty', 'dialect'];
/** A device without a site of its own stands where its management address is. */
const PLACING = ['prefix', 'address', 'interface'] as const;
const COUNTS = ['device', 'value', 'setting', ...LAYERS, ...PLACING];
/** Rows become visible out of order, when a transaction takes its number early and commits late. */
const OVERLAP = 500;
/** More devices than that are planned with all others: it costs the same. */
const FEW = 500;

interface Changed {
  id: number;
  kind: string;
  record: number;
  gone: boolean;
}

export async function changedSince(
  tx: Tx,
  before: SeenEvents | undefined,
): Promise<{ now: SeenEvents; touched: Touched }> {
  const top = Number((await tx.one<{ top: number | null }>('SELECT MAX(id) AS top FROM event'))?.top ?? 0);
  const since = Math.min(before?.top ?? top, top) - OVERLAP;
  const rows = (
    await tx.select<{ id: number; kind: string; record_id: number; version: number | null }>(
      'SELECT id, kind, record_id, version FROM event WHERE id > ? AND kind IN (?)',
      [since, COUNTS],
    )
  ).map((row): Changed => ({
    id: Number(row.id),
    kind: row.kind,
    record: Number(row.record_id),
    gone: row.version === null,
  }));
  const now = { top, seen: new Set(rows.map(({ id }) => id)) };
  // An event table that was emptied begins anew: nothing is known then.
  if (!before || top < before.top) return { now, touched: undefined };
  return {
    now,
    touched: await touchedBy(
      tx,
      rows.filter(({ id }) => id > before.top - OVERLAP && !before.seen.has(id)),
    ),
  };
}

async function touchedBy(tx: Tx, fresh: readonly Changed[]): Promise<Touched> {
  if (fresh.length === 0) return [];
  const of = (kind: string) => fresh.filter((one) => one.kind === kind);
  if (of('setting').length > 0) return undefined;
  const said = await tx.select<{ id: number; layer_kind: LayerKind; layer_id: number }>(
    'SELECT v.id, v.layer_kind, v.layer_id FROM setting_value v JOIN setting s ON s.id = v.setting_id WHERE s.name IN (?)',
    [PLANS],
  );
  const ids = new Set(of('device').map(({ record }) => record));
  for (const { record, gone } of of('value')) {
    // Nobody knows any more of which setting it was.
    if (gone) return undefined;
    const value = said.find(({ id }) => Number(id) === record);
    if (value?.layer_kind === 'everywhere') return undefined;
    if (value) for (const id of await devicesIn(tx, value.layer_kind, [Number(value.layer_id)])) ids.add(id);
  }
  const layered = said.some(({ layer_kind: kind }) => kind !== 'everywhere' && kind !== 'device');
  if (layered && fresh.some(({ kind }) => LAYERS.includes(kind))) return undefined;
  for (const kind of layered ? PLACING : []) {
    const placing = of(kind);
    if (placing.some(({ gone }) => gone)) return undefined;
    const records = [...new Set(placing.map(({ record }) => record))];
    if (records.length > 0) for (const id of await devicesBehind(tx, kind, records)) ids.add(id);
  }
  return ids.size > FEW ? undefined : [...ids];
}
