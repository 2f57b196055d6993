/**
 * What people and devices do while something is killed. A deed goes on until it is told to stop; what was acknowledged is
 * kept, and held against what is there afterwards.
 */
import type { Client } from '@zpine/contract/client';
import type { Booter } from '../booter.ts';
import { until } from './house.ts';

export interface Deed {
  /** Ends what goes on; what is under way may fail. */
  stop: () => Promise<void>;
  /** Once everything is there again: what was lost, doubled, or said and not so. */
  faults: () => Promise<string[]>;
  /** How many acknowledgements there were. */
  acknowledged: () => number;
}

/** Does something again and again, in lanes, until it is stopped; a failure ends nothing. */
function lanes(count: number, once: (n: number) => Promise<void>): () => Promise<void> {
  const state = { over: false, n: 0 };
  const all = Array.from({ length: count }, async () => {
    while (!state.over) await once((state.n += 1)).catch(() => new Promise((done) => setTimeout(done, 50)));
  });
  return async () => {
    state.over = true;
    await Promise.all(all);
  };
}

/** Records one by one, each under a key; what nobody answered for is sent once more under the same key. */
export function additions(client: Client, round: number): Deed {
  const said = new Set<string>();
  const open = new Set<string>();
  const add = async (name: string) => {
    await client.add('owner', { name }, { idempotencyKey: `chaos-${name}` });
    said.add(name);
    open.delete(name);
  };
  const stop = lanes(4, async (n) => {
    const name = `owner-${round}-${n}`;
    open.add(name);
    await add(name);
  });
  return {
    stop,
    acknowledged: () => said.size,
    faults: async () => {
      const faults: string[] = [];
      for (const name of [...open]) await add(name);
      for (const name of said) {
        const { items } = await client.call('history.list', { query: { kind: 'owner', record: name } });
        if (items.length !== 1) faults.push(`owner ${name} was acknowledged and changed ${items.length} times`);
      }
      return faults;
    },
  };
}

/** A table that is saved as a whole. */
export function tableOf(client: Client, round: number): Deed {
  const rows = 1500;
  const uploads: number[] = [];
  const stop = lanes(1, async (n) => {
    const names = Array.from({ length: rows }, (_, i) => `chaos-${round}-${n}-${i}`);
    const sent = await client.upload(
      { kind: 'box', apply: 'true' },
      new Blob([`serial,model\n${names.join(',larkfield/lf-24\n')},larkfield/lf-24\n`]),
    );
    uploads.push(sent.id);
    await until('the table is saved', async () => (await stateOf(client, sent.id)) !== 'saving', 5000);
  });
  return {
    stop,
    acknowledged: () => uploads.length,
    faults: async () => {
      const faults: string[] = [];
      for (const id of uploads) {
        // Whoever lost its work says so by no more signs of life, and another takes it up.
        await until(
          `upload ${id} has an end`,
          async () => !['saving', 'waiting', 'reading'].includes(await stateOf(client, id)),
          120_000,
        );
      }
      const states = await Promise.all(uploads.map((id) => stateOf(client, id)));
      const { count = 0 } = await client.list('box', { where: `serial=chaos-${round}-*`, count: 'true', limit: 1 });
      const saved = states.filter((state) => state === 'saved').length;
      if (saved !== states.length) faults.push(`of ${states.length} tables ${saved} were saved: ${states.join(', ')}`);
      if (count !== saved * rows) faults.push(`of ${saved} tables of ${rows} rows there are ${count} rows`);
      return faults;
    },
  };
}

const stateOf = async (client: Client, id: number): Promise<string> =>
  (await client.call('import.show', { params: { id: String(id) } })).state;

/** A change, and the change taken back. */
export function undone(client: Client, round: number, site: string): Deed {
  const state = { title: '', said: 0 };
  const expected = new Set<string>();
  const stop = lanes(1, async (n) => {
    if (state.title === '') state.title = String((await client.show('site', site)).title);
    expected.add(state.title);
    const other = `Chaos ${round} ${n}`;
    expected.add(other);
    await client.edit('site', site, { title: other });
    const { items } = await client.call('history.list', { query: { kind: 'site', record: site, limit: '1' } });
    expected.clear();
    // From here on either may be so, until the answer is there.
    expected.add(other).add(state.title);
    await client.call('history.undo', { params: { id: String(items[0]?.id) }, body: { apply: true } });
    state.said += 1;
    expected.clear();
    expected.add(state.title);
  });
  return {
    stop,
    acknowledged: () => state.said,
    faults: async () => {
      const { title } = await client.show('site', site);
      const faults =
        expected.size === 0 || expected.has(String(title))
          ? []
          : [`site ${site} is called ${String(title)}, not ${[...expected].join(' or ')}`];
      if (state.title !== '' && title !== state.title) await client.edit('site', site, { title: state.title });
      return faults;
    },
  };
}

