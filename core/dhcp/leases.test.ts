/** Addresses of pools, held beside a model that looks through all of them each time. */
import { expect } from 'chai';
import fc from 'fast-check';
import { LeaseTable, type Held } from './leases.ts';
import { linkOf, type Link } from './link.ts';

const FIRST = 0x0a4d10c8;
const SIZE = 40;
const link = linkOf(
  {
    id: 1,
    key: '10.77.16.0/24',
    cidr: '10.77.16.0/24',
    vrf: 1,
    site: null,
    vlan: null,
    gateway: null,
    relays: null,
    // .200 to .219 and .230 to .249
    pool: '10.77.16.200-10.77.16.219, 10.77.16.230-10.77.16.249',
    quarantine: null,
    leaseSeconds: null,
    answers: 'all',
    nameServers: null,
    timeServers: null,
    domain: null,
  },
  'default',
) as Link;
const addresses = Array.from({ length: SIZE }, (_, i) => FIRST + i + (i < 20 ? 0 : 10));

const row = (address: number, word: string, expires: number, acknowledged: boolean): Held => ({
  vrf: 1,
  address,
  prefix: 1,
  source: 'pool',
  word,
  mac: '',
  device: null,
  expires,
  acknowledged,
  heard: 0,
  kept: 0,
});

type Step =
  | { kind: 'ask'; word: string; seconds: number; acknowledged: boolean; wanted: number }
  | { kind: 'drop'; at: number }
  | { kind: 'wait'; ms: number };

const steps = fc.array(
  fc.oneof(
    {
      weight: 6,
      arbitrary: fc.record({
        kind: fc.constant('ask' as const),
        word: fc.nat(90).map((n) => `c${n}`),
        seconds: fc.integer({ min: 1, max: 50 }),
        acknowledged: fc.boolean(),
        wanted: fc.nat(SIZE + 5),
      }),
    },
    { weight: 1, arbitrary: fc.record({ kind: fc.constant('drop' as const), at: fc.nat(SIZE - 1) }) },
    { weight: 1, arbitrary: fc.record({ kind: fc.constant('wait' as const), ms: fc.nat(30_000) }) },
  ),
  { maxLength: 200 },
);

describe('leases in memory', () => {
  it('give nobody an address that another has, as long as there is one, and say so when there is none', () => {
    fc.assert(
      fc.property(steps, (all: Step[]) => {
        const table = new LeaseTable();
        const model = new Map<number, Held>();
        let now = 0;
        for (const step of all) {
          if (step.kind === 'wait') now += step.ms;
          else if (step.kind === 'drop') {
            const address = addresses[step.at] ?? 0;
            table.drop(1, address);
            model.delete(address);
          } else {
            const { word, acknowledged } = step;
            const own = table.own(link, 'pool', { word, device: null });
            const theirs = [...model.values()].filter((held) => held.word === word);
            expect(own === undefined).to.equal(theirs.length === 0);
            const asking = { word, device: null, wanted: addresses[step.wanted] };
            const given = own?.address ?? table.choose(link, 'pool', asking, now);
            const never = addresses.filter((address) => !model.has(address));
            const over = [...model.values()].filter(({ expires }) => expires <= now);
            if (given === undefined) {
              expect([never.length, over.length]).to.deep.equal([0, 0]);
              continue;
            }
            const before = model.get(given);
            if (before && before.word !== word) {
              // What somebody had is given away only where nothing else is left, the longest unused first.
              expect(never).to.have.length(0);
              expect(before.expires).to.equal(Math.min(...over.map(({ expires }) => expires)));
            }
            const held = row(given, word, now + step.seconds * 1000, acknowledged);
            table.put(held);
            model.set(given, held);
          }
          expect([...table.all()].map(({ address }) => address)).to.have.members([...model.keys()]);
        }
      }),
      { numRuns: 200 },
    );
  });

  it('lead a client to the same address in every process, as long as it is free', () => {
    const [one, other] = [new LeaseTable(), new LeaseTable()];
    other.put(row(addresses[3] ?? 0, 'somebody', 1000, true));
    const asking = { word: '02:00:5e:77:00:42', device: null, wanted: undefined };
    expect(one.choose(link, 'pool', asking, 0)).to.equal(other.choose(link, 'pool', asking, 0));
  });

  it('are as quick in a large pool that is nearly full, and do not grow with what is renewed', () => {
    const large = { ...link, pool: [{ first: 0x0a500000, last: 0x0a50ffff }] };
    const table = new LeaseTable();
    for (let i = 0; i < 65_536; i += 1) table.put(row(0x0a500000 + i, `w${i}`, 1000 + i, true));
    for (let round = 0; round < 3; round += 1)
      for (let i = 0; i < 65_536; i += 1) table.put(row(0x0a500000 + i, `w${i}`, 100_000 * (round + 1) + i, true));
    const began = performance.now();
    for (let i = 0; i < 2000; i += 1) {
      const asking = { word: `new${i}`, device: null, wanted: undefined };
      expect(table.choose(large, 'pool', asking, 200_000)).to.equal(undefined);
    }
    const some = table.choose(large, 'pool', { word: 'late', device: null, wanted: undefined }, 300_005);
    expect(some).to.equal(0x0a500000);
    expect(performance.now() - began).to.be.lessThan(2000);
  });
});
