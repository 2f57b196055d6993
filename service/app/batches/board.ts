/** How the devices of a batch stand, trouble first; at its end that is its report. */
import { byTrouble, standingOf, standings, type Standing } from '@zpine/core/arrival/board';
import { boxName } from '@zpine/core/naming/boxName';
import { grouped } from '@zpine/core/lists/grouped';
import type { Board, BoardRow } from '@zpine/contract/batchRoutes';
import type { ShownArrival } from '@zpine/contract/onboardingShapes';
import type { Stored } from '@zpine/contract/kinds';
import { find, keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { managementsOf } from '../addressing/management.ts';
import { arrivals, type ArrivalRow } from '../arrivals/arrivals.ts';
import { presentArrivals } from '../arrivals/list.ts';
import { sitesOf } from '../devices/inForce.ts';
import { uniqueIds } from '../settings/layers.ts';
import { devicesOf, partsIn, type PartRow } from './rows.ts';
import { usualByModel } from './usual.ts';

type Window = Board['window'];

function windowOf(batch: Stored<'batch'>, nowIso: string): Window {
  if (batch.endedAt !== null || (batch.closesAt !== null && batch.closesAt <= nowIso)) return 'over';
  return batch.opensAt !== null && batch.opensAt <= nowIso ? 'open' : 'before';
}

/** The report that was kept at its end, or how it stands. */
export async function boardOf(tx: Tx, batch: Stored<'batch'>, asNow = false): Promise<Board> {
  if (batch.endedAt !== null && !asNow) {
    const kept = await tx.one<{ report: string }>('SELECT report FROM batch_report WHERE batch_id = ?', [batch.id]);
    if (kept) return { ...(JSON.parse(kept.report) as Board), kept: true };
  }
  return standingNow(tx, batch);
}

/** As it stands. `over`: its window counts as over, though the time is not there yet. */
export async function standingNow(tx: Tx, batch: Stored<'batch'>, over = false): Promise<Board> {
  const now = await tx.now();
  const window = over ? 'over' : windowOf(batch, now.iso);
  const devices = await devicesOf(tx, batch.id);
  const parts = await partsIn(tx, batch.id);
  const shown = await arrivalsSince(tx, devices, batch);
  const [sites, models, racks, boxes, managed, usual, published] = [
    await sitesOf(tx, devices),
    await keysOf(tx, 'model', uniqueIds(devices.map(({ model }) => model))),
    await keysOf(tx, 'rack', uniqueIds(devices.map(({ rack }) => rack))),
    new Map((await find(tx, 'box', { device_id: devices.map(({ id }) => id) })).map((box) => [box.device, box])),
    await managementsOf(tx, devices),
    await usualByModel(tx, uniqueIds(devices.map(({ model }) => model)), 'powered', ['serving']),
    await publishedAmong(tx, devices),
  ];
  const siteKeys = await keysOf(tx, 'site', uniqueIds([...sites.values()]));
  const items = devices.map((device): BoardRow => {
    const arrival = shown.get(device.id);
    const part = parts.get(device.id);
    const at = (name: string): string | null => arrival?.milestones.find((stone) => stone.name === name)?.at ?? null;
    const [poweredAt, servedAt] = [at('powered'), at('serving')];
    const unready = unreadyWords(device, part, published.has(device.id));
    const expected = device.model === null ? undefined : usual.get(device.model);
    const standing = standingOf(
      {
        turn: part?.turn ?? 'in',
        serves: device.stage === 'serving',
        unready: unready?.why ?? null,
        arrival: arrival
          ? {
              poweredAt: poweredAt === null ? null : Date.parse(poweredAt),
              servedAt: servedAt === null ? null : Date.parse(servedAt),
              stuck: isStuck(arrival),
              open: arrival.endedAt === null,
            }
          : null,
      },
      { window, now: now.ms, usual: expected?.usual },
    );
    const seconds =
      poweredAt === null || (servedAt === null && window === 'over')
        ? null
        : Math.round(((servedAt === null ? now.ms : Date.parse(servedAt)) - Date.parse(poweredAt)) / 1000);
    const site = sites.get(device.id);
    const box = boxes.get(device.id);
    return {
      device: device.key,
      site: site === undefined ? null : (siteKeys.get(site) ?? null),
      rack: device.rack === null ? null : (racks.get(device.rack) ?? null),
      positionU: device.positionU,
      model: device.model === null ? null : (models.get(device.model) ?? null),
      box: box ? boxName(box) : null,
      address: managed.get(device.id)?.address.address ?? null,
      standing,
      ...why(standing, part, arrival, unready),
      since: servedAt ?? arrival?.diagnosis?.since ?? arrival?.milestones.at(-1)?.at ?? null,
      milestone: arrival?.milestones.at(-1)?.name ?? null,
      arrival: arrival?.id ?? null,
      reached: arrival?.milestones.map(({ name }) => name) ?? [],
      poweredAt,
      servedAt,
      seconds,
      usualSeconds: expected?.usual ?? null,
    };
  });
  return {
    batch: batch.key,
    opensAt: batch.opensAt,
    closesAt: batch.closesAt,
    endedAt: batch.endedAt,
    window,
    kept: false,
    counts: countsOf(items),
    items: sorted(items),
  };
}

/** One that was not heard is only waited for, and one that does not let the service in yet may be restarting. */
const isStuck = ({ diagnosis, phase }: ShownArrival): boolean =>
  diagnosis !== null && phase !== 'closed' && diagnosis.code !== 'no-packet' && diagnosis.code !== 'ssh-waiting';

const countsOf = (items: readonly BoardRow[]): Board['counts'] =>
  Object.fromEntries(
    standings.flatMap((standing) => {
      const count = items.filter((row) => row.standing === standing).length;
      return count > 0 ? [[standing, count]] : [];
    }),
  );

/** Sites by the worst of their devices, then by name; devices of a site by trouble. */
function sorted(items: readonly BoardRow[]): BoardRow[] {
  const sites = [...grouped(items, (row) => row.site ?? '')].map(([site, rows]) => ({
    site,
    rows: rows.toSorted((a, b) => byTrouble(a.standing, b.standing)),
  }));
  const worst = (rows: readonly BoardRow[]): Standing => rows[0]?.standing ?? 'serves';
  return sites
    .toSorted((a, b) => byTrouble(worst(a.rows), worst(b.rows)) || (a.site < b.site ? -1 : 1))
    .flatMap(({ rows }) => rows);
}

/** The newest arrival of each device since the window was opened; while there is none, the one that is open. */
async function arrivalsSince(
  tx: Tx,
  devices: readonly Stored<'device'>[],
  batch: Stored<'batch'>,
): Promise<Map<number, ShownArrival>> {
  if (devices.length === 0 || batch.opensAt === null) return new Map();
  const rows = await tx.select<ArrivalRow>(
    `SELECT ${arrivals.of('a')} FROM arrival a JOIN (
       SELECT MAX(id) AS id FROM arrival WHERE device_id IN (?) AND (updated_at >= ? OR ended_at IS NULL) AND opened_at <= ? GROUP BY device_id
     ) last ON last.id = a.id`,
    [devices.map(({ id }) => id), sqlTime(batch.opensAt), sqlTime(batch.endedAt ?? batch.closesAt ?? batch.opensAt)],
  );
  const shown = await presentArrivals(tx, rows);
  return new Map(rows.flatMap((row, i) => (shown[i] ? [[Number(row.device_id), shown[i]] as const] : [])));
}

const sqlTime = (iso: string): string => iso.slice(0, -1).replace('T', ' ');

async function publishedAmong(tx: Tx, devices: readonly Stored<'device'>[]): Promise<Set<number>> {
  if (devices.length === 0) return new Set();
  const rows = await tx.select<{ id: number }>(
    'SELECT DISTINCT device_id AS id FROM edition WHERE device_id IN (?) AND published_at IS NOT NULL',
    [devices.map(({ id }) => id)],
  );
  return new Set(rows.map(({ id }) => Number(id)));
}

interface Reasoned {
  why: string;
  remedy: string;
}

function unreadyWords(device: Stored<'device'>, part: PartRow | undefined, published: boolean): Reasoned | null {
  if (!published) return { why: 'it has no published edition', remedy: `zpine device prepare ${device.key}` };
  // Without a box it comes as a stranger and can be recognised: that is no reason to give it no window.
  const fault = part?.fault ?? null;
  return fault === null ? null : { why: fault, remedy: part?.remedy ?? '' };
}

function why(
  standing: Standing,
  part: PartRow | undefined,
  arrival: ShownArrival | undefined,
  unready: Reasoned | null,
): { why: string | null; remedy: string | null } {
  if (standing === 'serves') return { why: null, remedy: null };
  if (standing === 'held' || standing === 'left out')
    return { why: [part?.why, part?.said_by].filter(Boolean).join(', by ') || null, remedy: null };
  if (arrival?.diagnosis)
    return { why: `${arrival.diagnosis.title}: ${arrival.diagnosis.detail}`, remedy: arrival.diagnosis.remedy };
  if (arrival?.milestones.at(-1)?.name === 'serving') return { why: 'it served, and does not any more', remedy: null };
  if (unready) return { why: unready.why, remedy: unready.remedy || null };
  if (standing === 'not served')
    return {
      why:
        arrival === undefined || arrival.milestones.length === 0
          ? 'nothing was heard of it'
          : `it came as far as "${arrival.milestones.at(-1)?.name ?? ''}"`,
      remedy: null,
    };
  return { why: null, remedy: null };
}
