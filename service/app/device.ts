import type { ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { find, keyOf, present } from '../store/records.ts';
import type { Tx } from '../store/tx.ts';
import { openArrival } from './arrivals/arrivals.ts';
import { addressesOn } from './addressing/carried.ts';
import { managementOf } from './addressing/management.ts';
import { proposalOf } from './addressing/next.ts';
import { mustFind } from './records/refs.ts';
import { dialectIdOf } from './devices/inForce.ts';
import { driftHead } from './fleet/drift.ts';
import { lacksOfDevice } from './devices/lacks.ts';
import { leftBehind } from './devices/offSite.ts';

const MOST_LEFT = 20;

/** A device with everything that hangs on it. */
export async function overview(tx: Tx, ref: string): Promise<ReplyOf<'device.overview'>> {
  const device = await mustFind(tx, 'device', ref);
  const boxes = await find(tx, 'box', { device_id: device.id });
  const interfaces = await find(tx, 'interface', { device_id: device.id }, { order: ['sort_key'], limit: 1000 });
  const { addresses } = await addressesOn(
    tx,
    interfaces.map((i) => i.id),
  );
  const [shown] = await present(tx, 'device', [device]);
  return {
    device: shown ?? {},
    box: (await present(tx, 'box', boxes))[0] ?? null,
    dialect: await keyOf(tx, 'dialect', await dialectIdOf(tx, device)),
    management: await management(tx, device),
    interfaces: await present(tx, 'interface', interfaces),
    addresses: await present(tx, 'address', addresses),
    hostKey: await hostKeyOf(tx, device.id),
    windowCloses: (await openArrival(tx, device.id))?.closes_at.toISOString() ?? null,
    drift: await driftHead(tx, device),
    stageSince: await stageSince(tx, device),
    lacks: [
      ...(await lacksOfDevice(tx, device.id)).map(({ lack, detail, remedy }) => ({ lack, detail, remedy })),
      ...(await leftBehind(tx, [device.id], MOST_LEFT)).map(({ kind, detail, remedy }) => ({
        lack: `${kind}-off-site` as const,
        detail,
        remedy,
      })),
    ],
  };
}

/** When it came to the stage that it is in, whatever else was edited since. */
async function stageSince(tx: Tx, device: Stored<'device'>): Promise<string> {
  const row = await tx.one<{ at: Date }>(
    `SELECT s.at FROM \`change\` c JOIN change_set s ON s.id = c.change_set_id
     WHERE c.kind = 'device' AND c.record_id = ? AND JSON_VALUE(c.after, '$.stage') = ?
       AND (c.before IS NULL OR JSON_VALUE(c.before, '$.stage') <> ?)
     ORDER BY c.change_set_id DESC LIMIT 1`,
    [device.id, device.stage, device.stage],
  );
  return row?.at.toISOString() ?? device.createdAt;
}

async function hostKeyOf(tx: Tx, device: number): Promise<ReplyOf<'device.overview'>['hostKey']> {
  const key = await tx.one<{ fingerprint: string; pinned_at: Date; pinned_by: string }>(
    'SELECT fingerprint, pinned_at, pinned_by FROM host_key WHERE device_id = ?',
    [device],
  );
  return key ? { fingerprint: key.fingerprint, pinnedAt: key.pinned_at.toISOString(), pinnedBy: key.pinned_by } : null;
}

async function management(tx: Tx, device: Stored<'device'>): Promise<ReplyOf<'device.overview'>['management']> {
  const held = await managementOf(tx, device);
  if (!held) return null;
  const { left: _, ...place } = await proposalOf(tx, held.prefix, held.address.address);
  return {
    ...place,
    device: device.key,
    interface: await keyOf(tx, 'interface', device.management),
    gateway: held.prefix.gateway,
  };
}
