/** Arrivals in the database: what was seen is put through core's state machine, and what follows is written down. */
import { type Arrival, type ArrivalEvent, type Effect, expected, step } from '@zpine/core/arrival/arrival';
import type { Stage } from '@zpine/contract/kinds/devices';
import { byIds } from '../../store/records.ts';
import { Instant } from '../../store/instant.ts';
import type { Tx } from '../../store/tx.ts';
import { newSecret } from '../access/secrets.ts';
import { usualByModel } from '../batches/usual.ts';
import { tellPeople } from './tellPeople.ts';
import { setFields } from '../records/edit.ts';
import { maybe, number, table, text, time, type RowOf } from '../../store/table.ts';

export const arrivals = table('arrival', {
  id: number,
  device_id: number,
  device_key: text,
  state: text,
  phase: text,
  diagnosis: maybe(text),
  edition_id: maybe(number),
  token: text,
  box_serial: maybe(text),
  box_mac: maybe(text),
  relay: maybe(text),
  address: maybe(text),
  comparison: maybe(text),
  opened_at: time,
  closes_at: time,
  opened_by: text,
  updated_at: time,
  ended_at: maybe(time),
  limit_at: maybe(time),
  probe_at: maybe(time),
  fence: number,
  version: number,
});
export type ArrivalRow = RowOf<typeof arrivals>;

/** What is noted with an event: where the device is just now. */
export interface Seen {
  box?: { serial: string | null; mac: string | null } | undefined;
  relay?: string | null | undefined;
  address?: string | undefined;
  edition?: number | undefined;
  comparison?: object | undefined;
}

export const stateOf = (row: Pick<ArrivalRow, 'state'>): Arrival => JSON.parse(row.state) as Arrival;

/** The arrival of a device whose window is open, locked. */
export const openArrival = (tx: Tx, device: number): Promise<ArrivalRow | undefined> =>
  tx.one<ArrivalRow>(
    `SELECT ${arrivals.all} FROM arrival WHERE device_id = ? AND ended_at IS NULL AND closes_at > ? ORDER BY id DESC LIMIT 1 FOR UPDATE`,
    [device, tx.aboutNow()],
  );

export interface NewArrival {
  device: { id: number; key: string };
  openedAt: Instant;
  closesAt: Instant;
  openedBy: string;
}

export async function addArrival(tx: Tx, input: NewArrival): Promise<ArrivalRow> {
  const now = await tx.now();
  const [id] = await tx.insertRows('arrival', [
    {
      device_id: input.device.id,
      device_key: input.device.key,
      state: JSON.stringify(expected),
      phase: expected.phase,
      token: newSecret(''),
      opened_at: input.openedAt,
      closes_at: input.closesAt,
      opened_by: input.openedBy,
      updated_at: now,
    },
  ]);
  await tx.execute('UPDATE arrival SET limit_at = ? + INTERVAL ? SECOND WHERE id = ?', [now, tx.limits.packet, id]);
  tx.hint('arrival', Number(id), 1);
  return mustFindArrival(tx, Number(id));
}

export async function mustFindArrival(tx: Tx, id: number): Promise<ArrivalRow> {
  const row = await tx.one<ArrivalRow>(`SELECT ${arrivals.all} FROM arrival WHERE id = ?`, [id]);
  if (!row) throw new Error(`there is no arrival ${id}`);
  return row;
}

/** Puts an event through the state machine. The row must be locked. Gives the arrival that it ended up with. */
export async function applyEvent(tx: Tx, row: ArrivalRow, event: ArrivalEvent, seen: Seen = {}): Promise<ArrivalRow> {
  const before = stateOf(row);
  const { state, effects } = step(before, event, await limitsFor(tx, row, event));
  if (effects.some((effect) => effect.kind === 'again')) {
    await tx.execute(
      'UPDATE arrival SET ended_at = ?, phase = ?, limit_at = NULL, probe_at = NULL, version = version + 1 WHERE id = ?',
      [await tx.now(), 'closed', row.id],
    );
    tx.hint('arrival', row.id, row.version + 1);
    const next = await addArrival(tx, {
      device: { id: row.device_id, key: row.device_key },
      openedAt: Instant.of(row.opened_at),
      closesAt: Instant.of(row.closes_at),
      openedBy: row.opened_by,
    });
    return applyEvent(tx, next, event, seen);
  }
  const unchanged =
    effects.length === 0 && JSON.stringify(state) === JSON.stringify(before) && seen.comparison === undefined;
  if (unchanged && (seen.address ?? row.address) === row.address) return row;
  await save(tx, row, state, before, seen);
  for (const effect of effects) await runEffect(tx, row, effect);
  await tellPeople(tx, Number(row.device_id), before, state);
  tx.hint('arrival', row.id, row.version + 1);
  return mustFindArrival(tx, row.id);
}

