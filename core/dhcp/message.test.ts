import { expect } from 'chai';
import fc from 'fast-check';
import { mustParse } from '../fault.ts';
import { decodeMessage, encodeMessage, typeOfMessage, type Message } from './message.ts';
import { relayInformation } from './relayInformation.ts';

const bytesOf = (hex: string): Uint8Array =>
  Uint8Array.from(hex.replace(/\s+/g, '').match(/../g) ?? [], (pair) => parseInt(pair, 16));
const hexOf = (bytes: Uint8Array | undefined): string => Buffer.from(bytes ?? []).toString('hex');
const zeros = (count: number): string => '00'.repeat(count);

/**
 * A DISCOVER written out by hand from RFC 2131 figure 1 and RFC 2132: through a relay at 10.77.16.1 (hops 1), with
 * message type 1 (9.6), parameter request list (9.8), vendor class (9.13), client identifier (9.14), and the relay's
 * circuit identifier (RFC 3046, 2.0).
 */
const discover = bytesOf(`
  01 01 06 01  3903f326  0000 8000  00000000 00000000 00000000 0a4d1001
  00005e0053a1 ${zeros(10)} ${zeros(64)} ${zeros(128)}
  63825363
  35 01 01
  3d 07 01 00005e0053a1
  3c 04 4c463234
  37 05 01 03 06 43 96
  52 06 01 04 312f3234
  ff
`);

const anyBytes = (max: number) => fc.uint8Array({ minLength: 0, maxLength: max });
const anyAddress = fc.tuple(fc.nat(255), fc.nat(255), fc.nat(255), fc.nat(255)).map((parts) => parts.join('.'));
const anyMessage: fc.Arbitrary<Message> = fc.record({
  op: fc.constantFrom('request' as const, 'reply' as const),
  hardwareType: fc.nat(255),
  hops: fc.nat(16),
  xid: fc.nat(0xffffffff),
  secs: fc.nat(65535),
  broadcast: fc.boolean(),
  clientAddress: anyAddress,
  yourAddress: anyAddress,
  serverAddress: anyAddress,
  relayAddress: anyAddress,
  hardwareAddress: fc
    .uint8Array({ minLength: 0, maxLength: 16 })
    .map((b) => Array.from(b, (x) => x.toString(16).padStart(2, '0')).join(':')),
  serverName: fc.string({ unit: fc.constantFrom(...'abc.-1'), maxLength: 63 }),
  file: fc.string({ unit: fc.constantFrom(...'abc./-1'), maxLength: 127 }),
  options: fc
    .uniqueArray(
      fc.tuple(
        fc.integer({ min: 1, max: 254 }).filter((c) => c !== 52 && c !== 82),
        anyBytes(300),
      ),
      { selector: ([code]) => code, maxLength: 8 },
    )
    .map((entries) => new Map(entries)),
});

describe('DHCP messages', () => {
  it('are read as RFC 2131 lays them out', () => {
    const message = mustParse(decodeMessage(discover));
    expect(message).to.deep.include({
      op: 'request',
      hardwareType: 1,
      hops: 1,
      xid: 0x3903f326,
      secs: 0,
      broadcast: true,
      clientAddress: '0.0.0.0',
      relayAddress: '10.77.16.1',
      hardwareAddress: '00:00:5e:00:53:a1',
      serverName: '',
      file: '',
    });
    expect([...message.options.keys()]).to.deep.equal([53, 61, 60, 55, 82]);
    expect(typeOfMessage(message)).to.deep.equal({ ok: true, value: 'DISCOVER' });
    expect(Buffer.from(relayInformation(message.options.get(82)).circuit ?? []).toString()).to.equal('1/24');
  });

  it('are written as RFC 2131 lays them out, with at least 300 bytes', () => {
    const written = mustParse(encodeMessage(mustParse(decodeMessage(discover))));
    expect(written.length).to.equal(300);
    expect(hexOf(written.subarray(0, discover.length))).to.equal(hexOf(discover));
    expect(hexOf(written.subarray(discover.length))).to.equal(zeros(300 - discover.length));
  });

  it('come back as they went in', () => {
    fc.assert(
      fc.property(
        anyMessage,
        (message) =>
          void expect(mustParse(decodeMessage(mustParse(encodeMessage(message, { largest: 65507 }))))).to.deep.equal(
            message,
          ),
      ),
    );
  });

  it('never throw, whatever arrives', () => {
    const cut = fc
      .tuple(fc.nat(discover.length), fc.nat(discover.length - 1), fc.nat(255))
      .map(([length, at, byte]) => {
        const bytes = Uint8Array.from(discover).subarray(0, length);
        if (at < bytes.length) bytes[at] = byte;
        return bytes;
      });
    fc.assert(
      fc.property(fc.oneof(anyBytes(600), cut), (bytes) => void expect(decodeMessage(bytes)).to.have.property('ok')),
      { numRuns: 2000 },
    );
  });

  it('put a long option together again (RFC 3396)', () => {
    const long = Uint8Array.from({ length: 600 }, (_, i) => i % 251);
    const message = { ...mustParse(decodeMessage(discover)), options: new Map([[43, long]]) };
    const written = mustParse(encodeMessage(message));
    // Three pieces, each with its own code and length: 255, 255, 90.
    expect([written[240], written[241], written[497], written[498], written[754], written[755]]).to.deep.equal([
      43, 255, 43, 255, 43, 90,
    ]);
    expect(hexOf(mustParse(decodeMessage(written)).options.get(43))).to.equal(hexOf(long));
  });

  it('run on into file and sname when option 52 says so', () => {
    const overloaded = bytesOf(`
      02 01 06 00 00000001 0000 0000 00000000 0a4d10c8 00000000 00000000
      00005e0053a1 ${zeros(10)}
      0f 03 616263 ff ${zeros(58)}
      43 04 626f6f74 ff ${zeros(121)}
      63825363 34 01 03 35 01 02 ff`);
    const message = mustParse(decodeMessage(overloaded));
    expect(message.file).to.equal('');
    expect(Buffer.from(message.options.get(67) ?? []).toString()).to.equal('boot');
    expect(Buffer.from(message.options.get(15) ?? []).toString()).to.equal('abc');
  });

  for (const [what, hex, code] of [
    ['too short', '0101', 'dhcp-short'],
    ['without the cookie', `01010600${zeros(232)}00000000ff`, 'dhcp-cookie'],
    ['of another operation', `03010600${zeros(232)}63825363ff`, 'dhcp-op'],
    ['with a hardware address of 17 bytes', `01011100${zeros(232)}63825363ff`, 'dhcp-hardware'],
    ['with an option cut off', `01010600${zeros(232)}63825363 35 05 01`, 'dhcp-option-cut'],
    ['with a code and no length', `01010600${zeros(232)}63825363 35`, 'dhcp-option-cut'],
    ['without an end', `01010600${zeros(232)}63825363 350101`, 'dhcp-no-end'],
  ] as const) {
    it(`are refused when ${what}`, () =>
      expect(decodeMessage(bytesOf(hex))).to.have.nested.property('fault.code', code));
  }

  it('are not made larger than the client takes', () => {
    const message = { ...mustParse(decodeMessage(discover)), options: new Map([[43, new Uint8Array(500)]]) };
    expect(encodeMessage(message, { largest: 548 })).to.have.nested.property('fault.code', 'dhcp-too-large');
  });
});
