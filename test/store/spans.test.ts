/** The kept free space against a naive model: after any sequence of changes both must say the same. */
import { expect } from 'chai';
import fc from 'fast-check';
import { carveWays, type CarveWay } from '@zpine/core/addressing/carve';
import { bitsOf, formatIp, parseIp, type Family } from '@zpine/core/addressing/ip';
import {
  contains,
  covers,
  formatPrefix,
  lastOf,
  networkOf,
  parsePrefix,
  usableRange,
  type Prefix,
} from '@zpine/core/addressing/prefix';
import { countOf, freeWithin, type Span } from '@zpine/core/addressing/spans';
import { mustParse } from '@zpine/core/fault';
import { Refusal } from '@zpine/contract/errors';
import { actor, testStore } from '../service.ts';
import { expectSound } from '../sound.ts';
import { add, addOne } from '../../service/app/records/add.ts';
import { assign } from '../../service/app/addressing/assign.ts';
import { carve } from '../../service/app/addressing/carve.ts';
import { merge, resize, split } from '../../service/app/addressing/reshape.ts';
import { wake } from '../../service/app/addressing/resting.ts';
import { editOne } from '../../service/app/records/edit.ts';
import { removeOne } from '../../service/app/records/remove.ts';
import { find } from '../../service/store/records.ts';
import { freeCount, freeSpans, valueOf } from '../../service/store/spans.ts';
import type { Store } from '../../service/store/store.ts';
import { readOnly, transact } from '../../service/store/transact.ts';
import { runs } from '../../trials/runs.ts';

/** Everything plays in the first 256 addresses of a block; that of the last is far larger than a double is exact. */
const worlds: Prefix[] = ['10.77.0.0/24', '2001:db8:77::/120', '2001:db8:77::/64'].map((cidr) =>
  mustParse(parsePrefix(cidr)),
);

type Step =
  | { do: 'add prefix'; at: number; size: number }
  | { do: 'remove prefix'; pick: number }
  | { do: 'add address'; at: number }
  | { do: 'next address'; pick: number; from: number }
  | { do: 'release'; pick: number }
  | { do: 'hold back'; pick: number; at: number; length: number }
  | { do: 'pool'; pick: number; at: number; length: number }
  | { do: 'carve'; pick: number; size: number; count: number; way: CarveWay }
  | { do: 'split'; pick: number; by: number }
  | { do: 'resize'; pick: number; by: number }
  | { do: 'merge'; pick: number }
  | { do: 'rest'; pick: number }
  | { do: 'add many'; blocks: [at: number, size: number][]; pool: number | null }
  | { do: 'wake' };

const byte = fc.nat({ max: 255 });
const anyStep: fc.Arbitrary<Step> = fc.oneof(
  { weight: 4, arbitrary: fc.record({ do: fc.constant('add prefix' as const), at: byte, size: fc.nat({ max: 7 }) }) },
  { weight: 1, arbitrary: fc.record({ do: fc.constant('remove prefix' as const), pick: byte }) },
  { weight: 4, arbitrary: fc.record({ do: fc.constant('add address' as const), at: byte }) },
  { weight: 4, arbitrary: fc.record({ do: fc.constant('next address' as const), pick: byte, from: byte }) },
  { weight: 2, arbitrary: fc.record({ do: fc.constant('release' as const), pick: byte }) },
  {
    weight: 1,
    arbitrary: fc.record({ do: fc.constant('hold back' as const), pick: byte, at: byte, length: fc.nat({ max: 20 }) }),
  },
  {
    weight: 1,
    arbitrary: fc.record({ do: fc.constant('pool' as const), pick: byte, at: byte, length: fc.nat({ max: 20 }) }),
  },
);

const reshapes: fc.Arbitrary<Step> = fc.oneof(
  fc.record({
    do: fc.constant('carve' as const),
    pick: byte,
    size: fc.nat({ max: 7 }),
    count: fc.integer({ min: 1, max: 3 }),
    way: fc.constantFrom(...carveWays),
  }),
  fc.record({ do: fc.constant('split' as const), pick: byte, by: fc.integer({ min: 1, max: 3 }) }),
  fc.record({ do: fc.constant('resize' as const), pick: byte, by: fc.integer({ min: -2, max: 3 }) }),
  fc.record({ do: fc.constant('merge' as const), pick: byte }),
  fc.record({ do: fc.constant('rest' as const), pick: byte }),
  fc.record({
    do: fc.constant('add many' as const),
    blocks: fc.array(fc.tuple(byte, fc.nat({ max: 6 })), { minLength: 10, maxLength: 20 }),
    pool: fc.option(byte),
  }),
  fc.constant({ do: 'wake' as const }),
);
const step: fc.Arbitrary<Step> = fc.oneof({ weight: 3, arbitrary: anyStep }, { weight: 1, arbitrary: reshapes });

