/** Puts a box under the identity of a device. */
import { parseMac } from '@zpine/core/addressing/mac';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf } from '@zpine/contract/routes';
import type { Stage } from '@zpine/contract/kinds/devices';
import type { Stored } from '@zpine/contract/kinds';
import { find, keyOf } from '../../store/records.ts';
import { endLeases } from '../boot/leases.ts';
import type { Tx } from '../../store/tx.ts';
import { addOne } from '../records/add.ts';
import { editOne, setFields } from '../records/edit.ts';
import { mustFind } from '../records/refs.ts';

export interface Fitting {
  serial: string;
  mac: string | null;
  /** What becomes of the box that was there. */
  before: 'faulty' | 'stock' | 'retired';
  /** Somebody says why the box that is there goes, though nothing is wrong with it by the records. */
  healthyMayGo?: boolean;
}

/** Stages in which other hardware changes nothing about the stage. */
const early: Stage[] = ['sketched', 'prepared', 'faulty'];

export async function fitBox(
  tx: Tx,
  device: Stored<'device'>,
  { serial, mac, before, healthyMayGo = false }: Fitting,
): Promise<Stored<'box'>> {
  if (device.stage === 'retired') throw new Refusal('stage-window', { device: device.key, stage: device.stage });
  const [there] = await find(tx, 'box', { device_id: device.id }, { lock: true });
  if (there && there.serial.toLowerCase() === serial.toLowerCase()) return there;
  // A healthy box is not taken out by somebody's word that other hardware is the device.
  if (there && !healthyMayGo && there.condition !== 'faulty' && device.stage !== 'faulty')
    throw new Refusal('box-healthy', { device: device.key, box: there.serial });
  const [known] = await find(tx, 'box', { natural_key: serial.toLowerCase() }, { lock: true });
  if (known && known.device !== null) {
    throw new Refusal('box-fitted', { box: known.serial, device: (await keyOf(tx, 'device', known.device)) ?? '' });
  }
  const model = known?.model ?? device.model;
  if (model === null) throw new Refusal('model-unknown', { box: serial, device: device.key });
  if (device.model !== null && model !== device.model) {
    const [is, wanted] = [await keyOf(tx, 'model', model), await keyOf(tx, 'model', device.model)];
    throw new Refusal('model-differs', { box: serial, is: is ?? '', device: device.key, wanted: wanted ?? '' });
  }
  if (there) await editOne(tx, 'box', `#${there.id}`, { device: null, condition: before });
  const fitted = { device: `#${device.id}`, condition: 'fitted' };
  const box = known
    ? await editOne(tx, 'box', `#${known.id}`, {
        ...fitted,
        ...(known.mac === null && mac !== null ? { mac } : {}),
        whereabouts: null,
      })
    : await addOne(tx, 'box', { serial, model: `#${model}`, ...(mac === null ? {} : { mac }), ...fitted });
  // Other hardware has another host key and holds no lease; what it runs has to be proved anew.
  await tx.execute('DELETE FROM host_key WHERE device_id = ?', [device.id]);
  await endLeases(tx, 'device_id = ?', [device.id]);
  if (there && !early.includes(device.stage as Stage)) {
    const published = await tx.one('SELECT id FROM edition WHERE device_id = ? AND published_at IS NOT NULL LIMIT 1', [
      device.id,
    ]);
    await setFields(tx, 'device', device.id, { stage: published ? 'prepared' : 'sketched' });
  }
  return box;
}

export async function fit(tx: Tx, ref: string, input: BodyOf<'device.fit'>): Promise<Stored<'box'>> {
  const device = await mustFind(tx, 'device', ref, true);
  if (input.mac !== undefined) {
    const mac = parseMac(input.mac);
    if (!mac.ok) throw Refusal.at(['mac'], mac.fault.code, mac.fault.params);
  }
  const healthyMayGo = (tx.actor.reason ?? '') !== '';
  return fitBox(tx, device, { serial: input.box, mac: input.mac ?? null, before: input.before, healthyMayGo });
}

export async function forgetHostKey(tx: Tx, ref: string): Promise<void> {
  const device = await mustFind(tx, 'device', ref, true);
  const key = await tx.one<{ fingerprint: string }>('SELECT fingerprint FROM host_key WHERE device_id = ? FOR UPDATE', [
    device.id,
  ]);
  if (!key) throw new Refusal('not-found', { kind: 'host key', ref: device.key });
  await tx.execute('DELETE FROM host_key WHERE device_id = ?', [device.id]);
  const before = { fingerprint: key.fingerprint };
  await tx.change({
    kind: 'host-key',
    id: device.id,
    key: `host key of ${device.key}`,
    versionFrom: 1,
    versionTo: null,
    before,
    after: null,
  });
}
