/** Puts a box under the identity of a device. */
import { macToBytes, parseMac } from '@zpine/core/addressing/mac';
import { boxName } from '@zpine/core/naming/boxName';
import { splitKey } from '@zpine/contract/kind';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf } from '@zpine/contract/routes';
import type { Stage } from '@zpine/contract/kinds/devices';
import { kindOf, type Stored } from '@zpine/contract/kinds';
import { byIds, find, keyOf } from '../../store/records.ts';
import { isSwapped } from '../swaps/waits.ts';
import { openWindow } from '../arrivals/window.ts';
import { endLeases } from '../boot/leases.ts';
import type { Tx } from '../../store/tx.ts';
import { addOne } from '../records/add.ts';
import { editOne, setFields } from '../records/edit.ts';
import { mustFind } from '../records/refs.ts';

export interface Fitting {
  /** Null where only its hardware address is known. */
  serial: string | null;
  mac: string | null;
  /** What becomes of the box that was there. */
  before: 'faulty' | 'stock' | 'retired';
  /** Somebody gave a reason: for taking out a box with which nothing is wrong, for putting in one with which something is. */
  knowingly?: boolean;
}

/** Stages in which other hardware changes nothing about the stage. */
const early: Stage[] = ['sketched', 'prepared', 'faulty'];

/** That with this serial; else that with this hardware address. */
export async function boxNamed(
  tx: Tx,
  { serial, mac }: Pick<Fitting, 'serial' | 'mac'>,
  lock = true,
): Promise<Stored<'box'> | undefined> {
  const [bySerial] = serial === null ? [] : await find(tx, 'box', { natural_key: serial.toLowerCase() }, { lock });
  if (bySerial || mac === null) return bySerial;
  const claim = await tx.one<{ record_id: number }>("SELECT record_id FROM mac_claim WHERE kind = 'box' AND mac = ?", [
    Buffer.from(macToBytes(mac)),
  ]);
  return claim && (await byIds(tx, 'box', [Number(claim.record_id)], lock)).get(Number(claim.record_id));
}

export async function fitBox(
  tx: Tx,
  device: Stored<'device'>,
  { serial, mac, before, knowingly = false }: Fitting,
): Promise<Stored<'box'>> {
  if (device.stage === 'retired') throw new Refusal('stage-window', { device: device.key, stage: device.stage });
  const [there] = await find(tx, 'box', { device_id: device.id }, { lock: true });
  const known = await boxNamed(tx, { serial, mac });
  if (there && there.id === known?.id) return there;
  // A healthy box is not taken out by somebody's word that other hardware is the device.
  if (
    there &&
    !knowingly &&
    there.condition !== 'faulty' &&
    device.stage !== 'faulty' &&
    !(await isSwapped(tx, device.id))
  )
    throw new Refusal('box-healthy', { device: device.key, box: boxName(there) });
  if (known && known.device !== null) {
    throw new Refusal('box-fitted', { box: boxName(known), device: (await keyOf(tx, 'device', known.device)) ?? '' });
  }
  const name = boxName(known ?? { serial, mac });
  if (known && !knowingly && (known.condition === 'faulty' || known.condition === 'retired'))
    throw new Refusal('box-unfit', { box: name, condition: known.condition, device: device.key });
  const model = known?.model ?? device.model;
  if (model === null) throw new Refusal('model-unknown', { box: name, device: device.key });
  if (device.model !== null && model !== device.model) {
    const [is, wanted] = [await keyOf(tx, 'model', model), await keyOf(tx, 'model', device.model)];
    throw new Refusal('model-differs', { box: name, is: is ?? '', device: device.key, wanted: wanted ?? '' });
  }
  if (there) await editOne(tx, 'box', `#${there.id}`, { device: null, condition: before });
  const fitted = { device: `#${device.id}`, condition: 'fitted' };
  const box = known
    ? await editOne(tx, 'box', `#${known.id}`, {
        ...fitted,
        ...(known.mac === null && mac !== null ? { mac } : {}),
        ...(known.serial === null && serial !== null ? { serial } : {}),
        whereabouts: null,
      })
    : await addOne(tx, 'box', {
        ...(serial === null ? {} : { serial }),
        ...(mac === null ? {} : { mac }),
        model: `#${model}`,
        ...fitted,
      });
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
  const given = input.mac === undefined ? null : parseMac(input.mac);
  if (given?.ok === false) throw Refusal.at(['mac'], given.fault.code, given.fault.params);
  const { serial, mac } = splitKey(kindOf('box'), input.box.trim());
  const named = mac === undefined ? null : parseMac(mac);
  const box = await fitBox(tx, device, {
    serial: serial ?? null,
    mac: named?.ok ? named.value : given?.ok ? given.value : null,
    before: input.before,
    knowingly: isReasoned(tx),
  });
  if (input.openHours !== undefined) await openWindow(tx, device, input.openHours);
  return box;
}

/** Whether somebody said why. */
export const isReasoned = (tx: Tx): boolean => (tx.actor.reason ?? '') !== '';

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
