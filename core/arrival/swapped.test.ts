import { expect } from 'chai';
import fc from 'fast-check';
import { findingWords, heldAgainstBefore, type Swapped } from './swapped.ts';

type Seen = Record<string, { up?: boolean; neighbour?: string; macs?: string[] }>;
const answers = (seen: Seen): Swapped['was'] => ({
  interfaces: Object.entries(seen).map(([port, { up = true }]) => ({ interface: port, state: up ? 'up' : 'down' })),
  neighbours: Object.entries(seen).flatMap(([port, { neighbour }]) =>
    neighbour === undefined ? [] : [{ interface: port, neighbour, port: '' }],
  ),
  macs: Object.entries(seen).flatMap(([port, { macs = [] }]) =>
    macs.map((mac) => ({ interface: port, mac, vlan: '' })),
  ),
});
const held = (was: Seen, is: Seen): string[] =>
  heldAgainstBefore({
    was: answers(was),
    is: answers(is),
    isLive: (state) => state === 'up',
    cableIn: (port) => (port === '1/24' ? { words: 'ARD-001', farEnd: 'ard-xr-1:cu2' } : undefined),
  }).map(findingWords);

const whole: Seen = {
  '1/1': { macs: ['00:00:5e:00:53:01'] },
  '1/2': { macs: ['00:00:5e:00:53:02', '00:00:5e:00:53:03', '00:00:5e:00:53:04'] },
  '1/3': { up: false },
  '1/24': { neighbour: 'ard-xr-1', macs: ['00:00:5e:00:53:aa'] },
};

describe('what is plugged where behind a swap', () => {
  it('has nothing to say where all is as it was, or more', () => {
    expect(held(whole, whole)).to.deep.equal([]);
    expect(held(whole, { ...whole, '1/3': { macs: ['00:00:5e:00:53:99'] } })).to.deep.equal([]);
    // One of three behind a port may be switched off.
    expect(held(whole, { ...whole, '1/2': { macs: ['00:00:5e:00:53:02', '00:00:5e:00:53:03'] } })).to.deep.equal([]);
  });

  it('names the cable that is not in', () => {
    expect(held(whole, { ...whole, '1/24': { up: false } })).to.deep.equal([
      '1/24 is dark: cable ARD-001 not in? It leads to ard-xr-1:cu2',
    ]);
    expect(held(whole, { ...whole, '1/1': { up: false } })).to.deep.equal(['1/1 is dark: no cable in it?']);
    const { '1/1': _gone, ...rest } = whole;
    expect(held(whole, rest)).to.deep.equal(['1/1 is dark: no cable in it?']);
  });

  it('names two that are exchanged, and one that went elsewhere, once', () => {
    expect(held(whole, { ...whole, '1/1': whole['1/2'] ?? {}, '1/2': whole['1/1'] ?? {} })).to.deep.equal([
      '1/1 and 1/2 are exchanged',
    ]);
    expect(held(whole, { ...whole, '1/1': { up: false }, '1/3': whole['1/1'] ?? {} })).to.deep.equal([
      'what hung on 1/1 hangs on 1/3 now (00:00:5e:00:53:01)',
    ]);
  });

  it('names another neighbour, and a port on which nobody is heard any more', () => {
    expect(held(whole, { ...whole, '1/24': { neighbour: 'ard-acc-9', macs: ['00:00:5e:00:53:bb'] } })).to.deep.equal([
      '1/24 leads to ard-acc-9, and led to ard-xr-1 before',
    ]);
    expect(held(whole, { ...whole, '1/1': {} })).to.deep.equal(['1/1 has link, and nobody is heard on it yet']);
  });

  it('finds any two that are exchanged, and says of no other that anything is wrong', () => {
    const ports = Array.from({ length: 24 }, (_, i) => `1/${i + 1}`);
    const own: Seen = Object.fromEntries(ports.map((port, i) => [port, { macs: [`00:00:5e:00:54:${10 + i}`] }]));
    fc.assert(
      fc.property(fc.uniqueArray(fc.constantFrom(...ports), { minLength: 2, maxLength: 2 }), ([a = '', b = '']) => {
        const found = held(own, { ...own, [a]: own[b] ?? {}, [b]: own[a] ?? {} });
        const [first, second] = ports.indexOf(a) < ports.indexOf(b) ? [a, b] : [b, a];
        expect(found).to.deep.equal([`${first} and ${second} are exchanged`]);
      }),
    );
  });
});