/** Editions, made and published. */
export function published(client: Client, devices: readonly string[]): Deed {
  const said = new Map<string, number>();
  let count = 0;
  const stop = lanes(2, async (n) => {
    const ref = devices[n % devices.length] ?? '';
    const { number } = await client.call('edition.make', { params: { ref }, body: {} });
    await client.call('edition.publish', { params: { ref, number: String(number) }, body: {} });
    said.set(ref, Math.max(number, said.get(ref) ?? 0));
    count += 1;
  });
  return {
    stop,
    acknowledged: () => count,
    faults: async () => {
      const faults: string[] = [];
      for (const [ref, number] of said) {
        const { items } = await client.call('edition.list', { params: { ref } });
        const now = items.filter((one) => one.current);
        if (now.length !== 1) faults.push(`${ref} has ${now.length} published editions`);
        if ((now[0]?.number ?? 0) < number)
          faults.push(`${ref}: edition ${number} was published, and ${now[0]?.number ?? 'none'} is`);
        if (new Set(items.map((one) => one.number)).size !== items.length)
          faults.push(`${ref} has two editions of one number`);
      }
      return faults;
    },
  };
}

/** A switch that is switched on meanwhile, and has to serve in the end. */
export async function arrival(booter: Booter): Promise<Deed & { device: string }> {
  const device = await booter.declare();
  booter.switchOn(device);
  const begun = Date.now();
  return {
    device,
    stop: () => Promise.resolve(),
    acknowledged: () => 1,
    faults: () =>
      booter.served(device, begun, 90_000).then(
        () => [],
        (error: unknown) => [String(error)],
      ),
  };
}

/** A line for switches that serve: each row has to say what is so on its device. */
export function errand(client: Client, booter: Booter, round: number, devices: readonly string[]): Deed {
  const line = `journal to 10.77.${round % 250}.7`;
  let id: number | undefined;
  const stop = lanes(1, async (n) => {
    if (n > 1) return void (await new Promise((done) => setTimeout(done, 50)));
    const made = await client.call('run.errand', { body: { devices: [...devices], lines: line } });
    id = made.id;
    await until('the errand was looked at', async () => (await stateOfRun(made.id)).state === 'previewed', 8000);
    await client.call('run.go', { params: { id: String(id) }, body: { count: devices.length } });
  });
  const stateOfRun = (run: number) => client.call('run.show', { params: { id: String(run) }, query: {} });
  return {
    stop,
    acknowledged: () => (id === undefined ? 0 : 1),
    faults: async () => {
      if (id === undefined) return [];
      const run = id;
      await until(
        `run ${run} has an end`,
        async () => ['ended', 'previewed'].includes((await stateOfRun(run)).state),
        150_000,
      );
      const { rows, state } = await stateOfRun(run);
      return rows.flatMap(({ device, outcome }) => {
        const there = booter.printed(device).includes(line);
        if (outcome === 'brought over' && !there)
          return [`run ${run}: ${device} is said to have the line, and has it not`];
        if ((outcome === 'left out' || (outcome === null && state === 'previewed')) && there)
          return [`run ${run}: ${device} was left alone, and has the line`];
        return [];
      });
    },
  };
}

/** A switch brought to another edition meanwhile: what the run says is so, and the next push brings it there in any case. */
export function push(client: Client, booter: Booter, round: number, device: string): Deed {
  const server = `10.78.${round % 250}.9`;
  const params = { ref: device };
  const stateOf = (id: number) => client.call('run.show', { params: { id: String(id) }, query: {} });
  let run: number | undefined;
  const begin = async (): Promise<number> => (await client.call('run.push', { body: { devices: [device] } })).id;
  const previewed = (id: number) =>
    until('the push was looked at', async () => ['previewed', 'ended'].includes((await stateOf(id)).state), 60_000);
  const stop = lanes(1, async (n) => {
    if (n > 1) return void (await new Promise((done) => setTimeout(done, 50)));
    await client.call('value.put', {
      body: { setting: 'log.servers', layer: 'device', of: device, mode: 'set', value: [server] },
    });
    const { number } = await client.call('edition.make', { params, body: {} });
    await client.call('edition.publish', { params: { ref: device, number: String(number) }, body: {} });
    run = await begin();
    await previewed(run);
    await client.call('run.go', { params: { id: String(run) }, body: { count: 1 } });
  });
  return {
    stop,
    acknowledged: () => (run === undefined ? 0 : 1),
    faults: async () => {
      if (run === undefined) return [];
      const line = `journal to ${server}`;
      const id = run;
      await until(
        `run ${id} has an end`,
        async () => ['ended', 'previewed'].includes((await stateOf(id)).state),
        150_000,
      );
      const [row] = (await stateOf(id)).rows;
      const faults =
        row?.outcome === 'brought over' && !booter.printed(device).includes(line)
          ? [`run ${id}: ${device} is said to be brought over, and has not "${line}"`]
          : [];
      const again = await begin();
      await previewed(again);
      if ((await stateOf(again)).state === 'previewed')
        await client.call('run.go', { params: { id: String(again) }, body: { count: 1 } });
      await until(`run ${again} has an end`, async () => (await stateOf(again)).state === 'ended', 60_000);
      const last = (await stateOf(again)).rows[0];
      if (!booter.printed(device).includes(line) || !['brought over', 'already right'].includes(last?.outcome ?? ''))
        faults.push(
          `run ${again}: ${device} is not brought to its edition: ${last?.outcome ?? ''} ${last?.detail ?? ''}`,
        );
      return faults;
    },
  };
}
