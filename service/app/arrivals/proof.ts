/** What is needed to prove a device, and what its proof means. The signing in itself is done in fleet/. */
import type { ArrivalEvent } from '@zpine/core/arrival/arrival';
import { byIds, find, keyOf } from '../../store/records.ts';
import { claimDue, type Lease } from '../../store/claims.ts';
import { Instant } from '../../store/instant.ts';
import type { Tx } from '../../store/tx.ts';
import { editionWith, publishedOf } from '../editions/rows.ts';
import { storeCaptured, type Captured } from '../fleet/captures.ts';
import type { FoundDrift, IntendedEdition } from '../fleet/compared.ts';
import { saveDrift } from '../fleet/drift.ts';
import type { Target } from '../fleet/access.ts';
import { targetsOf } from '../fleet/targets.ts';
import { imagesWanted } from '../images/wanted.ts';
import { saveVersion } from '../fleet/seen.ts';
import { takeSerial } from '../devices/serial.ts';
import { saveFound, wrongCards } from '../hardware/slots.ts';
import { arrivals, applyEvent, type ArrivalRow } from './arrivals.ts';
import { endWindow } from './window.ts';

/** Everything that a session needs, read in one go. */
export interface Probe {
  arrival: number;
  lease: Lease;
  /** When it was to be looked at. */
  due: Date | null;
  device: number;
  deviceKey: string;
  target: Target;
  address: string;
  edition: IntendedEdition;
  expected: { serial: string | null; model: string | null };
  /** The image that it has to run before it serves; undefined where any will do. */
  image: { name: string; version: string } | undefined;
  /** Logins of its first steps, which have to be refused by now. */
  first: { what: string; user: string; password: string }[];
  /** Text of the phase it is in, for the log. */
  phase: string;
}

/** Ends windows whose time is over, and takes note of limits that have passed. Gives how many it found. */
export async function passLimits(tx: Tx): Promise<number> {
  const now = await tx.now();
  const closing = await tx.select<ArrivalRow>(
    `SELECT ${arrivals.all} FROM arrival WHERE ended_at IS NULL AND closes_at <= ? LIMIT 20 FOR UPDATE SKIP LOCKED`,
    [now],
  );
  for (const row of closing) await endWindow(tx, row);
  const missed = await tx.select<ArrivalRow>(
    `SELECT ${arrivals.all} FROM arrival WHERE limit_at <= ? AND ended_at IS NULL LIMIT 20 FOR UPDATE SKIP LOCKED`,
    [now],
  );
  const devices = await byIds(tx, 'device', missed, 'device_id');
  // The window of one that serves was opened for a boot that is still to come.
  for (const row of missed)
    await applyEvent(tx, row, { kind: 'limit', look: devices.get(Number(row.device_id))?.stage !== 'serving' });
  return closing.length + missed.length;
}

/** Takes the next arrival that is to be looked at. It stays due while it is claimed: should this one die, another looks. */
export async function claimProbe(tx: Tx): Promise<Probe | 'impossible' | undefined> {
  const [row] = await claimDue<ArrivalRow>(tx, 'arrival', {
    columns: '*',
    where: 'probe_at <= ? AND ended_at IS NULL',
    values: [await tx.now()],
    order: 'probe_at',
    most: 1,
  });
  if (!row) return undefined;
  const probe = await probeFor(tx, row);
  if (!probe) {
    await letGo(tx, row.id, row.probe_at);
    const detail = 'the records hold no management address, account or edition by which the service could come in';
    await applyEvent(tx, row, { kind: 'not-reached', why: 'sign-in', detail });
  }
  return probe ?? 'impossible';
}

/** Done with what was due: what asked for another look meanwhile gets it. */
const letGo = (tx: Tx, id: number, due: Date | null): Promise<number> =>
  tx.execute('UPDATE arrival SET probe_at = IF(probe_at = ?, NULL, probe_at), claimed_until = NULL WHERE id = ?', [
    due && Instant.of(due),
    id,
  ]);

async function probeFor(tx: Tx, row: ArrivalRow & { lease: Lease }): Promise<Probe | undefined> {
  const device = (await byIds(tx, 'device', [Number(row.device_id)])).get(Number(row.device_id));
  if (!device) return undefined;
  const target = (await targetsOf(tx, [device])).get(device.id);
  // One that was not fetched, but brought by a push, is proved as well.
  const fetched = row.edition_id ?? (await publishedOf(tx, device.id))?.id;
  const edition = fetched === undefined ? undefined : await editionWith(tx, fetched);
  const login = target && (target.access.password ?? target.access.key);
  if (!target?.dialect || target.address === null || login === undefined || !edition || edition.files.length === 0)
    return undefined;
  const [box] = await find(tx, 'box', { device_id: device.id });
  const wanted = (await imagesWanted(tx, [device])).get(device.id);
  const model = await keyOf(tx, 'model', box?.model ?? device.model);
  return {
    arrival: Number(row.id),
    lease: row.lease,
    due: row.probe_at,
    device: device.id,
    deviceKey: device.key,
    target,
    address: target.address,
    edition,
    expected: { serial: box?.serial ?? null, model: model?.split('/').at(-1) ?? null },
    image: wanted?.insist ? { name: wanted.image.key, version: wanted.image.release } : undefined,
    first: await firstLogins(tx, device.id, target),
    phase: row.phase,
  };
}

