/** Arrivals as people and programs see them. */

import { diagnosisWords, type Diagnosis } from '@zpine/core/arrival/diagnosis';
import { grouped } from '@zpine/core/lists/grouped';
import { Refusal } from '@zpine/contract/errors';
import type { ShownArrival } from '@zpine/contract/onboardingShapes';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import { byIds, find, keysOfAll } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { mustActAt } from '../access/sites.ts';
import type { User } from '../access/who.ts';
import { managementsOf } from '../addressing/management.ts';
import { mustFind } from '../records/refs.ts';
import { refusedRelays, type RefusedRelay } from '../boot/relays.ts';
import { uniqueIds } from '../settings/layers.ts';
import { applyEvent, arrivals, stateOf, type ArrivalRow } from './arrivals.ts';

interface MilestoneRow {
  arrival_id: number;
  name: string;
  at: Date;
  evidence: string;
}

export async function presentArrivals(tx: Tx, rows: ArrivalRow[]): Promise<ShownArrival[]> {
  if (rows.length === 0) return [];
  const ids = rows.map((row) => row.id);
  const stones = await tx.select<MilestoneRow>(
    'SELECT arrival_id, name, at, evidence FROM milestone WHERE arrival_id IN (?) ORDER BY arrival_id, seq',
    [ids],
  );
  const devices = await byIds(tx, 'device', rows, 'device_id');
  const editionIds = rows.map((row) => row.edition_id).filter((id) => id !== null);
  const editions =
    editionIds.length > 0
      ? await tx.select<{ id: number; number: number }>('SELECT id, number FROM edition WHERE id IN (?)', [editionIds])
      : [];
  await keysOfAll(tx, [
    ['site', uniqueIds([...devices.values()].map((device) => device.site))],
    ['model', uniqueIds([...devices.values()].map((device) => device.model))],
  ]);
  const managed = await managementsOf(tx, [...devices.values()]);
  const silent = rows.filter((row) => stateOf(row).diagnosis?.code === 'no-packet');
  const refused = await refusedRelays(
    tx,
    uniqueIds(silent.map((row) => managed.get(Number(row.device_id))?.prefix.id)),
  );
  const milestones = grouped(stones, (stone) => Number(stone.arrival_id));
  const numbers = new Map(editions.map((edition) => [Number(edition.id), edition.number]));
  const out: ShownArrival[] = [];
  for (const row of rows) {
    const device = devices.get(Number(row.device_id));
    const { diagnosis } = stateOf(row);
    const on = managed.get(Number(row.device_id));
    out.push({
      id: Number(row.id),
      device: device?.key ?? row.device_key,
      site: device?.site ? (tx.keys.get('site')?.get(device.site) ?? null) : null,
      model: device?.model ? (tx.keys.get('model')?.get(device.model) ?? null) : null,
      stage: device?.stage ?? null,
      phase: row.phase,
      edition: numbers.get(Number(row.edition_id)) ?? null,
      box: row.box_serial,
      mac: row.box_mac,
      relay: row.relay,
      address: row.address,
      management: on?.address.address ?? null,
      openedAt: row.opened_at.toISOString(),
      openedBy: row.opened_by,
      closesAt: row.closes_at.toISOString(),
      endedAt: row.ended_at?.toISOString() ?? null,
      updatedAt: row.updated_at.toISOString(),
      milestones: (milestones.get(Number(row.id)) ?? []).map((stone) => ({
        name: stone.name,
        at: stone.at.toISOString(),
        evidence: JSON.parse(stone.evidence) as Record<string, never>,
      })),
      diagnosis:
        diagnosis &&
        told(
          diagnosis,
          refused.find(({ prefixId }) => prefixId === on?.prefix.id),
        ),
      elsewhere: stateOf(row).elsewhere ?? null,
      version: row.version,
    });
  }
  return out;
}

