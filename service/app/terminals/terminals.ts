/** Terminals that somebody opened on a device, and what they showed. The session itself is in fleet/. */
import { Masker } from '@zpine/core/secrets/masking';
import { Refusal } from '@zpine/contract/errors';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { ShownTerminal } from '@zpine/contract/terminalRoutes';
import { maybe, number, table, text, time, type RowOf } from '../../store/table.ts';
import type { Tx } from '../../store/tx.ts';
import { mustFind, mustFindField } from '../records/refs.ts';
import type { Target } from '../fleet/access.ts';
import { targetsOf } from '../fleet/targets.ts';

const terminals = table('terminal', {
  id: number,
  device_id: number,
  device_key: text,
  made_by: text,
  reason: maybe(text),
  opened_at: time,
  kept_at: time,
  ended_at: maybe(time),
  ended: maybe(text),
  bytes: number,
  cut: number,
});
type TerminalRow = RowOf<typeof terminals>;

const MOST_LISTED = 200;

/** Where a terminal on a device leads to. */
export async function terminalTarget(tx: Tx, ref: string): Promise<Target> {
  const device = await mustFind(tx, 'device', ref);
  const target = (await targetsOf(tx, [device])).get(device.id);
  if (!target) throw new Refusal('not-found', { kind: 'device', ref });
  return target;
}

export async function beginTerminal(tx: Tx, { device, key }: Target): Promise<number> {
  const [id = 0] = await tx.insertRows('terminal', [
    {
      device_id: device,
      device_key: key,
      made_by: tx.actor.name,
      reason: tx.actor.reason ?? null,
      opened_at: await tx.now(),
      kept_at: await tx.now(),
      transcript: '',
    },
  ]);
  return id;
}

export interface Recorded {
  text: string;
  bytes: number;
  cut: boolean;
}

/** Keeps what was shown so far, without what is known to be secret. */
export async function keepTerminal(
  tx: Tx,
  id: number,
  target: Target,
  { text: shown, bytes, cut }: Recorded,
  ended?: string,
): Promise<void> {
  const hidden = new Masker(target.secrets).mask(shown);
  const transcript = target.dialect ? target.dialect.masked(hidden) : hidden;
  await tx.execute('UPDATE terminal SET transcript = ?, bytes = ?, cut = ?, kept_at = ? WHERE id = ?', [
    // Whoever types a new password types it for everybody to see: it is kept as secrets are.
    tx.sealer.seal(transcript),
    bytes,
    cut ? 1 : 0,
    await tx.now(),
    id,
  ]);
  if (ended !== undefined)
    await tx.execute('UPDATE terminal SET ended_at = ?, ended = ? WHERE id = ?', [
      await tx.now(),
      ended.slice(0, 500),
      id,
    ]);
}

export async function listTerminals(tx: Tx, query: QueryOf<'terminal.list'>): Promise<ReplyOf<'terminal.list'>> {
  const device = query.device === undefined ? undefined : await mustFindField(tx, 'device', query.device, 'device');
  const rows = await tx.select<TerminalRow>(
    `SELECT ${terminals.all} FROM terminal${device ? ' WHERE device_id = ?' : ''} ORDER BY id DESC LIMIT ${MOST_LISTED}`,
    device ? [device.id] : [],
  );
  const now = (await tx.now()).ms;
  return { items: rows.map((row) => shown(row, now)) };
}

export async function showTerminal(tx: Tx, id: string): Promise<ReplyOf<'terminal.show'>> {
  const row = await tx.one<TerminalRow & { transcript: string }>(
    `SELECT ${terminals.all}, transcript FROM terminal WHERE id = ?`,
    [id.replace(/^#/, '')],
  );
  if (!row) throw new Refusal('not-found', { kind: 'terminal', ref: id });
  return {
    ...shown(row, (await tx.now()).ms),
    text: row.transcript === '' ? '' : tx.sealer.open(row.transcript),
    cut: row.cut === 1,
  };
}

/** Nothing was kept of it for so long: whoever kept it is gone. */
const LOST_MS = 120_000;

const shown = (row: TerminalRow, now: number): ShownTerminal => ({
  id: Number(row.id),
  device: row.device_key,
  by: row.made_by,
  reason: row.reason,
  openedAt: row.opened_at.toISOString(),
  endedAt: row.ended_at?.toISOString() ?? null,
  ended: row.ended_at === null && now - row.kept_at.getTime() > LOST_MS ? 'not known: what kept it is gone' : row.ended,
  bytes: row.bytes,
});