/** That of the factory, and the account that it was given as a stranger; not where the service itself uses them. */
async function firstLogins(tx: Tx, device: number, { access }: Target): Promise<Probe['first']> {
  const { factory } = access;
  const given = await tx.one<{ account: string }>(
    'SELECT account FROM stranger WHERE device_id = ? AND account IS NOT NULL ORDER BY settled_at DESC LIMIT 1',
    [device],
  );
  return [
    ...(factory ? [{ what: 'the factory login of its model', ...factory }] : []),
    ...(given
      ? [
          {
            what: 'the account of its first file',
            ...(JSON.parse(tx.sealer.open(given.account)) as { user: string; password: string }),
          },
        ]
      : []),
  ];
}

export interface ProofResult {
  events: ArrivalEvent[];
  /** What the device says is in its slots; left out where it was not asked. */
  cards?: { slot: string; model: string; serial: string }[];
  hostKey?: { fingerprint: string; algorithm: string; key?: string } | undefined;
  /** What was found when it was held against its edition, and the texts that it showed. */
  drift?: FoundDrift;
  captured?: Captured[];
}

/** Writes down what a session found. Late results of a session that another has overtaken are dropped. */
export async function saveProof(tx: Tx, probe: Probe, result: ProofResult): Promise<boolean> {
  let row = await tx.one<ArrivalRow>(
    `SELECT ${arrivals.all} FROM arrival WHERE id = ? AND fence = ? AND ended_at IS NULL FOR UPDATE`,
    [probe.arrival, probe.lease.fence],
  );
  if (!row) return false;
  await letGo(tx, row.id, probe.due);
  if (result.hostKey) {
    const { fingerprint, algorithm, key = null } = result.hostKey;
    await tx.execute(
      'INSERT IGNORE INTO host_key (device_id, fingerprint, algorithm, public_key, pinned_at, pinned_by) VALUES (?, ?, ?, ?, ?, ?)',
      [probe.device, fingerprint, algorithm, key, await tx.now(), 'first arrival'],
    );
  }
  if (result.cards) await saveFound(tx, probe.device, result.cards, 'arrival');
  let events = result.events;
  for (const event of events) {
    if (event.kind !== 'reached') continue;
    await saveVersion(tx, probe.device, String(event.evidence.version ?? ''));
    const found = probe.expected.serial === null && (await takeSerial(tx, probe.device, String(event.evidence.serial)));
    if (found) events = [event, { kind: 'wrong-box', evidence: { what: 'serial', found, expected: 'a new one' } }];
  }
  events = await becauseOfCards(tx, probe.device, events, result.cards);
  for (const [i, event] of events.entries()) {
    const comparison = result.drift?.comparison;
    const seen = i === events.length - 1 && comparison ? { comparison } : {};
    row = await applyEvent(tx, row, event, seen);
  }
  if (result.captured) await storeCaptured(tx, probe.device, null, result.captured);
  if (result.drift) await saveDrift(tx, probe.device, result.drift);
  return true;
}

/** Where a declared card is not in it, that is what its differences come of. */
async function becauseOfCards(
  tx: Tx,
  device: number,
  events: ArrivalEvent[],
  cards: ProofResult['cards'],
): Promise<ArrivalEvent[]> {
  if (!cards || !events.some(({ kind }) => kind === 'differs')) return events;
  const slots = await wrongCards(tx, device, cards);
  if (slots.length === 0) return events;
  return events.map((event) =>
    event.kind === 'differs'
      ? { kind: 'card-missing', evidence: { slots, lines: event.evidence.missing ?? 0 } }
      : event,
  );
}

/** The session could not be held at all, for a reason of our own: it is tried again. */
export async function releaseProbe(tx: Tx, probe: Probe, seconds: number): Promise<void> {
  await tx.execute(
    'UPDATE arrival SET claimed_until = NULL, probe_at = ? + INTERVAL ? SECOND WHERE id = ? AND fence = ? AND ended_at IS NULL',
    [await tx.now(), seconds, probe.arrival, probe.lease.fence],
  );
}
