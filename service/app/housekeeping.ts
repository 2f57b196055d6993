import { numberSetting } from '@zpine/core/settings/read';
import type { JobWork } from '../store/jobs.ts';
import { allOf } from '../store/records.ts';
import type { Store } from '../store/store.ts';
import { readOnly, transact } from '../store/transact.ts';
import { OLD_SAMPLES, saveSamples } from './addressing/samples.ts';
import { dropOldCaptures } from './fleet/captures.ts';
import { everywhereSettings } from './settings/effective.ts';

const HOUR = 3600;
/** Rows that have had their day, and how long that is. Deleted in slices, so that no lock is held for long. */
const leftovers = [
  'DELETE FROM session WHERE expires_at < UTC_TIMESTAMP(3) LIMIT 1000',
  'DELETE FROM relay_refused WHERE last_at < UTC_TIMESTAMP(3) - INTERVAL 7 DAY LIMIT 1000',
  'DELETE FROM sign_in_try WHERE at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY LIMIT 1000',
  'DELETE FROM token WHERE expires_at < UTC_TIMESTAMP(3) - INTERVAL 30 DAY LIMIT 1000',
  'DELETE FROM idempotency WHERE at < UTC_TIMESTAMP(3) - INTERVAL 2 DAY LIMIT 1000',
  'DELETE FROM boot_record WHERE last_at < UTC_TIMESTAMP(3) - INTERVAL 30 DAY LIMIT 1000',
  'DELETE FROM lease WHERE expires_at < UTC_TIMESTAMP(3) - INTERVAL 30 DAY LIMIT 1000',
  // The newest of them, however many clients ask for however long.
  'DELETE FROM boot_record WHERE id < (SELECT id FROM boot_record ORDER BY id DESC LIMIT 1 OFFSET 200000) LIMIT 1000',
  'DELETE FROM sign WHERE last_at < UTC_TIMESTAMP(3) - INTERVAL 7 DAY LIMIT 1000',
  // The newest of them, however much devices say.
  'DELETE FROM sign WHERE id < (SELECT id FROM sign ORDER BY id DESC LIMIT 1 OFFSET 200000) LIMIT 1000',
  'DELETE FROM stranger WHERE last_at < UTC_TIMESTAMP(3) - INTERVAL 90 DAY LIMIT 1000',
  'DELETE FROM stranger WHERE settled_at IS NULL AND last_at < UTC_TIMESTAMP(3) - INTERVAL 7 DAY LIMIT 1000',
  'DELETE FROM upload WHERE at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY LIMIT 1000',
  'DELETE FROM event WHERE at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY LIMIT 1000',
  "DELETE FROM run WHERE state = 'ended' AND ended_at < UTC_TIMESTAMP(3) - INTERVAL 90 DAY LIMIT 1000",
  'DELETE FROM delivery WHERE letter_id IN (SELECT id FROM letter WHERE at < UTC_TIMESTAMP(3) - INTERVAL 90 DAY) LIMIT 1000',
  'DELETE FROM letter WHERE at < UTC_TIMESTAMP(3) - INTERVAL 90 DAY LIMIT 1000',
  'DELETE FROM notice WHERE at < UTC_TIMESTAMP(3) - INTERVAL 90 DAY LIMIT 1000',
  'DELETE FROM check_past WHERE at < UTC_TIMESTAMP(3) - INTERVAL 400 DAY LIMIT 1000',
  OLD_SAMPLES,
];

export const housekeeping: JobWork = async (store) => {
  for (const statement of leftovers) {
    let removed: number;
    do
      removed = await transact(store, { name: 'service', via: 'service' }, 'housekeeping', (tx) =>
        tx.execute(statement),
      );
    while (removed === 1000);
  }
  await transact(store, { name: 'service', via: 'service' }, 'captures', async (tx) => {
    const keep = numberSetting(await everywhereSettings(tx), 'capture.keep') ?? 50;
    while ((await dropOldCaptures(tx, Math.max(1, keep))) === 1000);
  });
  await clearContents(store);
  await transact(store, { name: 'service', via: 'service' }, 'samples', saveSamples);
  return HOUR;
};

/** A removed image can be taken back for so long with its content. */
const CONTENT_DAYS = 30;

async function clearContents(store: Store): Promise<void> {
  const images = await readOnly(store, { name: 'service', via: 'service' }, (tx) => allOf(tx, 'image'));
  const named = new Set(images.flatMap(({ sha256 }) => sha256 ?? []));
  for (const sha256 of named) await store.contents.touch(sha256);
  await store.contents.clear(named, CONTENT_DAYS * 24 * HOUR * 1000);
}
