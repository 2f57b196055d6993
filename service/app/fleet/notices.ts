/** Notices: messages to people about devices, and whether somebody gets them by mail. */
import { isQuiet, parseQuietTime, type QuietTime } from '@zpine/core/fleet/quietTimes';
import type { SettingValue } from '@zpine/core/settings/layers';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { settingsOfMany } from '../settings/effective.ts';

/** For the worse, for the better, or neither. */
export type Turn = 'down' | 'well' | 'other';

export interface NewNotice {
  /** What it is about: an interface, the way in, the configuration. */
  what: string;
  text: string;
  turn?: Turn;
}

export const listed = (value: SettingValue | undefined): string[] => (Array.isArray(value) ? value.map(String) : []);

export const quietTimesIn = (value: SettingValue | undefined): QuietTime[] =>
  listed(value).flatMap((text) => {
    const read = parseQuietTime(text);
    return read.ok ? [read.value] : [];
  });

/** What is said in quiet times stands in the list, and goes to nobody. `texts`: from the key of the device. */
export async function addNotices(tx: Tx, id: number, texts: (device: string) => NewNotice[]): Promise<void> {
  const device = (await byIds(tx, 'device', [id])).get(id);
  if (!device) return;
  const now = await tx.now();
  const settings = await settingsOfMany(tx, [device], ['watch.mail', 'watch.hooks', 'watch.quiet', 'time.zone']);
  const to = listed(settings.value(device, 'watch.mail')).join(', ');
  const hooks = listed(settings.value(device, 'watch.hooks'));
  const zone = settings.value(device, 'time.zone');
  const quiet = isQuiet(quietTimesIn(settings.value(device, 'watch.quiet')), new Date(now.iso), zoneIn(zone));
  for (const { what, text, turn = 'other' } of texts(device.key)) {
    const [notice] = await tx.insertRows('notice', [
      {
        at: now,
        device_id: device.id,
        device_key: device.key,
        what,
        text: text.slice(0, 1000),
        turn,
        mail_to: quiet ? '' : to,
        hooks: JSON.stringify(quiet ? [] : hooks),
        // When it may go out: others of its cause may come.
        mail_due: (to === '' && hooks.length === 0) || quiet ? null : now,
      },
    ]);
    tx.hint('notice', Number(notice), null);
  }
}

export const zoneIn = (value: SettingValue | undefined): string => (typeof value === 'string' ? value : 'UTC');
