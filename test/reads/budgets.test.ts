/** What people wait for asks the database only so often, however many records there are. */
import { expect } from 'chai';
import type { ShownRun } from '@zpine/contract/fleetShapes';
import type { RouteId } from '@zpine/contract/routes';
import { bootNet } from '../../ops/stack.ts';
import type { User } from '../../service/app/access/who.ts';
import { addArrival, applyEvent } from '../../service/app/arrivals/arrivals.ts';
import { saveDrift } from '../../service/app/fleet/drift.ts';
import { handlers } from '../../service/app/handlers.ts';
import { routes } from '../../contract/routes.ts';
import { find } from '../../service/store/records.ts';
import { readOnly, transact } from '../../service/store/transact.ts';
import { actor, demoService, type TestBench } from '../service.ts';
import { expectStatements, statementsOf } from '../statements.ts';

type Asked = { params?: Record<string, string>; query?: object; body?: object };

const user: User = { id: 1, name: 'tester', title: null, role: 'admin', by: 'session', session: null, token: null };

describe('statements of what people wait for', () => {
  let bench: TestBench;
  before(async function () {
    // A demo is loaded beside other work.
    this.timeout(90_000);
    bench = await demoService(bootNet().env);
  });
  after(() => bench.stop());

  /** As a request does it, once its user is known and its body is read. */
  const work = (id: RouteId, call: Asked) => async (): Promise<unknown> => {
    const handler = handlers[id as keyof typeof handlers];
    const whole = { params: {}, query: {}, body: {}, version: undefined, user, ...call };
    return routes[id].method === 'GET'
      ? readOnly(bench.store, actor, (tx) => handler(tx, whole))
      : transact(bench.store, { ...actor, reason: 'counted' }, id, (tx) => handler(tx, whole));
  };
  const within = (most: number, id: RouteId, call: Asked) => expectStatements(bench.store, most, work(id, call));
  const count = async (id: RouteId, call: Asked) => (await statementsOf(bench.store, work(id, call))).length;

  const params = { ref: 'cob-acc-1' };

  it('makes an edition, publishes it, and lists those of a device', async () => {
    await work('device.edit', { params, body: { note: 'behind the shed' } })();
    const make = { params, body: { apply: true } };
    const made = (await within(30, 'edition.make', make)) as { number: number; fresh: boolean; stale: boolean };
    expect(made).to.include({ stale: false });
    const again = (await within(20, 'edition.make', make)) as { fresh: boolean };
    expect(again.fresh).to.equal(false);
    const number = String(made.number);
    await within(25, 'edition.publish', { params: { ...params, number }, body: { insist: true } });
    await within(12, 'edition.list', { params });
    await within(13, 'edition.show', { params: { ...params, number } });
  });

  it('changes a note', async () => {
    await within(8, 'device.edit', { params, body: { note: 'beside the shed' } });
    await within(10, 'interface.edit', { params: { ref: 'cob-acc-1:1/2' }, body: { description: 'desk' } });
  });

  it('assigns an address, with nothing asked behind the lock that can be asked before it', async () => {
    const body = { prefix: '10.77.32.0/24' };
    await within(13, 'address.assign', { body });
    const sent = await statementsOf(bench.store, work('address.assign', { body }));
    const locked = sent.findIndex((sql) => sql.endsWith('FOR UPDATE'));
    const behind = sent.slice(locked + 1).filter((sql) => sql.startsWith('SELECT'));
    expect(locked, sent.join('\n')).to.be.greaterThan(0);
    expect(behind.filter((sql) => !/free_span/.test(sql))).to.deep.equal([]);
  });

  it('lists strangers and today with as many questions for fifty as for one', async () => {
    const strangers = (from: number, to: number) =>
      transact(bench.store, actor, 'test', async (tx) => {
        const [{ id } = { id: 0 }] = await tx.select<{ id: number }>(
          "SELECT id FROM prefix WHERE natural_key = '10.77.48.0/24'",
        );
        const now = await tx.now();
        const rows = Array.from({ length: to - from }, (_, i) => ({
          client: `strange-${from + i}`,
          mac: `00:00:5e:00:53:${(from + i).toString(16).padStart(2, '0')}`,
          serial: i % 3 === 0 ? null : `XX-${from + i}`,
          vendor_class: 'larkfield LF-24',
          circuit: `cob-acc-${(i % 2) + 1}:1/${i + 1}`,
          prefix_id: id,
          first_at: now,
          last_at: now,
        }));
        await tx.insertRows('stranger', rows);
      });
    await strangers(0, 1);
    const [few, today] = [await count('stranger.list', {}), await count('today', {})];
    await strangers(1, 60);
    const { items } = (await within(few + 2, 'stranger.list', {})) as { items: { candidates: unknown[] }[] };
    expect(items).to.have.length(60);
    expect(items[0]?.candidates.length).to.be.greaterThan(0);
    // Three of them for pools: who has addresses of which, and how many there are; one for who boots in vain.
    expect(await count('today', {})).to.be.within(1, Math.min(25, today + 2));
  });

  it('lists arrivals with as many questions for many as for one', async () => {
    const one = await count('arrival.list', { query: { limit: 1 } });
    // As those of devices that nothing was heard of.
    const opened = await transact(bench.store, actor, 'test', async (tx) => {
      const devices = await find(tx, 'device', {}, { limit: 40 });
      const now = await tx.now();
      for (const device of devices) {
        const row = await addArrival(tx, { device, openedAt: now, closesAt: now, openedBy: 'tester' });
        await applyEvent(tx, row, { kind: 'limit' });
      }
      return devices.length;
    });
    expect(opened).to.be.greaterThan(8);
    expect(await count('arrival.list', { query: { limit: 100 } })).to.be.at.most(one + 2);
  });

  it('puts names of the records into the lines of an errand', async () => {
    const lines = 'journal to @set.gateway\nsocket 1/2\n  about "@device.name"';
    const body = (where: string) => ({
      body: { where, lines, questions: [], expect: [], keep: true, everything: false, insist: false },
    });
    const one = await count('run.errand', body('name=cob-acc-1'));
    const all = await count('run.errand', body('dialect=furrow'));
    expect(one).to.be.within(2, 60);
    expect(all).to.be.at.most(one + 5);
  });

  it('lists drift, and previews a push, with as many questions for many devices as for one', async () => {
    const found = await readOnly(bench.store, actor, (tx) => find(tx, 'device', {}, { limit: 12 }));
    const differ = (many: number) =>
      transact(bench.store, actor, 'test', async (tx) => {
        for (const [i, { id }] of found.slice(0, many).entries())
          await saveDrift(tx, id, {
            edition: { id: 1, number: 1 },
            comparison: {
              at: '2026-11-28T09:00:00.000Z',
              matches: false,
              differences: [
                { part: 'time', kind: 'missing', above: [], line: `x ${i}`, instead: null, below: 0, inside: [] },
              ],
              notComparable: [],
              elsewhere: [],
              right: 1,
              parts: [{ name: 'time', right: 1, differs: 1, notComparable: 0 }],
            },
            further: [],
            elsewhere: 0,
            digest: String(i % 3),
            stored: null,
            storedDigest: null,
          });
      });
    await differ(1);
    const one = await count('drift.list', { query: { of: 'edition', limit: 100 } });
    await differ(12);
    await within(one + 1, 'drift.list', { query: { of: 'edition', limit: 100 } });
    expect(one).to.be.at.most(12);
    await within(8, 'drift.show', { params: { ref: found[0]?.key ?? '' } });
    const body = { questions: [], expect: [], keep: true, everything: true, insist: false, stale: false };
    const pushed = (devices: string[]) => count('run.push', { body: { ...body, devices } });
    const few = await pushed(['ard-acc-1']);
    expect(await pushed(['ard-acc-1', 'cob-acc-1', 'har-xr-2', 'ske-acc-1'])).to.be.at.most(few + 4);
    expect(few).to.be.at.most(50);
  });

  it('shows a run without what is sealed of it, and again only what changed', async () => {
    const body = {
      where: 'dialect=furrow',
      lines: 'journal to 10.77.0.7',
      questions: [],
      expect: [],
      keep: true,
      insist: false,
    };
    // Claimed by somebody who does nothing: no worker of the service takes it meanwhile.
    const call = { params: {}, query: {}, body: { ...body, everything: false }, version: undefined, user };
    const made = await transact(bench.store, actor, 'run.errand', async (tx) => {
      const run = (await handlers['run.errand'](tx, call)) as { id: number };
      await tx.execute('UPDATE run SET claimed_until = ? WHERE id = ?', [(await tx.now()).plus(3600), run.id]);
      return run;
    });
    const of = { params: { id: String(made.id) } };
    const show = (query: object) => work('run.show', { ...of, query })() as Promise<ShownRun>;
    const sent = await statementsOf(bench.store, () => show({ text: 'true', rows: 'all' }));
    for (const sql of sent) expect(sql).to.not.match(/sealed|\* FROM run_row/);
    const before = await show({ text: 'false', rows: 'all' });
    expect(before.rows.length).to.be.greaterThan(2);
    expect((await show({ text: 'false', rows: 'none' })).rows).to.deep.equal([]);
    expect((await show({ text: 'false', rows: 'all', since: before.version })).rows).to.deep.equal([]);
    await work('run.stop', of)();
    const after = await show({ text: 'false', rows: 'all', since: before.version });
    expect(after.rows.map((row) => row.outcome)).to.deep.equal(before.rows.map(() => 'left out'));
  });
});
