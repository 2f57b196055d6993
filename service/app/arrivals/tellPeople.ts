/** Notices of arrivals, to whoever wants them: that a device serves, or that it does not get on and why. */
import { diagnosisWords } from '@zpine/core/arrival/diagnosis';
import type { Arrival } from '@zpine/core/arrival/arrival';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { addNotices, listed } from '../fleet/notices.ts';
import { settingsOfMany } from '../settings/effective.ts';

const WANTED = 'arrival.notices';

type News = { word: 'serves' } | { word: 'stuck'; words: string };

/** What is waited for without anything being wrong. */
const waits: readonly string[] = ['ssh-waiting', 'no-packet'];

/** What an event made of an arrival, as far as somebody may want to hear of it. */
function newsOf(before: Arrival, after: Arrival): News | undefined {
  if (after.phase === 'serving' && before.phase !== 'serving') return { word: 'serves' };
  const { diagnosis } = after;
  if (!diagnosis || waits.includes(diagnosis.code) || diagnosis.code === before.diagnosis?.code) return undefined;
  const { title, detail } = diagnosisWords(diagnosis);
  return { word: 'stuck', words: `${title}: ${detail}` };
}

/** The same trouble of one device is not told again within this time. */
const DAMPED_MINUTES = 60;

export async function tellPeople(tx: Tx, id: number, before: Arrival, after: Arrival): Promise<void> {
  const news = newsOf(before, after);
  const device = news && (await byIds(tx, 'device', [id])).get(id);
  if (!news || !device) return;
  const { value } = await settingsOfMany(tx, [device], [WANTED]);
  if (!listed(value(device, WANTED)).includes(news.word)) return;
  const text = news.word === 'serves' ? `${device.key} serves` : `${device.key} does not get on: ${news.words}`;
  const told = await tx.one(
    `SELECT id FROM notice WHERE device_id = ? AND what = 'arrival' AND text = ? AND at > ? - INTERVAL ${DAMPED_MINUTES} MINUTE LIMIT 1`,
    [id, text.slice(0, 1000), await tx.now()],
  );
  if (!told) await addNotices(tx, id, () => [{ what: 'arrival', text }]);
}
