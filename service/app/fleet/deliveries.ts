/** Messages to other systems: what is due, with what it is signed, and what came of it. */
import type { ReplyOf } from '@zpine/contract/routes';
import { byIds } from '../../store/records.ts';
import { claimDue, holds, type Lease } from '../../store/claims.ts';
import { maybe, number, table, text, time, type RowOf } from '../../store/table.ts';
import type { Tx } from '../../store/tx.ts';
import { settingsOfMany } from '../settings/effective.ts';
import { shownUrl } from './destinations.ts';

export const deliveries = table('delivery', {
  id: number,
  letter_id: number,
  device_id: number,
  url: text,
  sent_at: maybe(time),
  fault: maybe(text),
  tries: number,
});
type DeliveryRow = RowOf<typeof deliveries>;

export interface Delivery {
  id: number;
  url: string;
  /** JSON. */
  body: string;
  /** What it is signed with; left out where nobody said. */
  key: string | undefined;
  /** Header lines by the host that they are for. */
  headers: Record<string, string>;
  tries: number;
  lease: Lease;
}

export async function claimDelivery(tx: Tx): Promise<Delivery | undefined> {
  const [row] = await claimDue<DeliveryRow>(tx, 'delivery', {
    columns: deliveries.all,
    where: 'due_at <= ?',
    values: [await tx.now()],
    order: 'id',
    most: 1,
  });
  if (!row) return undefined;
  await tx.execute('UPDATE delivery SET tries = tries + 1 WHERE id = ?', [row.id]);
  const device = (await byIds(tx, 'device', [Number(row.device_id)])).get(Number(row.device_id));
  const settings = device && (await settingsOfMany(tx, [device], ['watch.hook-key', 'watch.hook-headers']));
  const key = device && settings?.value(device, 'watch.hook-key');
  const headers = device && settings?.value(device, 'watch.hook-headers');
  return {
    lease: row.lease,
    id: Number(row.id),
    url: row.url,
    body: await messageOf(tx, Number(row.letter_id)),
    key: typeof key === 'string' && key !== '' ? key : undefined,
    headers:
      typeof headers === 'object' && headers !== null && !Array.isArray(headers)
        ? (headers as Record<string, string>)
        : {},
    tries: row.tries + 1,
  };
}

interface LetterRow {
  id: number;
  at: Date;
  turn: string;
  cause: string;
  subject: string;
  text: string;
}

/** What a letter says, for programs. */
async function messageOf(tx: Tx, id: number): Promise<string> {
  const letter = await tx.one<LetterRow>('SELECT id, at, turn, cause, subject, text FROM letter WHERE id = ?', [id]);
  const notices = await tx.select<{ at: Date; device_key: string; what: string; text: string }>(
    'SELECT at, device_key, what, text FROM notice WHERE letter_id = ? ORDER BY id',
    [id],
  );
  return JSON.stringify({
    id,
    at: letter?.at.toISOString() ?? null,
    turn: letter?.turn ?? 'other',
    cause: letter?.cause ?? '',
    subject: letter?.subject ?? '',
    text: letter?.text ?? '',
    notices: notices.map(({ at, device_key: device, what, text: words }) => ({
      at: at.toISOString(),
      device,
      what,
      text: words,
    })),
  });
}

const MOST_TRIES = 10;

export async function saveDelivery(tx: Tx, delivery: Delivery, fault: string | undefined): Promise<void> {
  if (!(await holds(tx, delivery.lease))) return;
  const now = await tx.now();
  if (fault === undefined)
    await tx.execute(
      'UPDATE delivery SET sent_at = ?, due_at = NULL, fault = NULL, claimed_until = NULL WHERE id = ?',
      [now, delivery.id],
    );
  else
    await tx.execute(
      'UPDATE delivery SET fault = ?, due_at = IF(?, NULL, ? + INTERVAL ? SECOND), claimed_until = NULL WHERE id = ?',
      [fault.slice(0, 500), delivery.tries >= MOST_TRIES, now, delivery.tries * 60, delivery.id],
    );
}

export async function listDeliveries(tx: Tx): Promise<ReplyOf<'delivery.list'>> {
  const rows = await tx.select<DeliveryRow & { at: Date; subject: string; due_at: Date | null }>(
    `SELECT ${deliveries.of('d')}, d.due_at, l.at, l.subject FROM delivery d JOIN letter l ON l.id = d.letter_id ORDER BY d.id DESC LIMIT 200`,
  );
  return {
    items: rows.map((row) => ({
      id: Number(row.id),
      at: row.at.toISOString(),
      url: shownUrl(row.url),
      subject: row.subject,
      tries: row.tries,
      sentAt: row.sent_at?.toISOString() ?? null,
      fault: row.fault,
      nextAt: row.due_at?.toISOString() ?? null,
    })),
  };
}