/** How much longer than most of its model a device may take before something is said to be wrong. */
const PATIENCE = 1.5;

/** A model of which it is known that it takes longer to start is given longer to give a sign of life. */
async function limitsFor(tx: Tx, row: ArrivalRow, { kind }: ArrivalEvent): Promise<Tx['limits']> {
  if (kind !== 'file-complete' && kind !== 'further-complete') return tx.limits;
  const device = (await byIds(tx, 'device', [Number(row.device_id)])).get(Number(row.device_id));
  if (!device || device.model === null) return tx.limits;
  const usual = await usualByModel(tx, [device.model], 'file complete', ['called home', 'reached']);
  const most = usual.get(device.model)?.most ?? 0;
  return { ...tx.limits, life: Math.max(tx.limits.life, Math.ceil(most * PATIENCE)) };
}

async function save(tx: Tx, row: ArrivalRow, state: Arrival, before: Arrival, seen: Seen): Promise<void> {
  const now = await tx.now();
  const same = state.diagnosis?.code === before.diagnosis?.code;
  const diagnosis = state.diagnosis && {
    ...state.diagnosis,
    since: (same && before.diagnosis?.since) || now.iso,
  };
  const fields: Record<string, unknown> = {
    state: JSON.stringify({ ...state, diagnosis }),
    phase: state.phase,
    diagnosis: state.diagnosis?.code ?? null,
    updated_at: now,
    version: row.version + 1,
  };
  if (seen.box) Object.assign(fields, { box_serial: seen.box.serial, box_mac: seen.box.mac });
  if (seen.relay !== undefined) fields.relay = seen.relay;
  if (seen.address !== undefined) fields.address = seen.address;
  if (seen.edition !== undefined) fields.edition_id = seen.edition;
  if (seen.comparison !== undefined) fields.comparison = JSON.stringify(seen.comparison);
  const sets = Object.keys(fields).map((name) => `${name} = ?`);
  await tx.execute(`UPDATE arrival SET ${sets.join(', ')} WHERE id = ?`, [...Object.values(fields), row.id]);
}

/** Stages that follow what is seen; a device that somebody took out of the game stays where they put it. */
const movable: Stage[] = ['sketched', 'prepared', 'arriving', 'proving', 'serving', 'unproved', 'faulty'];

async function runEffect(tx: Tx, row: ArrivalRow, effect: Effect): Promise<void> {
  const now = await tx.now();
  switch (effect.kind) {
    case 'milestone':
      await tx.execute(
        'INSERT INTO milestone (arrival_id, seq, name, at, evidence) SELECT ?, COALESCE(MAX(seq), 0) + 1, ?, ?, ? FROM milestone WHERE arrival_id = ?',
        [row.id, effect.milestone, now, JSON.stringify(effect.evidence), row.id],
      );
      return;
    case 'stage': {
      const device = (await byIds(tx, 'device', [row.device_id], true)).get(row.device_id);
      if (device && device.stage !== effect.stage && movable.includes(device.stage as Stage)) {
        await setFields(tx, 'device', device.id, { stage: effect.stage });
      }
      return;
    }
    case 'limit':
      if (effect.seconds === undefined) await tx.execute('UPDATE arrival SET limit_at = NULL WHERE id = ?', [row.id]);
      else
        await tx.execute('UPDATE arrival SET limit_at = ? + INTERVAL ? SECOND WHERE id = ?', [
          now,
          effect.seconds,
          row.id,
        ]);
      return;
    case 'probe':
      await tx.execute('UPDATE arrival SET probe_at = ? + INTERVAL ? SECOND WHERE id = ?', [
        now,
        effect.seconds,
        row.id,
      ]);
      return;
    case 'close-window':
      await tx.execute('UPDATE arrival SET ended_at = ?, probe_at = NULL, limit_at = NULL WHERE id = ?', [now, row.id]);
      return;
    case 'again':
  }
}
