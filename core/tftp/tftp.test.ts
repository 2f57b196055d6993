import { expect } from 'chai';
import fc from 'fast-check';
import { mustParse } from '../fault.ts';
import { decodePacket, encodePacket, fromNetascii, toNetascii, type Packet } from './packet.ts';
import { begin, step, type Sending, type Step } from './sending.ts';

const bytesOf = (hex: string): Uint8Array =>
  Uint8Array.from(hex.replace(/\s+/g, '').match(/../g) ?? [], (pair) => parseInt(pair, 16));
const hex = (bytes: Uint8Array): string => Buffer.from(bytes).toString('hex');

const word = fc.string({ unit: fc.constantFrom(...'abcdez019-./'), minLength: 1, maxLength: 20 });
const anyOptions = fc.dictionary(fc.constantFrom('blksize', 'tsize', 'timeout', 'windowsize', 'x'), word, {
  noNullPrototype: true,
});
const anyPacket: fc.Arbitrary<Packet> = fc.oneof(
  fc.record({
    kind: fc.constantFrom('read' as const, 'write' as const),
    name: word,
    mode: fc.constantFrom('octet' as const, 'netascii' as const),
    options: anyOptions,
  }),
  fc.record({ kind: fc.constant('data' as const), block: fc.nat(65535), bytes: fc.uint8Array({ maxLength: 600 }) }),
  fc.record({ kind: fc.constant('ack' as const), block: fc.nat(65535) }),
  fc.record({ kind: fc.constant('error' as const), code: fc.nat(8), message: word }),
  fc.record({ kind: fc.constant('options' as const), options: anyOptions.filter((o) => Object.keys(o).length > 0) }),
);

describe('TFTP packets', () => {
  it('come back as they went in', () => {
    fc.assert(
      fc.property(
        anyPacket,
        (packet) => void expect(mustParse(decodePacket(encodePacket(packet)))).to.deep.equal(packet),
      ),
    );
  });
  it('never throw, whatever arrives', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 60 }), (bytes) => void expect(decodePacket(bytes)).to.have.property('ok')),
      { numRuns: 2000 },
    );
  });

  // Written out by hand from RFC 1350, section 5, and RFC 2347.
  for (const [what, bytes, packet] of [
    ['a read request', '0001 6366 00 6f63746574 00', { kind: 'read', name: 'cf', mode: 'octet', options: {} }],
    [
      'a read request with options',
      '0001 63 00 4f43544554 00 424c4b53495a45 00 31343238 00 7473697a65 00 30 00',
      { kind: 'read', name: 'c', mode: 'octet', options: { blksize: '1428', tsize: '0' } },
    ],
    ['data', '0003 0001 616263', { kind: 'data', block: 1, bytes: Uint8Array.of(97, 98, 99) }],
    ['an acknowledgement', '0004 ffff', { kind: 'ack', block: 65535 }],
    ['an error', '0005 0001 6e6f 00', { kind: 'error', code: 1, message: 'no' }],
    ['agreed options', '0006 7473697a65 00 3132 00', { kind: 'options', options: { tsize: '12' } }],
  ] as const) {
    it(`read ${what}`, () => expect(mustParse(decodePacket(bytesOf(bytes)))).to.deep.equal(packet));
  }
  for (const [what, bytes, code] of [
    ['three bytes', '000100', 'tftp-short'],
    ['an unknown operation', '0009 0000', 'tftp-opcode'],
    ['a name without an end', '0001 6366', 'tftp-string'],
    ['no name', '0001 00 6f63746574 00', 'tftp-string'],
    ['mail mode', '0001 63 00 6d61696c 00', 'tftp-mode'],
    ['an option without a value', '0001 63 00 6f63746574 00 78 00', 'tftp-string'],
    ['an option twice', '0001 63 00 6f63746574 00 78 00 31 00 58 00 32 00', 'tftp-option-twice'],
  ] as const) {
    it(`refuse ${what}`, () => expect(decodePacket(bytesOf(bytes))).to.have.nested.property('fault.code', code));
  }

  it('carry lines as netascii, and back', () => {
    expect(hex(toNetascii(bytesOf('610a620d63')))).to.equal('610d0a620d0063');
    fc.assert(
      fc.property(
        fc.uint8Array({ maxLength: 100 }),
        (bytes) => void expect(fromNetascii(toNetascii(bytes))).to.deep.equal(bytes),
      ),
    );
  });
});

/** A client that takes what comes, over a line that loses packets by a plan; gives what it received. */
function receive(
  first: Step,
  file: Uint8Array,
  losses: boolean[],
): { got: Uint8Array; ended: Step['ended']; packets: number; turns: number } {
  let state: Sending = first.state;
  let waiting = first.send;
  let ended: Step['ended'];
  const blocks: Uint8Array[] = [];
  let loss = 0;
  let packets = 0;
  let turns = 0;
  const lost = () => losses.length > 0 && losses[loss++ % losses.length] === true && loss < losses.length * 3;
  const take = (next: Step) => {
    state = next.state;
    waiting = next.send;
    ended = next.ended ?? ended;
  };
  while (!ended && (turns += 1) < 20000) {
    let answer: Packet | undefined;
    for (const one of waiting) {
      packets += 1;
      if (lost()) continue;
      const packet = mustParse(decodePacket(datagram(one, file)));
      if (packet.kind === 'options') answer = { kind: 'ack', block: 0 };
      if (packet.kind === 'data' && packet.block === ((blocks.length + 1) & 0xffff)) blocks.push(packet.bytes);
      // RFC 7440: what came is acknowledged by the last block in order.
      if (packet.kind === 'data') answer = { kind: 'ack', block: blocks.length & 0xffff };
    }
    if (!answer || lost()) take(step(state, 'timeout'));
    else take(step(state, { packet: answer }));
  }
  return { got: Uint8Array.from(Buffer.concat(blocks)), ended, packets, turns };
}

