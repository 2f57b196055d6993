import { expect } from 'chai';
import { mustParse } from '../fault.ts';
import { formatHandOut, numberOf, parseHandOut, startFor } from './handOut.ts';
import { formatIp, type Family } from './ip.ts';
import { addressAt, formatOffset, parseOffset, rangesAt } from './offsets.ts';
import { parsePrefix } from './prefix.ts';
import { formatRanges } from './ranges.ts';

const v4 = mustParse(parsePrefix('10.77.16.0/22'));
const v6 = mustParse(parsePrefix('2001:db8:77:10::/64'));
const at = (family: Family, value: bigint) => formatIp({ family, value });

describe('places inside a prefix', () => {
  it('are read in three spellings and written in one a family', () => {
    const read = ['.11', '+300', '::b', '::1:0'].map((text) => mustParse(parseOffset(text)));
    expect(read).to.deep.equal([11n, 300n, 11n, 65536n]);
    expect([formatOffset(11n, 4), formatOffset(300n, 4), formatOffset(11n, 6)]).to.deep.equal(['.11', '+300', '::b']);
  });

  it('refuse what is none, and what lies outside', () => {
    for (const text of ['11', '.256', '.011', '+', '::x', '10.0.0.1', ''])
      expect(parseOffset(text)).to.deep.equal({ ok: false, fault: { code: 'offset-syntax', params: { value: text } } });
    expect(addressAt(v4, 1024n)).to.nested.include({ ok: false, 'fault.code': 'offset-outside' });
    expect(rangesAt(v4, '.20-.10')).to.nested.include({ ok: false, 'fault.code': 'offset-syntax' });
    expect(rangesAt(v4, '.1-.2-.3')).to.nested.include({ ok: false, 'fault.code': 'offset-syntax' });
  });

  it('make ranges', () => {
    expect(formatRanges(mustParse(rangesAt(v6, '::a-::ff')))).to.equal('2001:db8:77:10::a-2001:db8:77:10::ff');
    const ranges = mustParse(rangesAt(v4, '.200-.239, +300'));
    expect(formatRanges(ranges)).to.equal('10.77.16.200-10.77.16.239, 10.77.17.44');
  });
});

describe('who gets which address', () => {
  const rules = mustParse(parseHandOut('access from .11; core number .100;any from +512'));

  it('is read and written the same', () => {
    expect(formatHandOut(rules, 4)).to.equal('access from .11; core number .100; any from +512');
    expect(mustParse(parseHandOut(''))).to.deep.equal([]);
  });

  it('goes by duty, then by what holds for any', () => {
    const start = (name: string, duty: string | null) => {
      const found = startFor(v4, rules, { name, duty });
      if (!found) throw new Error('no rule');
      const { way, value } = mustParse(found);
      return `${way} ${at(4, value)}`;
    };
    expect(start('ard-acc-7', 'access')).to.equal('from 10.77.16.11');
    expect(start('ard-core-7', 'core')).to.equal('exactly 10.77.16.107');
    expect(start('log', null)).to.equal('from 10.77.18.0');
    expect(startFor(v4, rules.slice(0, 2), { name: 'log', duty: 'log-host' })).to.equal(undefined);
  });

  it('needs a number where the number decides, and one that fits', () => {
    expect(numberOf('ard-acc-07b')).to.equal(7);
    const missing = startFor(v4, rules, { name: 'hub', duty: 'core' });
    expect(missing).to.nested.include({ ok: false, 'fault.code': 'number-missing' });
    const far = startFor(v4, rules, { name: 'core-5000', duty: 'core' });
    expect(far).to.nested.include({ ok: false, 'fault.code': 'offset-outside' });
  });

  it('names the rule that cannot be read', () => {
    for (const text of ['access .11', 'access upto .11', 'access from .11 .12'])
      expect(parseHandOut(text)).to.deep.equal({
        ok: false,
        fault: { code: 'handout-syntax', params: { value: text } },
      });
    expect(parseHandOut('core from .1; core from .2')).to.nested.include({ ok: false, 'fault.code': 'handout-twice' });
  });
});
