import { createHash } from 'node:crypto';
import { expect } from 'chai';
import { describe, it } from 'mocha';
import { fitsSha512crypt, sha512crypt } from './sha512crypt.ts';

const sha512 = (bytes: Uint8Array) => createHash('sha512').update(bytes).digest();

describe('sha512crypt', () => {
  it('gives what the format says', () => {
    expect(sha512crypt('Hello world!', 'saltstring', sha512)).to.equal(
      '$6$saltstring$svn8UoSVapNtMuq1ukKS4tPQd8iKwSMHWjl/O817G3uBnIFNjnQJuesI68u4OTLiBFdcbYEdFCoEOfaS35inz1',
    );
  });
  it('knows its own passwords and no others', () => {
    const digest = sha512crypt('über die Brücke', 'abc', sha512);
    expect(fitsSha512crypt('über die Brücke', digest, sha512)).to.equal(true);
    expect(fitsSha512crypt('over the bridge', digest, sha512)).to.equal(false);
    expect(fitsSha512crypt('x', 'plain', sha512)).to.equal(false);
  });
});
