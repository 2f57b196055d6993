/** Notices: messages to people about devices, with the letter that goes out where somebody is to be told by mail. */
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { settingsOfMany } from '../settings/effective.ts';

export interface NewNotice {
  /** What it is about: an interface, the way in, the configuration. */
  what: string;
  text: string;
}

/** `texts`: from the key of the device. */
export async function addNotices(tx: Tx, id: number, texts: (device: string) => NewNotice[]): Promise<void> {
  const device = (await byIds(tx, 'device', [id])).get(id);
  if (!device) return;
  const now = await tx.now();
  const mail = (await settingsOfMany(tx, [device], ['watch.mail'])).value(device, 'watch.mail');
  const to = Array.isArray(mail) ? mail.map(String).join(', ') : '';
  for (const { what, text } of texts(device.key)) {
    const [notice] = await tx.insertRows('notice', [
      {
        at: now,
        device_id: device.id,
        device_key: device.key,
        what,
        text: text.slice(0, 1000),
        mail_to: to,
        mail_due: to === '' ? null : now,
      },
    ]);
    tx.hint('notice', Number(notice), null);
  }
}
