/** Watching: which devices are to be looked at now, what was seen of them, and who is told. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import { looked, type Told, type Watched } from '@zpine/core/fleet/damping';
import { isQuiet } from '@zpine/core/fleet/quietTimes';
import { parseWatchChoice } from '@zpine/core/fleet/watchChoice';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import { among } from '../../store/among.ts';
import { byIds } from '../../store/records.ts';
import { claimDue, holds, type Lease } from '../../store/claims.ts';
import { addNotices, listed, quietTimesIn, zoneIn, type Turn } from './notices.ts';
import { watchedInterfaces } from './watchedInterfaces.ts';
import type { Tx } from '../../store/tx.ts';
import { findRefs } from '../records/refs.ts';
import type { Target } from './access.ts';
import { idsBy } from '../devices/behind.ts';
import { settingsOfMany } from '../settings/effective.ts';
import { numbersOf } from '../settings/numbers.ts';
import type { Touched } from './planned.ts';
import { targetsOf } from './targets.ts';

/** The way into a device, among the things that are watched of it. */
export const REACH = 'way in';

/** Enters devices that are to be watched, and forgets those that are not any more. `touched`: of these alone. */
export async function planWatch(tx: Tx, touched?: Touched): Promise<void> {
  const minutes = await numbersOf(tx, 'watch.minutes', touched);
  if (!minutes) {
    if (!touched) await tx.execute('DELETE FROM watch_due');
    return;
  }
  const { everywhere, own } = minutes;
  const ids = (wants: boolean) => [...own].filter(([, every]) => every > 0 === wants).map(([id]) => id);
  const [watched, left] = [ids(true), ids(false)];
  // Where all are watched, those that are not are named, and else those that are.
  const named = everywhere > 0 && !touched ? `d.id NOT IN (?)` : 'd.id IN (?)';
  const list = everywhere > 0 && !touched ? left : watched;
  const wanted = `d.stage NOT IN ('retired', 'sketched') AND ${named}`;
  const values = list.length > 0 ? list : [0];
  await tx.execute(
    `INSERT IGNORE INTO watch_due (device_id, due_at) SELECT d.id, ? FROM device d
     WHERE ${wanted} AND NOT EXISTS (SELECT 1 FROM watch_due w WHERE w.device_id = d.id)`,
    [await tx.now(), values],
  );
  // Asked first: rows that stay are locked by whoever looks at their devices just now.
  const gone = await idsBy(
    tx,
    `SELECT d.id FROM watch_due w JOIN device d ON d.id = w.device_id WHERE NOT (${wanted}) ${among('d.id', touched)}`,
    [values],
  );
  if (gone.length > 0) await tx.execute('DELETE FROM watch_due WHERE device_id IN (?)', [gone]);
}

/** A device whose look is due, and after how many seconds the next one is. */
export interface DueLook {
  target: Target;
  seconds: number;
  lease: Lease;
  /** Which of its interfaces are watched. */
  watches: (name: string) => boolean;
  /** Nobody is told now: what is otherwise then is believed when the quiet time is over. */
  quiet: boolean;
}

const LEAST_SECONDS = 15;

export async function claimLooks(tx: Tx, most: number): Promise<DueLook[]> {
  const due = await claimDue<{ device_id: number }>(tx, 'watch_due', {
    columns: 'device_id',
    where: 'due_at <= ?',
    values: [await tx.now()],
    order: 'due_at',
    most,
  });
  if (due.length === 0) return [];
  const ids = due.map((row) => Number(row.device_id));
  const devices = [...(await byIds(tx, 'device', ids)).values()];
  const settings = await settingsOfMany(tx, devices, ['watch.minutes', 'watch.interfaces', 'watch.quiet', 'time.zone']);
  const targets = await targetsOf(tx, devices);
  const watches = await watchedInterfaces(
    tx,
    devices.map((device) => ({
      device: device.id,
      dialect: targets.get(device.id)?.dialect,
      choices: listed(settings.value(device, 'watch.interfaces')).flatMap((text) => {
        const read = parseWatchChoice(text);
        return read.ok ? [read.value] : [];
      }),
    })),
  );
  const now = new Date((await tx.now()).iso);
  const byId = new Map(devices.map((device) => [device.id, device]));
  return due.flatMap(({ lease }) => {
    const [device, target] = [byId.get(lease.id), targets.get(lease.id)];
    if (!device || !target) return [];
    const seconds = Math.round(Number(settings.value(device, 'watch.minutes')) * 60);
    const quiet = quietTimesIn(settings.value(device, 'watch.quiet'));
    return [
      {
        target,
        lease,
        seconds: Math.max(LEAST_SECONDS, seconds),
        watches: watches.get(device.id) ?? (() => true),
        quiet: isQuiet(quiet, now, zoneIn(settings.value(device, 'time.zone'))),
      },
    ];
  });
}

