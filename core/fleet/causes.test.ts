import { expect } from 'chai';
import { causeOf, rootOf, type Net } from './causes.ts';

/** core - dist - acc-1, acc-2; core - other. */
const cables: Record<string, string[]> = {
  core: ['dist', 'other'],
  dist: ['core', 'acc-1', 'acc-2'],
  'acc-1': ['dist'],
  'acc-2': ['dist'],
  other: ['core'],
};
const net = (...away: string[]): Net => ({
  away: new Set(away),
  neighbours: (device) => cables[device] ?? [],
  watched: new Set(Object.keys(cables)),
});

describe('the cause of many notices', () => {
  it('is the device through which those behind it are reached', () => {
    const all = net('dist', 'acc-1', 'acc-2');
    for (const device of ['dist', 'acc-1', 'acc-2']) expect(causeOf({ device }, all)).to.equal('dist');
    expect(causeOf({ device: 'core', interface: '1/1', leadsTo: 'dist' }, all)).to.equal('dist');
    expect(causeOf({ device: 'core', interface: '1/2', leadsTo: 'other' }, all)).to.equal('core');
  });
  it('is each for itself where they do not hang together', () => {
    expect(causeOf({ device: 'acc-1' }, net('acc-1', 'other'))).to.equal('acc-1');
    expect(causeOf({ device: 'other' }, net('acc-1', 'other'))).to.equal('other');
  });
  it('is the port itself where its far end is reached, or is nobody that is known', () => {
    expect(causeOf({ device: 'dist', interface: '1/1', leadsTo: 'acc-1' }, net())).to.equal('dist');
    expect(causeOf({ device: 'dist', interface: '1/9' }, net('acc-1'))).to.equal('dist');
  });
  it('is nobody else where everything is away', () => {
    expect(rootOf('acc-1', net(...Object.keys(cables)))).to.equal('acc-1');
  });
  it('is each border for itself where a part of the net is cut at several places', () => {
    const ring: Net = {
      ...net('a', 'b'),
      neighbours: (d) => ({ a: ['x', 'b'], b: ['a', 'y'], x: ['a'], y: ['b'] })[d] ?? [],
      watched: new Set(['a', 'b', 'x', 'y']),
    };
    expect(rootOf('a', ring)).to.equal('a');
    expect(rootOf('b', ring)).to.equal('b');
  });
});