interface World {
  prefixes: {
    id: number;
    cidr: Prefix;
    parent: number | null;
    gateway: string | null;
    heldBack: string | null;
    pool: string | null;
    key: string;
  }[];
  addresses: { value: bigint; prefix: number }[];
  resting: { value: bigint; prefix: number }[];
}

async function look(store: Store, family: Family): Promise<World> {
  return readOnly(store, actor, async (tx) => ({
    prefixes: (await find(tx, 'prefix', { cidr_family: family })).map((p) => ({
      ...p,
      cidr: mustParse(parsePrefix(p.cidr)),
    })),
    addresses: (await find(tx, 'address', { address_family: family })).map((a) => ({
      value: mustParse(parseIp(a.address)).value,
      prefix: a.prefix,
    })),
    resting: (await tx.select<{ address: Buffer; prefix_id: number }>('SELECT address, prefix_id FROM resting')).map(
      (row) => ({ value: valueOf(row.address, family), prefix: Number(row.prefix_id) }),
    ),
  }));
}

const reshapeBy = { split, resize };

const spanText = (spans: Span[]) => spans.map((s) => `${s.first}-${s.last}`).join(' ');

/** What the rules of addressing say, worked out from nothing but the records. */
async function judge(store: Store, family: Family): Promise<void> {
  const world = await look(store, family);
  const smallest = (inside: (p: Prefix) => boolean) =>
    world.prefixes.filter((p) => inside(p.cidr)).sort((a, b) => b.cidr.length - a.cidr.length)[0]?.id ?? null;
  for (const p of world.prefixes) {
    expect(p.parent, `parent of ${p.key}`).to.equal(smallest((o) => o.length < p.cidr.length && covers(o, p.cidr)));
  }
  for (const a of [...world.addresses, ...world.resting])
    expect(a.prefix).to.equal(smallest((o) => contains(o, { family, value: a.value })));
  expect(new Set(world.addresses.map((a) => a.value)).size).to.equal(world.addresses.length);

  for (const p of world.prefixes) {
    const whole = { first: p.cidr.first, last: lastOf(p.cidr) };
    const children = world.prefixes
      .filter((c) => c.parent === p.id)
      .map((c) => ({ first: c.cidr.first, last: lastOf(c.cidr) }));
    const own = world.addresses.filter((a) => a.prefix === p.id).map((a) => ({ first: a.value, last: a.value }));
    const rangeOf = (text: string | null) =>
      (text ?? '')
        .split(', ')
        .filter(Boolean)
        .map((part) => {
          const [first = '', last = first] = part.split('-');
          return { first: mustParse(parseIp(first)).value, last: mustParse(parseIp(last)).value };
        });
    const kept = [...rangeOf(p.heldBack), ...rangeOf(p.pool), ...rangeOf(p.gateway)];
    const rests = world.resting.filter((a) => a.prefix === p.id).map((a) => ({ first: a.value, last: a.value }));
    const fixed = freeWithin(usableRange(p.cidr), [...children, ...own, ...kept, ...rests]);
    const blocks = freeWithin(whole, [...children, ...own]);
    const count = await readOnly(store, actor, (tx) => freeCount(tx, p.id));
    expect(count, `count of free addresses of ${p.key}`).to.equal(countOf(fixed));
    const stored = await readOnly(store, actor, async (tx) => ({
      fixed: await freeSpans(tx, p.id, family, 'fixed'),
      blocks: await freeSpans(tx, p.id, family, 'blocks'),
    }));
    expect(spanText(stored.fixed), `free addresses of ${p.key}`).to.equal(spanText(fixed));
    expect(spanText(stored.blocks), `free blocks of ${p.key}`).to.equal(spanText(blocks));
  }
}