/** In words; where no packet came, with those that were not believed to be from its relay. */
function told(diagnosis: Diagnosis, refused: RefusedRelay | undefined): NonNullable<ShownArrival['diagnosis']> {
  const words = { code: diagnosis.code, ...diagnosisWords(diagnosis), since: diagnosis.since };
  return refused && diagnosis.code === 'no-packet'
    ? { ...words, detail: `${words.detail}. ${refused.detail}`, remedy: refused.remedy }
    : words;
}

export async function listArrivals(tx: Tx, query: QueryOf<'arrival.list'>): Promise<ReplyOf<'arrival.list'>> {
  const where: string[] = ['1 = 1'];
  const values: unknown[] = [];
  if (query.device !== undefined) {
    where.push('device_id = ?');
    values.push((await mustFind(tx, 'device', query.device)).id);
  }
  if (query.open !== undefined) where.push(query.open === 'true' ? 'ended_at IS NULL' : 'ended_at IS NOT NULL');
  const rows = await tx.select<ArrivalRow>(
    `SELECT ${arrivals.all} FROM arrival WHERE ${where.join(' AND ')} ORDER BY id DESC LIMIT ?`,
    [...values, query.limit],
  );
  return { items: await presentArrivals(tx, rows) };
}

async function arrivalById(tx: Tx, id: string, lock = false): Promise<ArrivalRow> {
  const row = /^[1-9][0-9]{0,15}$/.test(id)
    ? await tx.one<ArrivalRow>(`SELECT ${arrivals.all} FROM arrival WHERE id = ? ${lock ? 'FOR UPDATE' : ''}`, [
        Number(id),
      ])
    : undefined;
  if (!row) throw new Refusal('not-found', { kind: 'arrival', ref: id });
  return row;
}

export async function showArrival(tx: Tx, id: string): Promise<ReplyOf<'arrival.show'>> {
  const row = await arrivalById(tx, id);
  const [shown] = await presentArrivals(tx, [row]);
  if (!shown) throw new Refusal('not-found', { kind: 'arrival', ref: id });
  return {
    ...shown,
    comparison: row.comparison
      ? (JSON.parse(row.comparison) as NonNullable<ReplyOf<'arrival.show'>['comparison']>)
      : null,
  };
}

/** Somebody says that it stands where it should, whatever the records say of that. */
export async function confirmPlace(tx: Tx, id: string, user: User): Promise<ShownArrival> {
  const row = await arrivalById(tx, id, true);
  const [device] = await find(tx, 'device', { id: Number(row.device_id) });
  if (device) await mustActAt(tx, user, device);
  if (row.ended_at !== null) throw new Refusal('window-none', { device: row.device_key });
  const why = stateOf(row).elsewhere ?? null;
  if (why === null) throw new Refusal('place-agrees', { device: row.device_key });
  const after = await applyEvent(tx, row, {
    kind: 'place-confirmed',
    evidence: { confirmedBy: tx.actor.name, ...(tx.actor.reason ? { reason: tx.actor.reason } : {}), elsewhere: why },
  });
  const [shown] = await presentArrivals(tx, [after]);
  if (!shown) throw new Refusal('not-found', { kind: 'arrival', ref: id });
  return shown;
}

/** Looks at the device at once instead of at the next turn. */
export async function retryArrival(tx: Tx, id: string, user: User): Promise<ShownArrival> {
  const row = await arrivalById(tx, id, true);
  const [device] = await find(tx, 'device', { id: Number(row.device_id) });
  if (device) await mustActAt(tx, user, device);
  if (row.ended_at !== null) throw new Refusal('window-none', { device: row.device_key });
  if (row.phase === 'expected') throw new Refusal('arrival-not-begun', { device: row.device_key });
  await tx.execute('UPDATE arrival SET probe_at = ? WHERE id = ?', [await tx.now(), row.id]);
  const [shown] = await presentArrivals(tx, [row]);
  if (!shown) throw new Refusal('not-found', { kind: 'arrival', ref: id });
  return shown;
}
