/** Rounds of work in which something is killed: afterwards nothing that was acknowledged is lost or doubled, and the store is sound. */
import { setTimeout as pause } from 'node:timers/promises';
import { Booter } from '../booter.ts';
import { Chance } from '../fuzz/chance.ts';
import { additions, arrival, errand, published, push, tableOf, undone, type Deed } from './deeds.ts';
import { leases } from './leases.ts';
import { type House, until, type Victim } from './house.ts';

export interface Round {
  victim: Victim;
  /** After how many milliseconds of work. */
  afterMs: number;
  acknowledged: Record<string, number>;
  faults: string[];
}

export const deedNames = ['arrival', 'additions', 'tables', 'undo', 'published', 'errand', 'push', 'leases'] as const;
type DeedName = (typeof deedNames)[number];

export interface RoundOptions {
  count: number;
  seed: number;
  victims: readonly Victim[];
  /** What is done; all of it where nothing is said. */
  only?: readonly DeedName[];
  told?: (round: Round) => void;
}

export async function rounds(house: House, { count, seed, victims, only, told }: RoundOptions): Promise<Round[]> {
  const chance = new Chance(seed);
  const booter = new Booter(house.a);
  const { client } = house.a;
  const serving: string[] = [];
  const out: Round[] = [];
  try {
    const changes = !only || only.includes('errand') || only.includes('push');
    for (let i = 0; i < (changes ? 3 : 0); i += 1) {
      const device = await booter.declare();
      await booter.boot(device, 60_000);
      serving.push(device);
    }
    for (let n = 1; n <= count; n += 1) {
      const victim = victims[(n - 1) % victims.length] as Victim;
      const afterMs = 200 + chance.under(2500);
      const begin: Record<DeedName, () => Deed | Promise<Deed>> = {
        arrival: () => arrival(booter),
        additions: () => additions(client, n),
        tables: () => tableOf(client, n),
        undo: () => undone(client, n, 'cob'),
        published: () => published(client, ['har-acc-1', 'har-acc-2', 'ske-acc-1']),
        errand: () => errand(client, booter, n, serving.slice(0, 2)),
        push: () => push(client, booter, n, serving[2] ?? ''),
        leases: () => leases(house.a, n),
      };
      const deeds: Partial<Record<DeedName, Deed>> = {};
      for (const name of only ?? deedNames) deeds[name] = await begin[name]();
      await pause(afterMs);
      await house.kill(victim);
      await pause(200);
      await Promise.all([house.restore(victim), ...Object.values(deeds).map((deed) => deed.stop())]);
      const faults: string[] = [];
      for (const deed of Object.values(deeds)) faults.push(...(await deed.faults()));
      faults.push(...(await unsound(house)));
      const acknowledged = Object.fromEntries(Object.entries(deeds).map(([name, deed]) => [name, deed.acknowledged()]));
      const round = { victim, afterMs, acknowledged, faults };
      out.push(round);
      told?.(round);
    }
  } finally {
    await booter.stop();
  }
  return out;
}

/** What `zpine doctor store` finds. */
async function unsound({ a }: House): Promise<string[]> {
  const { id } = await a.client.call('doctor.store', { body: {} });
  const show = () => a.client.call('doctor.storeCheck', { params: { id: String(id) } });
  await until(`check ${id} of the store has an end`, async () => (await show()).state !== 'under way', 120_000);
  const { state, failure, looks } = await show();
  if (state !== 'ended') return [`the check of the store is ${state}: ${failure ?? ''}`];
  return looks.flatMap(({ look, rows }) =>
    rows.map((row) => `${look}: ${row.about} is ${row.is}, and should be ${row.should}`),
  );
}
