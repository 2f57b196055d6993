import { createHash, createHmac } from 'node:crypto';
import { expect } from 'chai';
import { headerIn, signature } from './hooks.ts';

describe('messages to other systems', () => {
  it('may have one header of their own', () => {
    expect(headerIn('Authorization: Bearer abc')).to.deep.equal(['Authorization', 'Bearer abc']);
    for (const wrong of ['Authorization', 'Host: x', 'Signature: x', 'A: b\r\nC: d', ': x', 'A:'])
      expect(headerIn(wrong), wrong).to.equal(undefined);
  });

  it('are signed over method, destination and body', () => {
    // Put together by hand from RFC 9421, section 2.5, and RFC 9530, section 2.
    const body = '{"id":1}';
    const digest = createHash('sha256').update(body).digest('base64');
    const { base, headers } = signature({
      url: 'https://a.example/x?y=1',
      created: 1764583200,
      keyId: 'zealous-pine',
      digest,
    });
    expect(base).to.equal(
      '"@method": POST\n' +
        '"@target-uri": https://a.example/x?y=1\n' +
        `"content-digest": sha-256=:${digest}:\n` +
        '"@signature-params": ("@method" "@target-uri" "content-digest");created=1764583200;keyid="zealous-pine";alg="hmac-sha256"',
    );
    const hmac = createHmac('sha256', 'key').update(base).digest('base64');
    expect(headers(hmac)).to.deep.equal({
      'Content-Digest': `sha-256=:${digest}:`,
      'Signature-Input':
        'sig=("@method" "@target-uri" "content-digest");created=1764583200;keyid="zealous-pine";alg="hmac-sha256"',
      Signature: `sig=:${hmac}:`,
    });
  });
});
