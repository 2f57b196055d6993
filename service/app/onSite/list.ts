/** What there is to do on site. */
import { boxName } from '@zpine/core/naming/boxName';
import type { JobHead } from '@zpine/contract/jobRoutes';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Row } from '@zpine/contract/fields';
import type { Stored } from '@zpine/contract/kinds';
import { atLeast } from '@zpine/contract/roles';
import { byIds, find, fromRow, keysOf } from '../../store/records.ts';
import { columnsFor } from '../../store/models.ts';
import type { Tx } from '../../store/tx.ts';
import { sitesOfUsers } from '../access/sites.ts';
import type { User } from '../access/who.ts';
import { sitesOf } from '../devices/inForce.ts';
import { mustFindField } from '../records/refs.ts';
import { uniqueIds } from '../settings/layers.ts';

/** Devices that need somebody's hand: in a swap, with a window in which they do not get on or were not heard yet. */
const TO_DO = `d.stage <> 'retired' AND d.virtual = 0 AND (
  EXISTS (SELECT 1 FROM swap w WHERE w.device_id = d.id AND w.closed_at IS NULL)
  OR EXISTS (SELECT 1 FROM arrival a WHERE a.device_id = d.id AND a.ended_at IS NULL AND a.closes_at > ?)
  OR (d.stage IN ('prepared', 'faulty') AND d.provisioned = 1 AND NOT EXISTS (SELECT 1 FROM box b WHERE b.device_id = d.id)))`;

export async function listJobs(tx: Tx, query: QueryOf<'job.list'>, user: User): Promise<ReplyOf<'job.list'>> {
  const wanted = query.site === undefined ? undefined : (await mustFindField(tx, 'site', query.site, 'site')).id;
  const rows = await tx.select<Row>(
    `SELECT ${columnsFor('device', 'd')} FROM device d WHERE ${TO_DO} ORDER BY d.sort_key LIMIT 2000`,
    [await tx.now()],
  );
  const devices = rows.map((row) => fromRow('device', row));
  const mine = await theirs(tx, devices, user);
  const sites = await sitesOf(tx, devices);
  const chosen = devices.filter(
    (device) => mine.has(device.id) && (wanted === undefined || sites.get(device.id) === wanted),
  );
  const items = await headsOf(tx, chosen.slice(0, query.limit));
  return { items: items.toSorted((a, b) => rank(a) - rank(b)), next: null };
}

const order: JobHead['why'][] = ['swap', 'stuck', 'to be plugged in', 'no box'];
const rank = ({ why }: JobHead): number => order.indexOf(why);

/** Of the sites that are the installer's; everybody else sees all. */
async function theirs(tx: Tx, devices: readonly Stored<'device'>[], user: User): Promise<Set<number>> {
  const all = new Set(devices.map(({ id }) => id));
  if (user.role !== 'installer' || atLeast(user.role, 'engineer')) return all;
  const held = (await sitesOfUsers(tx, [user.id])).get(user.id);
  if (!held || held.sites === 'all') return all;
  const sites = await sitesOf(tx, devices);
  const keys = await keysOf(tx, 'site', uniqueIds([...sites.values()]));
  const own = new Set(held.sites);
  return new Set(devices.filter(({ id }) => own.has(keys.get(sites.get(id) ?? 0) ?? '')).map(({ id }) => id));
}

export async function headsOf(tx: Tx, devices: readonly Stored<'device'>[]): Promise<JobHead[]> {
  if (devices.length === 0) return [];
  const ids = devices.map(({ id }) => id);
  const sites = await sitesOf(tx, devices);
  const known = await byIds(tx, 'site', uniqueIds([...sites.values()]));
  const models = await keysOf(tx, 'model', uniqueIds(devices.map(({ model }) => model)));
  const racks = await keysOf(tx, 'rack', uniqueIds(devices.map(({ rack }) => rack)));
  const batches = await keysOf(tx, 'batch', uniqueIds(devices.map(({ batch }) => batch)));
  const boxes = new Map((await find(tx, 'box', { device_id: ids })).map((box) => [box.device, box]));
  const swaps = new Map(
    (
      await tx.select<{ id: number; device_id: number; state: string }>(
        'SELECT id, device_id, state FROM swap WHERE closed_at IS NULL AND device_id IN (?)',
        [ids],
      )
    ).map((row) => [Number(row.device_id), row]),
  );
  const open = new Map(
    (
      await tx.select<{ device_id: number; diagnosis: string | null; phase: string }>(
        'SELECT device_id, diagnosis, phase FROM arrival WHERE ended_at IS NULL AND closes_at > ? AND device_id IN (?) ORDER BY id',
        [await tx.now(), ids],
      )
    ).map((row) => [Number(row.device_id), row]),
  );
  return devices.map((device): JobHead => {
    const site = known.get(sites.get(device.id) ?? 0);
    const box = boxes.get(device.id);
    const swap = swaps.get(device.id);
    const arrival = open.get(device.id);
    const isStuck =
      (arrival?.diagnosis ?? null) !== null &&
      arrival?.diagnosis !== 'ssh-waiting' &&
      arrival?.diagnosis !== 'no-packet';
    const why = swap ? 'swap' : isStuck ? 'stuck' : arrival ? 'to be plugged in' : 'no box';
    return {
      device: device.key,
      why,
      words: swap
        ? (swapWords[swap.state] ?? swap.state)
        : isStuck
          ? 'it does not get on'
          : arrival
            ? arrival.phase === 'expected'
              ? 'plug it in; it is waited for'
              : 'it is on its way'
            : 'put a box in, and say which',
      site: site?.key ?? null,
      siteTitle: site?.title ?? null,
      rack: device.rack === null ? null : (racks.get(device.rack) ?? null),
      positionU: device.positionU,
      model: device.model === null ? null : (models.get(device.model) ?? null),
      stage: device.stage,
      box: box ? boxName(box) : null,
      batch: device.batch === null ? null : (batches.get(device.batch) ?? null),
      swap: swap ? Number(swap.id) : null,
    };
  });
}

const swapWords: Record<string, string> = {
  begun: 'take the old box out, plug the spare into the same ports',
  booting: 'the spare is on its way',
  serving: 'it serves: see that every cable is in',
};
