/** What a look at an import says is what the import does; and nobody waits for it. */
import { expect } from 'chai';
import fc from 'fast-check';
import type { ImportKind, ImportOutcome } from '@zpine/contract/importRoutes';
import { kindNames, type KindName } from '@zpine/contract/kinds';
import { bootNet } from '../../ops/stack.ts';
import { readText } from '../../service/app/imports/read.ts';
import type { ImportRow } from '../../service/app/imports/rows.ts';
import { importRows } from '../../service/app/imports/run.ts';
import { transact } from '../../service/store/transact.ts';
import { actor, demoService, testService, type TestBench } from '../service.ts';
import { runs } from '../../trials/runs.ts';

describe('a look at an import', function () {
  this.timeout(240_000);
  let demo: TestBench;
  let empty: TestBench;
  /** All that the demo has, as rows of one text. */
  let rows: ImportRow[];
  before(async () => {
    demo = await demoService(bootNet().env);
    empty = await testService();
    const { text } = await demo.clients.viewer.call('export.run', { query: {} });
    const remembered = () => Promise.resolve(new Map<string, string | null>());
    ({ rows } = await readText({ text, file: null, kind: undefined, as: 'yaml', columns: {}, remembered }));
  });
  after(async () => {
    await demo.stop();
    await empty.stop();
  });

  const looked = (bench: TestBench, some: ImportRow[], size?: number): Promise<ImportOutcome> =>
    transact(bench.store, actor, 'import.run', (tx) =>
      importRows(tx, some, [], { apply: false, format: 'yaml', ...(size === undefined ? {} : { size }) }),
    );
  const done = (bench: TestBench, some: ImportRow[], size?: number): Promise<ImportOutcome> =>
    transact(bench.store, actor, 'import.run', async (tx) => {
      const outcome = await importRows(tx, some, [], {
        apply: true,
        format: 'yaml',
        ...(size === undefined ? {} : { size }),
      });
      tx.discarded = true;
      return { ...outcome, applied: false };
    });
  const same = async (bench: TestBench, some: ImportRow[], size?: number): Promise<ImportOutcome> => {
    const real = await done(bench, some, size);
    const seen = await looked(bench, some, size);
    for (const outcome of [real, seen]) outcome.faults = outcome.faults.map(withoutPorts);
    // Piece by piece: the whole is too much to be shown where it differs.
    for (const part of ['faults', 'items'] as const)
      for (let i = 0; i < Math.max(real[part].length, seen[part].length); i += 1)
        expect(seen[part][i], `${part} ${i} ${JSON.stringify(seen[part][i])}`).to.deep.equal(real[part][i]);
    expect({ ...seen, faults: 0, items: 0 }).to.deep.equal({ ...real, faults: 0, items: 0 });
    return real;
  };
  // What may have been meant is looked for among what stands and the rows of the list, not among ports that come with those.
  const withoutPorts = (fault: ImportOutcome['faults'][number]): typeof fault =>
    fault.code === 'ref-unknown' && fault.value?.includes(':') === true ? { ...fault, remedy: null } : fault;
  const numbered = (kind: ImportKind, fields: Record<string, unknown>[]): ImportRow[] =>
    fields.map((one, i) => ({ kind, file: null, row: i + 1, fields: one, heads: {} }));

  it('takes a whole network in, stretch by stretch, as the import does', async () => {
    const outcome = await same(empty, rows, 60);
    expect(outcome.faults).to.deep.equal([]);
    expect(outcome.counts.add).to.be.greaterThan(150);
    expect((await same(demo, rows, 40)).counts).to.deep.equal({ add: 0, edit: 0, same: rows.length });
  });

  it('sees what stands thousands of rows above: the same key, the same MAC, the same place, what a row refers to', async () => {
    const many = 6000;
    const boxes = Array.from({ length: many }, (_, i) => ({
      serial: `far-${i}`,
      model: 'larkfield/lf-24',
      mac: `02:aa:00:00:${(i >> 8).toString(16).padStart(2, '0')}:${(i & 255).toString(16).padStart(2, '0')}`,
    }));
    boxes.push({ ...boxes[3], serial: 'far-again' } as (typeof boxes)[number], boxes[5] as (typeof boxes)[number]);
    const outcome = await looked(demo, numbered('box', boxes));
    expect(outcome.faults.map(({ row, column, code }) => [row, column, code])).to.deep.equal([
      [many + 1, 'mac', 'taken'],
      [many + 2, 'serial', 'import-twice'],
    ]);
    expect(outcome.faults[0]?.detail).to.contain('box far-3');
    expect(outcome.counts).to.deep.equal({ add: many, edit: 0, same: 0 });
    const devices = numbered('device', [
      { name: 'far-dev-1', site: 'ard' },
      ...Array.from({ length: 1200 }, (_, i) => ({ name: `between-${i}`, site: 'cob' })),
      { name: 'far-dev-2', rack: 'ard/closet/r1', positionU: 12 },
    ]);
    const interfaces = numbered('interface', [
      { device: 'far-dev-1', name: 'agg1', form: 'aggregate' },
      ...Array.from({ length: 1200 }, (_, i) => ({ device: `between-${i}`, name: '1' })),
      { device: 'far-dev-1', name: '9', memberOf: 'far-dev-1:agg1' },
      { device: 'far-dev-1', name: '10', memberOf: 'far-dev-1:agg2' },
    ]);
    const linked = await same(demo, [...devices, ...interfaces]);
    expect(linked.faults.map(({ row, column, code }) => [row, column, code])).to.deep.include([
      1203,
      'memberOf',
      'ref-unknown',
    ]);
  });

  it('says the same of a stretch that had to be begun anew', async () => {
    const some = numbered('site', [
      { code: 'ard', title: 'x'.repeat(999) },
      { code: 'cob', area: 'nowhere' },
      { code: 'new', title: 'New' },
    ]);
    const once = await looked(demo, some);
    expect(once.faults).to.have.length(2);
    let tried = 0;
    demo.store.heard = (sql) => {
      // What the driver says when the database has ended it by a deadlock.
      if (/^INSERT INTO `site`/.test(sql) && (tried += 1) === 1)
        throw Object.assign(new Error('Deadlock found'), { errno: 1213 });
    };
    const again = await transact(demo.store, actor, 'import.run', (tx) =>
      importRows(tx, some, [], { apply: false, format: 'yaml' }),
    );
    delete demo.store.heard;
    expect(tried).to.be.at.least(2);
    expect(again).to.deep.equal(once);
  });

  /** What people get wrong in their lists, at any row. */
  const wrong = fc.oneof(
    fc.constant((row: ImportRow) => ({ ...row, fields: { ...row.fields, labels: ['nowhere'] } })),
    fc
      .constantFrom('site', 'device', 'model', 'rack', 'vlan', 'interface', 'from', 'to', 'on')
      .map(
        (field) => (row: ImportRow) =>
          row.fields[field] === undefined
            ? row
            : { ...row, fields: { ...row.fields, [field]: `${String(row.fields[field])}x` } },
      ),
    fc
      .constantFrom('mac', 'serial', 'positionU', 'address', 'number', 'device')
      .map(
        (field) => (row: ImportRow, other: ImportRow) =>
          other.kind === row.kind && other.fields[field] !== undefined
            ? { ...row, fields: { ...row.fields, [field]: other.fields[field] } }
            : row,
      ),
    fc.constant((row: ImportRow) => ({ ...row, fields: { ...row.fields, note: 'of the list' } })),
  );

  it('says what the import says, whatever the list and wherever its stretches end', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.constantFrom('demo' as const, 'empty' as const),
        fc.integer({ min: 1, max: 40 }),
        fc.array(fc.tuple(fc.nat(), fc.nat(), wrong), { maxLength: 12 }),
        fc.array(fc.nat(), { maxLength: 4 }),
        fc.double({ min: 0.2, max: 1, noNaN: true }),
        fc.nat(),
        async (which, size, mistakes, twice, share, seed) => {
          let state = seed + 1;
          const chance = () => (state = (state * 48_271) % 2_147_483_647) / 2_147_483_647;
          // Without sites and models nothing would be sound.
          let list = rows.filter(
            ({ kind }) => kindNames.indexOf(kind as KindName) < kindNames.indexOf('device') || chance() < share,
          );
          for (const [at, other, mistake] of mistakes) {
            const i = at % list.length;
            // Those of a kind stand together: what is mixed up is mixed up with a neighbour or so.
            const near = list[(i + (other % 9) - 4 + list.length) % list.length] as ImportRow;
            list[i] = mistake(list[i] as ImportRow, near);
          }
          for (const at of twice) list.push(list[at % list.length] as ImportRow);
          list = list.map((row, i) => ({ ...row, row: i + 1 }));
          const bench = which === 'demo' ? demo : empty;
          await same(bench, list, size);
        },
      ),
      { numRuns: runs(2, 5), includeErrorInReport: true, endOnFailure: true },
    );
  });
});
