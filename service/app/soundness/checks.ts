/** Checks of the store as people ask for them and as the night brings them: kept with what they found. */
import { soundness, type SoundnessCheck } from '@zpine/contract/doctorRoutes';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf } from '@zpine/contract/routes';
import type { JobWork } from '../../store/jobs.ts';
import type { Actor, Store } from '../../store/store.ts';
import { readOnly, transact } from '../../store/transact.ts';
import type { Tx } from '../../store/tx.ts';
import { checkStore, type SoundnessReport } from './check.ts';
import { maybe, number, table, text, time, type RowOf } from '../../store/table.ts';

export const checks = table('store_check', {
  id: number,
  asked_at: time,
  ended_at: maybe(time),
  asked_by: text,
  mend: number,
  failure: maybe(text),
  result: maybe(text),
});
type CheckRow = RowOf<typeof checks>;

const shown = (row: CheckRow): SoundnessCheck => {
  const result = row.result === null ? undefined : (JSON.parse(row.result) as SoundnessReport);
  return {
    id: Number(row.id),
    at: row.asked_at.toISOString(),
    endedAt: row.ended_at?.toISOString() ?? null,
    by: row.asked_by,
    mend: row.mend === 1,
    state: row.ended_at === null ? 'under way' : row.failure === null ? 'ended' : 'broken off',
    failure: row.failure,
    count: result?.count ?? null,
    mended: result?.mended ?? null,
    looks: (result?.looks ?? []).map((look) => ({ ...look, title: soundness[look.look] })),
  };
};

async function note(tx: Tx, mend: boolean): Promise<number> {
  const row = { asked_at: await tx.now(), asked_by: tx.actor.name, mend: mend ? 1 : 0 };
  const [id = 0] = await tx.insertRows('store_check', [row]);
  return id;
}

export async function askCheck(tx: Tx, { mend }: BodyOf<'doctor.store'>): Promise<SoundnessCheck> {
  const id = await note(tx, mend);
  const { name, via, reason } = tx.actor;
  tx.job({ name: 'soundness', payload: { id, actor: { name, via, reason } }, delaySeconds: 0 });
  return showCheck(tx, String(id));
}

export async function showCheck(tx: Tx, id: string): Promise<SoundnessCheck> {
  const row = /^[1-9][0-9]{0,15}$/.test(id)
    ? await tx.one<CheckRow>(`SELECT ${checks.all} FROM store_check WHERE id = ?`, [Number(id)])
    : undefined;
  if (!row) throw new Refusal('not-found', { kind: 'check of the store', ref: id });
  return shown(row);
}

const LISTED = 20;

export const listChecks = async (tx: Tx): Promise<{ items: SoundnessCheck[] }> => ({
  items: (await tx.select<CheckRow>(`SELECT ${checks.all} FROM store_check ORDER BY id DESC LIMIT ${LISTED}`)).map(
    shown,
  ),
});

/** The last one that came to an end, for whoever watches the service. */
export async function lastCheck(tx: Tx): Promise<SoundnessCheck | undefined> {
  const row = await tx.one<CheckRow>(
    `SELECT ${checks.all} FROM store_check WHERE ended_at IS NOT NULL AND failure IS NULL ORDER BY id DESC LIMIT 1`,
  );
  return row && shown(row);
}

const night: Actor = { name: 'service', via: 'service' };
const DAY_SECONDS = 86_400;
/** At three in the morning, UTC. */
const NIGHT_SECONDS = 3 * 3600;
export const untilNight = (now = new Date()): number => {
  const seconds = Math.floor(now.getTime() / 1000) % DAY_SECONDS;
  return (NIGHT_SECONDS - seconds + DAY_SECONDS) % DAY_SECONDS || DAY_SECONDS;
};

/** The check of the night comes again; one that somebody asked for does not. */
export const againAtNight = (payload: unknown): number | undefined =>
  (payload as { id?: number }).id === undefined ? untilNight() : undefined;

/** Does the check that was asked for; without one, that of the night, which only looks. */
export const soundnessWork: JobWork = async (store: Store, payload) => {
  const asked = payload as { id?: number; actor?: Actor };
  const actor = asked.actor ?? night;
  const id = asked.id ?? (await transact(store, actor, 'doctor.store', (tx) => note(tx, false)));
  const row = await readOnly(store, actor, (tx) =>
    tx.one<CheckRow>(`SELECT ${checks.all} FROM store_check WHERE id = ?`, [id]),
  );
  if (!row || row.ended_at !== null) return undefined;
  const end = (failure: string | null, report: SoundnessReport | null) =>
    transact(store, actor, 'doctor.store', async (tx) => {
      const at = await tx.now();
      await tx.execute('UPDATE store_check SET ended_at = ?, failure = ?, result = ? WHERE id = ?', [
        at,
        failure,
        report && JSON.stringify(report),
        id,
      ]);
      if (report && report.mended > 0)
        await tx.change({
          kind: 'store',
          id,
          key: `check ${id} of the store`,
          versionFrom: null,
          versionTo: 1,
          before: null,
          after: Object.fromEntries(
            report.looks.filter((look) => look.mended > 0).map((look) => [look.look, look.mended]),
          ),
        });
      tx.hint('store-check', id, null);
    });
  try {
    await end(null, await checkStore(store, actor, row.mend === 1));
  } catch (error) {
    await end(String(error instanceof Error ? error.message : error).slice(0, 500), null);
  }
  return againAtNight(payload);
};