/** The look is over: the next one is due. */
const nextLook = async (tx: Tx, { lease: { id, fence }, seconds }: DueLook): Promise<number> =>
  tx.execute(
    'UPDATE watch_due SET due_at = ? + INTERVAL ? SECOND, claimed_until = NULL WHERE device_id = ? AND fence = ?',
    [await tx.now(), seconds, id, fence],
  );

export interface Look {
  device: number;
  deviceKey: string;
  /** By what was looked at: the way in, interfaces. What is left out was not seen and says nothing. */
  states: Map<string, { state: string; detail: string }>;
}

/** What was seen; of a look that another has taken over by now, nothing. */
export async function saveLook(tx: Tx, look: Look, due: DueLook): Promise<number> {
  if (!(await holds(tx, due.lease))) return 0;
  await nextLook(tx, due);
  const now = await tx.now();
  const rows = await tx.select<{ what: string; held: string }>(
    'SELECT what, held FROM watched WHERE device_id = ? FOR UPDATE',
    [look.device],
  );
  const before = new Map(rows.map((row) => [row.what, JSON.parse(row.held) as Watched]));
  const told: { what: string; told: Told; detail: string }[] = [];
  await forgetUnwatched(tx, look, due, [...before.keys()]);
  if (due.quiet) {
    await tx.execute('UPDATE watched SET looked_at = ? WHERE device_id = ?', [now, look.device]);
    return 0;
  }
  for (const [what, { state, detail }] of look.states) {
    if (what !== REACH && !due.watches(what)) continue;
    const step = looked(before.get(what), state, now.iso);
    await tx.execute('REPLACE INTO watched (device_id, what, state, held, looked_at) VALUES (?, ?, ?, ?, ?)', [
      look.device,
      what.slice(0, 120),
      step.watched.state.slice(0, 60),
      JSON.stringify(step.watched),
      now,
    ]);
    if (step.told) told.push({ what, told: step.told, detail });
  }
  if (told.length > 0)
    await addNotices(tx, look.device, (device) =>
      told.map((one) => ({
        what: one.what,
        text: words(device, one.what, one.told, one.detail),
        turn: turnOf(one.what, one.told, due.target.dialect),
      })),
    );
  tx.hint('watched', look.device, null);
  return told.length;
}

/** What is not watched any more is forgotten. */
async function forgetUnwatched(tx: Tx, { device }: Look, due: DueLook, known: readonly string[]): Promise<void> {
  const gone = known.filter((what) => what !== REACH && !due.watches(what));
  if (gone.length > 0) await tx.execute('DELETE FROM watched WHERE device_id = ? AND what IN (?)', [device, gone]);
}

function turnOf(what: string, told: Told, dialect: Dialect | undefined): Turn {
  if (told.kind !== 'changed') return 'other';
  const isWell = what === REACH ? told.to === 'reached' : (dialect?.isLive(told.to) ?? false);
  return isWell ? 'well' : 'down';
}

function words(device: string, what: string, told: Told, detail: string): string {
  const thing = what === REACH ? device : `${what} of ${device}`;
  const more = detail === '' ? '' : `: ${detail}`;
  if (told.kind === 'flaps')
    return `${thing} flaps: ${told.turns} changes within an hour; nothing more is said until it is quiet`;
  if (told.kind === 'quiet') return `${thing} has been quiet for an hour: ${told.state}`;
  if (what === REACH)
    return told.to === 'reached' ? `${device} is reached again` : `${device} is not reached any more${more}`;
  return `${thing} went from ${told.from} to ${told.to}`;
}

export async function listWatched(tx: Tx, query: QueryOf<'watch.list'>): Promise<ReplyOf<'watch.list'>> {
  const device =
    query.device === undefined ? undefined : (await findRefs(tx, 'device', [query.device])).get(query.device);
  const test = query.device === undefined ? '' : 'WHERE w.device_id = ?';
  const rows = await tx.select<{ natural_key: string; what: string; held: string; looked_at: Date }>(
    `SELECT d.natural_key, w.* FROM watched w JOIN device d ON d.id = w.device_id ${test} ORDER BY d.sort_key, w.what LIMIT 2000`,
    query.device === undefined ? [] : [device?.id ?? 0],
  );
  return {
    items: rows.map((row) => {
      const { state, since, flapping } = JSON.parse(row.held) as Watched;
      return { device: row.natural_key, what: row.what, state, since, flapping, lookedAt: row.looked_at.toISOString() };
    }),
  };
}