/** What goes out for it. */
const datagram = (one: Step['send'][number] | undefined, file: Uint8Array): Uint8Array =>
  one === undefined || one instanceof Uint8Array
    ? (one ?? new Uint8Array(0))
    : encodePacket({ kind: 'data', block: one.block, bytes: file.subarray(one.from, one.to) });

const fileOf = (length: number): Uint8Array => Uint8Array.from({ length }, (_, i) => (i * 31) & 255);

describe('a file on its way', () => {
  for (const length of [0, 1, 511, 512, 513, 1024, 70000]) {
    it(`of ${length} bytes arrives whole`, () => {
      const { got, ended } = receive(begin({ options: {} }, length), fileOf(length), []);
      expect(ended).to.deep.equal({ ok: true });
      expect(Buffer.compare(got, fileOf(length))).to.equal(0);
    });
  }

  it('arrives whole over any lossy line, with any options', () => {
    const anyRequest = fc.record({
      blksize: fc.option(fc.integer({ min: 8, max: 1428 }).map(String), { nil: undefined }),
      windowsize: fc.option(fc.integer({ min: 1, max: 16 }).map(String), { nil: undefined }),
      tsize: fc.option(fc.constant('0'), { nil: undefined }),
    });
    fc.assert(
      fc.property(
        anyRequest,
        fc.nat(6000),
        fc.array(fc.boolean(), { minLength: 6, maxLength: 30 }),
        (asked, length, losses) => {
          const options = Object.fromEntries(
            Object.entries(asked).filter((entry): entry is [string, string] => entry[1] !== undefined),
          );
          const { got, ended } = receive(begin({ options }, length), fileOf(length), losses);
          // Five losses in a row end it, with words; otherwise every byte is there.
          if (ended?.ok) expect(Buffer.compare(got, fileOf(length))).to.equal(0);
          else expect(ended).to.include({ why: 'no-answer' });
        },
      ),
    );
  });

  it('wraps block numbers past 65535', () => {
    const file = fileOf(8 * 70000 + 3);
    const { got, ended } = receive(begin({ options: { blksize: '8', windowsize: '64' } }, file.length), file, []);
    expect(ended).to.deep.equal({ ok: true });
    expect(Buffer.compare(got, file)).to.equal(0);
  });

  it('agrees on options that it knows, within bounds, and leaves out the rest', () => {
    const { state } = begin(
      { options: { blksize: '9000', tsize: '0', timeout: '3', windowsize: '500', shoesize: '42' } },
      1000,
    );
    expect(state.agreed).to.deep.equal({ blksize: '1468', timeout: '3', tsize: '1000', windowsize: '64' });
    expect(begin({ options: { blksize: '7', timeout: '0', tsize: '5' } }, 10).state.agreed).to.deep.equal({});
  });

  it('does not answer an acknowledgement that came before', () => {
    const first = begin({ options: {} }, 2000);
    const second = step(first.state, { packet: { kind: 'ack', block: 1 } });
    expect(second.send).to.have.length(1);
    expect(step(second.state, { packet: { kind: 'ack', block: 1 } })).to.deep.equal({ state: second.state, send: [] });
    expect(step(second.state, { packet: { kind: 'ack', block: 9 } }).send).to.deep.equal([]);
  });

  it('gives up after five silences, and says at which block', () => {
    let at: Step = step(begin({ options: {} }, 2000).state, {
      packet: { kind: 'ack', block: 1 },
    });
    for (let i = 0; i < 4; i += 1) {
      at = step(at.state, 'timeout');
      expect(at.send).to.have.length(i < 4 && !at.ended ? 1 : 0);
    }
    at = step(at.state, 'timeout');
    expect(at.ended).to.deep.equal({ ok: false, why: 'no-answer', detail: 'block 2 was never acknowledged' });
  });

  it('ends when the client says so, or says something else', () => {
    const first = begin({ options: {} }, 2000);
    expect(step(first.state, { packet: { kind: 'error', code: 3, message: 'disk full' } }).ended).to.deep.equal({
      ok: false,
      why: 'client-error',
      detail: 'disk full',
    });
    const odd = step(first.state, { packet: { kind: 'data', block: 1, bytes: new Uint8Array(0) } });
    expect(odd.ended).to.include({ why: 'protocol' });
    expect(mustParse(decodePacket(datagram(odd.send[0], new Uint8Array(0))))).to.include({ kind: 'error', code: 4 });
  });
});
