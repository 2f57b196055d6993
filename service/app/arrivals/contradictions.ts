/** What a stranger shows, and the records say otherwise; and what the records become when somebody says that it is right. */
import { Refusal } from '@zpine/contract/errors';
import { boxName } from '@zpine/core/naming/boxName';
import type { Stored } from '@zpine/contract/kinds';
import { allOf, byIds, keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { dialectIdOf } from '../devices/inForce.ts';
import { boxNamed, type Fitting } from '../devices/fit.ts';
import { dialectOf } from '../fleet/dialects.ts';
import { editOne } from '../records/edit.ts';
import { saidModel } from './saidModel.ts';
import { boxesOf, talks, type StrangerRow } from './presentStrangers.ts';

/** Why it may be another device than this one, in words; refuses one that nothing boots as. */
export async function contradictionOf(tx: Tx, row: StrangerRow, device: Stored<'device'>): Promise<string | undefined> {
  if (device.virtual) throw Refusal.at(['device'], 'nothing-boots', { device: device.key, what: 'virtual' });
  const sheet = (await dialectOf(tx, device))?.sheet;
  if ((await dialectIdOf(tx, device)) === null) {
    const what = `${(await keyOf(tx, 'model', device.model)) ?? 'a device'} without a dialect`;
    throw Refusal.at(['device'], 'nothing-boots', { device: device.key, what });
  }
  if (row.conflict !== null) return row.conflict;
  const [box] = (await boxesOf(tx, [row])).values();
  if (box && box.device !== null && box.device !== device.id)
    return `box ${boxName(box)} is fitted as ${(await byIds(tx, 'device', [box.device])).get(box.device)?.key ?? ''}`;
  const model = box ? undefined : saidModel(await allOf(tx, 'model'), row.vendor_class);
  if (model && device.model !== null && device.model !== model.id)
    return `it calls itself "${row.vendor_class ?? ''}", which is a ${model.title}`;
  const begins = sheet?.boot?.vendorClass;
  if (begins !== undefined && row.vendor_class !== null && !talks(row) && !row.vendor_class.startsWith(begins))
    return `it calls itself "${row.vendor_class}", and devices that speak ${sheet?.title ?? 'its dialect'} begin with "${begins}"`;
  return undefined;
}

/** What it shows of itself is right, whatever the records said: a reason was given. */
export async function believe(tx: Tx, { serial, mac }: Pick<Fitting, 'serial' | 'mac'>): Promise<void> {
  if (serial === null) return;
  const bySerial = await boxNamed(tx, { serial, mac: null });
  const byMac = await boxNamed(tx, { serial: null, mac });
  if (byMac && bySerial && byMac.id !== bySerial.id) await editOne(tx, 'box', `#${byMac.id}`, { mac: null });
  if (bySerial && mac !== null && bySerial.mac !== mac) await editOne(tx, 'box', `#${bySerial.id}`, { mac });
  if (!bySerial && byMac) await editOne(tx, 'box', `#${byMac.id}`, { serial });
}
