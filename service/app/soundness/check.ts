/** Holds everything that is derived against the records, says what differs, and mends it when asked. */
import { soundnessNames, type Soundness } from '@zpine/contract/doctorRoutes';
import { kindNames } from '@zpine/contract/kinds';
import type { Actor, Store } from '../../store/store.ts';
import { readOnly, transact } from '../../store/transact.ts';
import { cableEnds, macsOf } from './claims.ts';
import { keysOf } from './keys.ts';
import type { Difference, Look, Part } from './look.ts';
import { rackRoom } from './room.ts';
import { fillSamples, freeSpace } from './space.ts';
import { termsOf } from './terms.ts';
import { addressesInTree, prefixTree } from './tree.ts';

/** In the order in which they are looked at: what others are worked out from comes first. */
const looks: Record<Soundness, Look[]> = {
  keys: kindNames.map(keysOf),
  tree: [prefixTree],
  addresses: [addressesInTree],
  space: [freeSpace],
  samples: [fillSamples],
  macs: [macsOf('box'), macsOf('interface')],
  cables: [cableEnds],
  racks: [rackRoom],
  terms: kindNames.map(termsOf),
};

/** So many differences of a sort are told; all are counted. */
const TOLD = 20;

export interface SoundnessReport {
  looks: {
    look: Soundness;
    count: number;
    mended: number;
    rows: Pick<Difference, 'about' | 'is' | 'should'>[];
  }[];
  count: number;
  mended: number;
}

/** `alive`: asked between batches; false ends the work. */
export async function checkStore(
  store: Store,
  actor: Actor,
  mend: boolean,
  alive: () => boolean = () => true,
): Promise<SoundnessReport> {
  const report: SoundnessReport = { looks: [], count: 0, mended: 0 };
  for (const look of soundnessNames) {
    const told: SoundnessReport['looks'][number] = { look, count: 0, mended: 0, rows: [] };
    for (const one of looks[look]) {
      await readOnly(store, actor, async (outer) => {
        for await (const part of one.parts(outer)) {
          if (!alive()) throw new Error('the check was ended');
          const found = await lookAt(store, actor, part, mend);
          told.count += found.length;
          if (mend) told.mended += found.length;
          told.rows.push(
            ...found.slice(0, TOLD - told.rows.length).map(({ about, is, should }) => ({ about, is, should })),
          );
        }
      });
    }
    report.looks.push(told);
    report.count += told.count;
    report.mended += told.mended;
  }
  return report;
}

/**
 * First without a lock, as nearly everything is right. What seems to differ may be a write under way: it counts when it
 * differs in the same way with the rows locked.
 */
async function lookAt(store: Store, actor: Actor, part: Part, mend: boolean): Promise<Difference[]> {
  const seen = await readOnly(store, actor, (tx) => part(tx, false));
  if (seen.length === 0) return [];
  const before = new Set(seen.map(nameOf));
  return transact(store, actor, 'doctor.store', async (tx) => {
    const found = (await part(tx, true)).filter((one) => before.has(nameOf(one)));
    if (mend)
      for (const { mend: statements } of found) for (const [sql, values] of statements) await tx.execute(sql, values);
    return found;
  });
}

const nameOf = ({ about, is, should }: Difference): string => `${about}\n${is}\n${should}`;
