/** A box that was known by its hardware address alone tells its serial: the records take it over. */
import { isAscii } from '@zpine/core/text/ascii';
import type { Stored } from '@zpine/contract/kinds';
import { find, keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { editOne } from '../records/edit.ts';
import { removeOne } from '../records/remove.ts';

/** As the field takes it. */
const isSerial = (text: string): boolean => isAscii(text) && /^[\x21-\x7e]{2,100}$/.test(text);

/**
 * Why it cannot be taken over, in words; undefined where the records have it now. A spare that was entered by that serial is
 * the same piece of hardware: its record goes on, with the device and the address of this one.
 */
export async function takeSerial(tx: Tx, device: number, serial: string): Promise<string | undefined> {
  const [box] = await find(tx, 'box', { device_id: device });
  if (!box || box.serial !== null || !isSerial(serial)) return undefined;
  const [other] = await find(tx, 'box', { natural_key: serial.toLowerCase() }, { lock: true });
  if (!other) {
    await editOne(tx, 'box', `#${box.id}`, { serial });
    return undefined;
  }
  if (other.device !== null)
    return `${serial}, the box of ${(await keyOf(tx, 'device', other.device)) ?? 'another device'}`;
  if (other.mac !== null || other.model !== box.model || other.condition !== 'stock')
    return `${serial}, which is another box of the records`;
  await joinBoxes(tx, box, other);
  return undefined;
}

async function joinBoxes(tx: Tx, box: Stored<'box'>, other: Stored<'box'>): Promise<void> {
  const { device, mac } = box;
  await removeOne(tx, 'box', `#${box.id}`);
  await editOne(tx, 'box', `#${other.id}`, { device: `#${device}`, condition: box.condition, mac, whereabouts: null });
}
