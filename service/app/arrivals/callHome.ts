/** The sign of life that a device gives by itself: evidence, not proof. */
import { z } from 'zod';
import { boxName } from '@zpine/core/naming/boxName';
import { byIds, find } from '../../store/records.ts';
import { sha256Hex } from '../../store/digests.ts';
import type { Tx } from '../../store/tx.ts';
import { takeSerial } from '../devices/serial.ts';
import { onTheWire } from '../editions/content.ts';
import { filesOf } from '../editions/rows.ts';
import { arrivals, applyEvent, type ArrivalRow } from './arrivals.ts';

const short = z.string().max(200);
export const callHomeBody = z.object({
  serial: short,
  model: short.optional(),
  version: short.optional(),
  /** SHA-256 of the file that was applied, as it came over the wire. */
  digest: short.optional(),
  rejected: z
    .array(z.object({ line: z.string().max(500), why: z.string().max(300) }))
    .max(200)
    .default([]),
});

export type CallHome = z.output<typeof callHomeBody>;

/** False when the one-time part is not one of an open arrival. */
export async function callHome(tx: Tx, token: string, body: CallHome, from: string): Promise<boolean> {
  const row = await tx.one<ArrivalRow>(
    `SELECT ${arrivals.all} FROM arrival WHERE token = ? AND ended_at IS NULL AND closes_at > ? FOR UPDATE`,
    [token, tx.aboutNow()],
  );
  if (!row) return false;
  const [file] = row.edition_id === null ? [] : await filesOf(tx, row.edition_id);
  const sent = file ? sha256Hex(onTheWire(file.text, token)) : undefined;
  const evidence: Record<string, string | boolean | number> = {
    from,
    serial: body.serial,
    ...(body.model ? { model: body.model } : {}),
    ...(body.version ? { version: body.version } : {}),
    ...(body.digest && sent ? { digestMatches: body.digest === sent } : {}),
    rejected: body.rejected.length,
  };
  const device = (await byIds(tx, 'device', [Number(row.device_id)])).get(Number(row.device_id));
  const [box] = device ? await find(tx, 'box', { device_id: device.id }) : [];
  const another =
    device && box?.serial === null ? await takeSerial(tx, device.id, body.serial) : box && box.serial !== body.serial;
  if (box && another) {
    const found = typeof another === 'string' ? another : body.serial;
    await applyEvent(tx, row, { kind: 'wrong-box', evidence: { what: 'serial', found, expected: boxName(box) } });
    return true;
  }
  await applyEvent(tx, row, { kind: 'called-home', rejected: body.rejected, evidence });
  return true;
}
