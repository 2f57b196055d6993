import { expect } from 'chai';
import fc from 'fast-check';
import { agreeing, carriedBy, disagreement, type End } from './ends.ts';

const numbers = [304, 316, 328];
const subset = fc.subarray(numbers);
const port = (key: string): fc.Arbitrary<End> =>
  fc.record({ vlan: fc.constantFrom(null, ...numbers), tagged: subset }).map(({ vlan, tagged }) => ({
    key,
    router: false,
    mode: tagged.length > 0 ? 'trunk' : vlan === null ? null : 'access',
    vlan,
    tagged,
    subs: [],
    site: 'ard',
    known: new Set([304, 316]),
  }));
const routed = (key: string): fc.Arbitrary<End> =>
  fc.record({ plain: fc.constantFrom(undefined, null, ...numbers), tags: subset }).map(({ plain, tags }) => ({
    key,
    mode: 'routed',
    router: true,
    vlan: null,
    tagged: [],
    subs: [
      ...(plain === undefined ? [] : [{ key: `${key}.0`, tag: null, vlan: plain }]),
      ...tags.map((tag) => ({ key: `${key}.${tag}`, tag, vlan: tag })),
    ],
    site: 'ard',
    known: new Set([304, 316]),
  }));
const end = (key: string): fc.Arbitrary<End> => fc.oneof(port(key), routed(key));

/** What the commands do, as far as these commands go. */
function done(end: End, commands: string[]): End {
  const after: End = { ...end, tagged: [...end.tagged], subs: end.subs.map((sub) => ({ ...sub })) };
  for (const command of commands) {
    const [, noun, verb, key = '', ...rest] = command.split(' ');
    if (noun === 'vlan') continue;
    const option = (name: string) => (rest.includes(name) ? rest[rest.indexOf(name) + 1] : undefined);
    const sub = after.subs.find((one) => one.key === key);
    if (verb === 'add' && option('--on') === after.key)
      after.subs.push({ key, tag: option('--tag') ? Number(option('--tag')) : null, vlan: Number(option('--vlan')) });
    else if (sub) {
      if (option('--tag')) sub.tag = Number(option('--tag'));
      if (option('--vlan')) sub.vlan = Number(option('--vlan'));
      if (option('--clear') === 'vlan') sub.vlan = null;
    } else if (key === after.key) {
      after.mode = option('--mode') ?? after.mode;
      if (option('--tagged')) after.tagged = (option('--tagged') ?? '').split(',').map(Number);
      if (option('--vlan')) after.vlan = Number(option('--vlan'));
      for (const field of (option('--clear') ?? '').split(','))
        if (field === 'vlan') after.vlan = null;
        else if (field === 'tagged') after.tagged = [];
    }
  }
  return after;
}

describe('two ends of a cable', () => {
  it('agree after the remedy, without losing a VLAN and without becoming another sort of port', () => {
    fc.assert(
      fc.property(end('ard-xr-1:cu2'), end('ard-acc-1:1/24'), (a, b) => {
        const commands = disagreement(a, b) === undefined ? [] : agreeing(a, b);
        const [x, y] = [done(a, commands), done(b, commands)];
        expect(disagreement(x, y), commands.join('\n')).to.equal(undefined);
        for (const [before, after] of [
          [a, x],
          [b, y],
        ] as const) {
          expect(after.subs.length > 0 || after.mode === 'routed').to.equal(
            before.subs.length > 0 || before.mode === 'routed',
          );
          for (const n of carriedBy(before).tagged) expect(carriedBy(after).tagged.has(n)).to.equal(true);
        }
      }),
    );
  });
  it('never make a trunk of a routed port with sub-interfaces', () => {
    const a: End = {
      key: 'sw:1/24',
      router: false,
      mode: 'trunk',
      vlan: null,
      tagged: [304, 316],
      subs: [],
      site: 'ard',
      known: new Set(numbers),
    };
    const b: End = {
      ...a,
      key: 'rt:cu2',
      mode: 'routed',
      tagged: [],
      subs: [{ key: 'rt:cu2.316', tag: 316, vlan: 316 }],
    };
    expect(disagreement(a, b)).to.equal('VLAN 304 on sw:1/24 only');
    expect(agreeing(a, b)).to.deep.equal([
      'zpine interface add rt:cu2.304 --form sub-interface --on rt:cu2 --tag 304 --vlan 304',
    ]);
  });
  it('tell what is tagged on one end and untagged on the other', () => {
    const a: End = {
      key: 'sw:1/24',
      router: false,
      mode: 'trunk',
      vlan: null,
      tagged: [304],
      subs: [],
      site: 'ard',
      known: new Set(numbers),
    };
    const b: End = {
      ...a,
      key: 'rt:cu2',
      mode: 'routed',
      tagged: [],
      subs: [{ key: 'rt:cu2.0', tag: null, vlan: 304 }],
    };
    expect(disagreement(a, b)).to.equal('VLAN 304 tagged on sw:1/24, untagged on rt:cu2');
    expect(agreeing(a, b)).to.deep.equal(['zpine interface edit rt:cu2.0 --tag 304']);
  });
});
