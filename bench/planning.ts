/** What a turn of the plans costs where nothing is due: of the watch and of captures, in an estate of a hundred thousand. */
import { captureDue } from '../service/app/fleet/captureDue.ts';
import { changedSince, type SeenEvents } from '../service/app/fleet/planned.ts';
import { planWatch } from '../service/app/fleet/watch.ts';
import { putValue } from '../service/app/settings/values.ts';
import type { Store, Actor } from '../service/store/store.ts';
import { readOnly, transact } from '../service/store/transact.ts';
import type { Tx } from '../service/store/tx.ts';
import { openEstate } from './estate/stored.ts';
import { LARGE } from './lists.ts';
import type { Row } from './measure.ts';

const SEED = 1;
const TURNS = 15;
const MOST_MS = 50;
const actor: Actor = { name: 'bench', via: 'service' };

export async function planningRows(): Promise<Row[]> {
  const estate = await openEstate({ devices: LARGE, seed: SEED }, (text) => process.stderr.write(`${text}\n`));
  try {
    const { store } = estate;
    await prepare(store);
    let events: SeenEvents | undefined;
    const touched = (
      await readOnly(store, actor, (tx) => tx.select<{ id: number }>('SELECT id FROM device LIMIT 50'))
    ).map(({ id }) => Number(id));
    return [
      await row('a turn of the plans in which nothing has changed', store, async (tx) => {
        ({ now: events } = await changedSince(tx, events));
      }),
      await row('the watch planned anew, after a change of devices', store, (tx) => planWatch(tx, touched)),
      await row(
        'captures planned anew, after a change of devices',
        store,
        async (tx) => void (await captureDue(tx, touched)),
      ),
      await row('the watch planned anew, after a change of a layer', store, (tx) => planWatch(tx)),
      await row('captures planned anew, after a change of a layer', store, async (tx) => void (await captureDue(tx))),
    ];
  } finally {
    await estate.close();
  }
}

/** Everything is watched and captured by plan, and was just looked at. */
async function prepare(store: Store): Promise<void> {
  for (const [setting, value] of [
    ['watch.minutes', 60],
    ['capture.hours', 24],
  ] as const)
    await transact(store, actor, 'value.put', (tx) =>
      putValue(tx, { setting, layer: 'everywhere', mode: 'set', value }),
    );
  await transact(store, actor, 'watch.plan', (tx) => planWatch(tx));
  await transact(store, actor, 'capture.tried', (tx) =>
    tx.execute(
      `INSERT INTO capture_try (device_id, tried_at, well_at, detail)
       SELECT id, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3), '' FROM device ON DUPLICATE KEY UPDATE tried_at = VALUES(tried_at)`,
    ),
  );
}

async function row(what: string, store: Store, work: (tx: Tx) => Promise<void>): Promise<Row> {
  const times: number[] = [];
  for (let i = 0; i < TURNS; i += 1) {
    const begun = performance.now();
    await transact(store, actor, 'plan', work);
    times.push(performance.now() - begun);
  }
  const middle = times.sort((a, b) => a - b)[Math.floor(TURNS / 2)] ?? 0;
  return {
    what: `${what} at ${LARGE.toLocaleString('en')} devices, nothing due; beside ${MOST_MS} ms`,
    figure: `${middle.toFixed(1)} ms`,
    reference: `${MOST_MS} ms`,
    ratio: MOST_MS / middle,
    aim: 1,
  };
}
