import { expect } from 'chai';
import { describe, it } from 'mocha';
import {
  effective,
  readValue,
  valueFromText,
  type Layer,
  type LayerValue,
  type Mode,
  type SettingValue,
} from './layers.ts';

const everywhere: Layer = { kind: 'everywhere', key: '' };
const site: Layer = { kind: 'site', key: 'ard' };
const device: Layer = { kind: 'device', key: 'ard-acc-1' };
const at = (layer: Layer, value: SettingValue, mode: Mode = 'set'): LayerValue => ({ layer, mode, value });

describe('settings in layers', () => {
  it('take the strongest, and the default where nobody says anything', () => {
    expect(effective(5, []).value).to.equal(5);
    const seen = effective(5, [at(everywhere, 6), at(site, 7)]);
    expect(seen.value).to.equal(7);
    expect(seen.origin).to.equal(site);
    expect(seen.steps.map((s) => s.stands)).to.deep.equal([false, true]);
  });
  it('replace lists, add to them and take away from them', () => {
    const seen = effective(
      [],
      [at(everywhere, ['a', 'b']), at(site, ['c', 'a'], 'add'), at(device, ['b'], 'take-away')],
    );
    expect(seen.value).to.deep.equal(['a', 'c']);
    expect(seen.origins).to.deep.equal({ 0: everywhere, 1: site });
    expect(effective([], [at(everywhere, ['a']), at(site, ['b'])]).value).to.deep.equal(['b']);
  });
  it('merge maps by key', () => {
    const seen = effective({}, [at(everywhere, { a: 1, b: 2 }), at(site, { b: 3 }), at(device, ['a'], 'take-away')]);
    expect(seen.value).to.deep.equal({ b: 3 });
    expect(seen.origins).to.deep.equal({ b: site });
  });
  it('read values strictly, by type', () => {
    const code = (type: Parameters<typeof readValue>[0], value: unknown, mode: Mode = 'set') => {
      const read = readValue(type, mode, value);
      return read.ok ? read.value : read.fault.code;
    };
    expect(code('number', '5')).to.equal('setting-number');
    expect(code('address', '010.1.1.1')).to.equal('address-leading-zero');
    expect(code('list-of-addresses', ['10.77.0.5', 'x'])).to.equal('address-syntax');
    expect(code('list-of-addresses', '2001:DB8::5')).to.deep.equal(['2001:db8::5']);
    expect(code('text', 'a\u0007b')).to.equal('setting-text');
    expect(code('text', 'a', 'add')).to.equal('setting-mode');
    expect(code('map', { 'a b': 'x' })).to.equal('setting-map');
    expect(code('map', { a: '' })).to.equal('setting-map');
    expect(code('map', 'a', 'take-away')).to.deep.equal(['a']);
    expect(code('prefix', '10.77.16.7/24')).to.equal('prefix-host-bits');
    expect(code('text', 'x'.repeat(20_000))).to.equal('setting-large');
  });
  it('are typed on a command line', () => {
    expect(valueFromText('list-of-addresses', 'set', '10.77.0.5, 10.77.0.6')).to.deep.equal(['10.77.0.5', '10.77.0.6']);
    expect(valueFromText('map', 'set', 'zpine=secret, other=a=b')).to.deep.equal({ zpine: 'secret', other: 'a=b' });
    expect(valueFromText('number', 'set', '3600')).to.equal(3600);
    expect(valueFromText('bool', 'set', 'yes')).to.equal(true);
  });
});
