/** Host keys that devices showed, pinned by somebody who looked at them. */
import type { RunRow } from '@zpine/contract/fleetShapes';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Tx } from '../../store/tx.ts';
import { answeredRows } from './runRows.ts';
import { runRow } from './runs.ts';

export async function acceptHostKeys(tx: Tx, body: BodyOf<'hostKey.accept'>): Promise<ReplyOf<'hostKey.accept'>> {
  const run = await runRow(tx, String(body.run));
  const rows = await answeredRows(tx, run.id);
  const named = body.devices && new Set(body.devices.map((device) => device.trim().toLowerCase()));
  const pinned = await pinnedKeys(
    tx,
    rows.map((row) => Number(row.device_id)),
  );
  const now = await tx.now();
  const accepted: { device: string; fingerprint: string }[] = [];
  for (const row of rows) {
    const { hostKey } = JSON.parse(row.result ?? '{}') as Partial<RunRow>;
    if (!hostKey || (named && !named.has(row.device_key) && !named.has(`#${row.device_id}`))) continue;
    const before = pinned.get(Number(row.device_id)) ?? null;
    if (before === hostKey.fingerprint || (before !== null && !body.changed)) continue;
    await tx.execute(
      `INSERT INTO host_key (device_id, fingerprint, algorithm, pinned_at, pinned_by) VALUES (?, ?, ?, ?, ?)
       ON DUPLICATE KEY UPDATE fingerprint = VALUES(fingerprint), algorithm = VALUES(algorithm), pinned_at = VALUES(pinned_at), pinned_by = VALUES(pinned_by)`,
      [row.device_id, hostKey.fingerprint, hostKey.algorithm, now, tx.actor.name],
    );
    await tx.change({
      kind: 'host-key',
      id: Number(row.device_id),
      key: `host key of ${row.device_key}`,
      versionFrom: before === null ? null : 1,
      versionTo: 1,
      before: before === null ? null : { fingerprint: before },
      after: { fingerprint: hostKey.fingerprint },
    });
    accepted.push({ device: row.device_key, fingerprint: hostKey.fingerprint });
  }
  return { accepted };
}

async function pinnedKeys(tx: Tx, devices: number[]): Promise<Map<number, string>> {
  if (devices.length === 0) return new Map();
  const rows = await tx.select<{ device_id: number; fingerprint: string }>(
    'SELECT device_id, fingerprint FROM host_key WHERE device_id IN (?) FOR UPDATE',
    [devices],
  );
  return new Map(rows.map((row) => [Number(row.device_id), row.fingerprint]));
}
