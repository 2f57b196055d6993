import { expect } from 'chai';
import { describe, it } from 'mocha';
import { mustParse } from '../fault.ts';
import { dial, dialled, parseDialRow } from './dial.ts';

const rows = ['default 10.77.0.0/16 127.77.0.0/16 10000', 'default 10.77.9.0/24 198.51.100.0/24'].map((text) =>
  mustParse(parseDialRow(text)),
);

describe('dial map', () => {
  it('moves addresses and ports where a row fits, the most specific first', () => {
    expect(dial(rows, 'default', { address: '10.77.16.11', port: 22 })).to.deep.equal({
      address: '127.77.16.11',
      port: 10022,
    });
    expect(dial(rows, 'default', { address: '10.77.9.7', port: 22 })).to.deep.equal({
      address: '198.51.100.7',
      port: 22,
    });
    expect(dial(rows, 'default', { address: '192.0.2.1', port: 22 })).to.deep.equal({ address: '192.0.2.1', port: 22 });
    expect(dial(rows, 'wireless', { address: '10.77.16.11', port: 22 })).to.deep.equal({
      address: '10.77.16.11',
      port: 22,
    });
  });
  it('leads back', () => {
    expect(dialled(rows, 'default', '127.77.16.11')).to.equal('10.77.16.11');
    expect(dialled(rows, 'default', '198.51.100.7')).to.equal('10.77.9.7');
    expect(dialled(rows, 'default', '192.0.2.1')).to.equal('192.0.2.1');
  });
  it('is read strictly', () => {
    const code = (text: string) => {
      const read = parseDialRow(text);
      return read.ok ? 'ok' : read.fault.code;
    };
    expect(code('default 10.77.0.0/16')).to.equal('dial-syntax');
    expect(code('default 10.77.0.1/16 127.77.0.0/16')).to.equal('dial-prefix');
    expect(code('default 10.77.0.0/16 127.77.0.0/24')).to.equal('dial-size');
    expect(code('default 10.77.0.0/16 127.77.0.0/16 x')).to.equal('dial-syntax');
  });
});