async function take(store: Store, whole: Prefix, step: Step): Promise<void> {
  const { family, first: base } = whole;
  const world = await look(store, family);
  const chosen = (pick: number) => world.prefixes[pick % world.prefixes.length];
  const ip = (at: number) => formatIp({ family, value: base + BigInt(at) });
  await transact(store, actor, 'test', async (tx) => {
    if (step.do === 'add prefix') {
      const cidr = formatPrefix(
        networkOf({ family, value: base + BigInt(step.at) }, (family === 4 ? 32 : 128) - step.size),
      );
      await addOne(tx, 'prefix', { cidr });
    } else if (step.do === 'remove prefix') {
      const prefix = chosen(step.pick);
      if (prefix && prefix.parent !== null) await removeOne(tx, 'prefix', `#${prefix.id}`);
    } else if (step.do === 'add address') await addOne(tx, 'address', { address: ip(step.at) });
    else if (step.do === 'next address') {
      const prefix = chosen(step.pick);
      const from = ip(step.from);
      if (prefix && contains(prefix.cidr, mustParse(parseIp(from))))
        await assign(tx, { prefix: `#${prefix.id}`, from });
    } else if (step.do === 'release') {
      const address = world.addresses[step.pick % Math.max(1, world.addresses.length)];
      if (address) await removeOne(tx, 'address', formatIp({ family, value: address.value }));
    } else if (step.do === 'carve') {
      const prefix = chosen(step.pick);
      const { count, way } = step;
      const length = bitsOf(family) - step.size;
      if (prefix) await carve(tx, `#${prefix.id}`, { length, count, way, gateway: 'none', apply: true });
    } else if (step.do === 'split' || step.do === 'resize') {
      const prefix = chosen(step.pick);
      const length = (prefix?.cidr.length ?? 0) + step.by;
      // The world itself keeps its size, so that what begins from somewhere stays inside.
      if (prefix && prefix.parent !== null) await reshapeBy[step.do](tx, `#${prefix.id}`, { length, apply: true });
    } else if (step.do === 'merge') {
      const prefix = chosen(step.pick);
      const beside = world.prefixes.filter((one) => one.parent === prefix?.parent && one.parent !== null);
      const pair = beside.filter((one) => one.cidr.length === prefix?.cidr.length).slice(0, 2);
      if (pair.length === 2) await merge(tx, { prefixes: pair.map((one) => `#${one.id}`), apply: true });
    } else if (step.do === 'rest') {
      const prefix = chosen(step.pick);
      if (prefix) await editOne(tx, 'prefix', `#${prefix.id}`, { restSeconds: 3600 });
    } else if (step.do === 'add many') {
      const there = new Set(world.prefixes.map((one) => formatPrefix(one.cidr)));
      const cidrs = step.blocks.map(([at, size]) =>
        formatPrefix(networkOf({ family, value: base + BigInt(at) }, bitsOf(family) - size)),
      );
      const fresh = [...new Set(cidrs)].filter((cidr) => !there.has(cidr));
      const pool = step.pool === null ? {} : { pool: ip(step.pool) };
      // The pool falls into the first, or the first has a fault.
      const records = fresh.map((cidr, i) => ({ cidr, ...(i === 0 ? pool : {}) }));
      await add(tx, 'prefix', records, (i) => [i]);
    } else if (step.do === 'wake') {
      await tx.execute('UPDATE resting SET until_at = UTC_TIMESTAMP(3)');
      await wake(tx);
    } else {
      const prefix = chosen(step.pick);
      const range = `${ip(step.at)}-${ip(Math.min(255, step.at + step.length))}`;
      if (prefix) await editOne(tx, 'prefix', `#${prefix.id}`, { [step.do === 'pool' ? 'pool' : 'heldBack']: range });
    }
  });
}

for (const whole of worlds) {
  const { family } = whole;
  describe(`free space inside ${formatPrefix(whole)}`, () => {
    let store: Store;
    before(async () => {
      store = await testStore();
    });
    after(async () => {
      await expectSound(store);
      await store.sequelize.close();
    });

    it('is what a naive model says, after any sequence of changes', async function () {
      this.timeout(120_000);
      const property = fc.asyncProperty(fc.array(step, { minLength: 5, maxLength: 30 }), async (steps) => {
        await transact(store, actor, 'test', async (tx) => {
          for (const table of ['address', 'resting', 'free_span', 'space']) await tx.execute(`DELETE FROM ${table}`);
          await tx.execute('UPDATE prefix SET parent_id = NULL');
          await tx.execute('DELETE FROM prefix');
          await addOne(tx, 'prefix', { cidr: formatPrefix(whole) });
        });
        let done = 0;
        for (const step of steps) {
          try {
            await take(store, whole, step);
            done += 1;
          } catch (error) {
            // A refusal is a right answer; what matters is that it left everything as it was.
            if (!(error instanceof Refusal)) throw error;
            expect(error.code).to.not.equal('internal');
          }
        }
        fc.pre(done > 0);
        await judge(store, family);
      });
      await fc.assert(property, { numRuns: runs(24, 60), endOnFailure: true });
    });
  });
}
