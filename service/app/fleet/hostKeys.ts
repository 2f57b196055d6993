/** Host keys that devices showed, pinned by somebody who looked at them. */
import type { RunRow } from '@zpine/contract/fleetShapes';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import { keysOf } from '../../store/records.ts';
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
  const accepted: { device: string; fingerprint: string }[] = [];
  for (const row of rows) {
    const { hostKey } = JSON.parse(row.result ?? '{}') as Partial<RunRow>;
    if (!hostKey || (named && !named.has(row.device_key) && !named.has(`#${row.device_id}`))) continue;
    const before = pinned.get(Number(row.device_id)) ?? null;
    if (before === hostKey.fingerprint || (before !== null && !body.changed)) continue;
    await pin(tx, { id: Number(row.device_id), key: row.device_key }, hostKey, before);
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

/** Another key that a device made itself, by our word, and shows since. */
export async function pinKey(tx: Tx, device: number, hostKey: HostKeyShown): Promise<void> {
  const before = (await pinnedKeys(tx, [device])).get(device) ?? null;
  const key = (await keysOf(tx, 'device', [device])).get(device);
  if (key !== undefined && before !== hostKey.fingerprint) await pin(tx, { id: device, key }, hostKey, before);
}

interface HostKeyShown {
  fingerprint: string;
  algorithm: string;
  key?: string | null | undefined;
}

async function pin(
  tx: Tx,
  device: { id: number; key: string },
  { fingerprint, algorithm, key = null }: HostKeyShown,
  before: string | null,
): Promise<void> {
  await tx.execute(
    `INSERT INTO host_key (device_id, fingerprint, algorithm, public_key, pinned_at, pinned_by) VALUES (?, ?, ?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE fingerprint = VALUES(fingerprint), algorithm = VALUES(algorithm), public_key = VALUES(public_key), pinned_at = VALUES(pinned_at), pinned_by = VALUES(pinned_by)`,
    [device.id, fingerprint, algorithm, key, await tx.now(), tx.actor.name],
  );
  await tx.change({
    kind: 'host-key',
    id: device.id,
    key: `host key of ${device.key}`,
    versionFrom: before === null ? null : 1,
    versionTo: 1,
    before: before === null ? null : { fingerprint: before },
    after: { fingerprint },
  });
}

/** A key that was pinned before keys themselves were kept, shown again. */
export const keepKey = (tx: Tx, device: number, { fingerprint, key }: HostKeyShown): Promise<unknown> =>
  key
    ? tx.execute('UPDATE host_key SET public_key = ? WHERE device_id = ? AND fingerprint = ? AND public_key IS NULL', [
        key,
        device,
        fingerprint,
      ])
    : Promise.resolve();
