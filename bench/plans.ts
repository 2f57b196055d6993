/** How the database goes about the questions that are asked most: taken from the use cases themselves, in the large estate. */
import { mustParse } from '@zpine/core/fault';
import { parseIp } from '@zpine/core/addressing/ip';
import { networkOf, truncations } from '@zpine/core/addressing/prefix';
import type { KindName } from '@zpine/contract/kinds';
import { list } from '../service/app/records/list.ts';
import { mustFind } from '../service/app/records/refs.ts';
import { search } from '../service/app/search/search.ts';
import { settingsOf } from '../service/app/settings/effective.ts';
import { find } from '../service/store/records.ts';
import { nextFree, smallestCovering, spaceOf } from '../service/store/spans.ts';
import type { Actor, Store } from '../service/store/store.ts';
import { readOnly } from '../service/store/transact.ts';
import { Tx } from '../service/store/tx.ts';
import { inEstate, LARGE } from './lists.ts';

const actor: Actor = { name: 'bench', via: 'service' };

export interface Plan {
  what: string;
  sql: string;
  steps: { table: string; type: string; key: string; rows: number; extra: string }[];
}

type Ask = (tx: Tx) => Promise<unknown>;

const page = (kind: KindName, more: object) => (tx: Tx) => list(tx, kind, { limit: 50, ...more });

async function asks(store: Store): Promise<Record<string, Ask>> {
  return readOnly(store, actor, async (tx) => {
    const [first] = await find(tx, 'device', {}, { order: ['id'], limit: 1 });
    if (!first) throw new Error('the estate is empty');
    const [address] = await find(tx, 'address', { interface_id: first.management ?? 0 });
    const [site] = await find(tx, 'site', { id: first.site ?? 0 });
    const mark = Buffer.from(JSON.stringify(['key', first.key, 1])).toString('base64url');
    const space = await spaceOf(tx, address?.prefix ?? 0, 'fixed');
    const host = networkOf(mustParse(parseIp(address?.address ?? '')), 32);
    return {
      'a page of a list, behind a mark': page('device', { after: mark }),
      'a list narrowed by a reference': page('device', { site: site?.key ?? '' }),
      'a selection by area and label': page('device', { where: 'area=north label=pilot' }),
      'the last changed first': page('interface', { sort: '-updatedAt' }),
      'a record by its key': (asked) => mustFind(asked, 'device', first.key),
      'all interfaces of a device': (asked) =>
        find(asked, 'interface', { device_id: first.id }, { order: ['sort_key'] }),
      'a search by words': (asked) => search(asked, `${first.key} access`),
      'what the layers of a device say': (asked) => settingsOf(asked, first),
      'the smallest prefix around an address': (asked) => smallestCovering(asked, 1, truncations(host)),
      'the next free address': (asked) => nextFree(asked, space, 4, 0n),
    };
  });
}

/** The plan of the statement of each that the database reckons to read most rows for. */
export const queryPlans = (): Promise<Plan[]> =>
  inEstate(LARGE, async ({ store }) => {
    const plans: Plan[] = [];
    for (const [what, ask] of Object.entries(await asks(store))) {
      const said = await statementsOf(store, ask);
      const explained: Plan[] = [];
      for (const [sql, values] of said) explained.push({ what, sql, steps: await explain(store, sql, values) });
      explained.sort((a, b) => rowsOf(b) - rowsOf(a));
      // What is small everywhere, such as the list of areas, tells nothing.
      const telling = explained.find(({ steps }) => !steps.every((step) => small.has(step.table))) ?? explained[0];
      if (telling) plans.push(telling);
    }
    return plans;
  });

const small = new Set(['area', 'setting', 'model', 'dialect', 'label']);

const rowsOf = (plan: Plan): number => plan.steps.reduce((sum, step) => sum + step.rows, 0);

/** Everything that is asked of the database meanwhile. */
async function statementsOf(store: Store, ask: Ask): Promise<[string, readonly unknown[]][]> {
  const said: [string, readonly unknown[]][] = [];
  class Listening extends Tx {
    override select<T extends object>(sql: string, values: readonly unknown[] = []): Promise<T[]> {
      said.push([sql, values]);
      return super.select<T>(sql, values);
    }
  }
  const { options } = store.sequelize as unknown as { options: { logging: unknown } };
  const before = options.logging;
  options.logging = (sql: string) => void said.push([sql.replace(/^Executing \(.*?\): /, ''), []]);
  try {
    await ask(new Listening(store, null, actor, 'bench'));
  } finally {
    options.logging = before;
  }
  return said.filter(([sql]) => /^\s*(SELECT|WITH)/.test(sql) && !sql.includes('information_schema'));
}

async function explain(store: Store, sql: string, values: readonly unknown[]): Promise<Plan['steps']> {
  const rows = await readOnly(store, actor, (tx) =>
    tx.select<Record<string, string | null>>(`EXPLAIN ${sql.replace(/;\s*$/, '')}`, values),
  );
  return rows.map((row) => ({
    table: row.table ?? '',
    type: row.type ?? '',
    key: row.key ?? '',
    rows: Number(row.rows ?? 0),
    extra: row.Extra ?? '',
  }));
}
