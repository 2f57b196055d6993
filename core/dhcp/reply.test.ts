import { expect } from 'chai';
import fc from 'fast-check';
import { mustParse } from '../fault.ts';
import { decodeMessage, type Message } from './message.ts';
import {
  codeOf,
  decodeOption,
  encodeOption,
  options,
  rowOf,
  showOption,
  type OptionType,
  type OptionValue,
} from './options.ts';
import { buildNak, buildReply, destinationOf, requestState, wantedAddress, type Told } from './reply.ts';

const hex = (bytes: Uint8Array | undefined): string => Buffer.from(bytes ?? []).toString('hex');

/** The first address of the network of that length around an address. */
const network = (address: string, length: number): string => {
  const bits = address
    .split('.')
    .map((part) => Number(part).toString(2).padStart(8, '0'))
    .join('');
  const kept = bits.slice(0, length).padEnd(32, '0');
  return [0, 8, 16, 24].map((at) => parseInt(kept.slice(at, at + 8), 2)).join('.');
};

describe('DHCP options', () => {
  it('have a code and a name of their own', () => {
    expect(new Set(options.map((o) => o.code)).size).to.equal(options.length);
    expect(new Set(options.map((o) => o.name)).size).to.equal(options.length);
  });

  const anyAddress = fc.tuple(fc.nat(255), fc.nat(255), fc.nat(255), fc.nat(255)).map((parts) => parts.join('.'));
  const samples: Record<OptionType, fc.Arbitrary<OptionValue>> = {
    address: anyAddress,
    addresses: fc.array(anyAddress, { minLength: 1, maxLength: 6 }),
    text: fc
      .string({ minLength: 1, unit: 'grapheme' })
      .filter((t) => !t.endsWith('\u0000') && !/[\ud800-\udfff]/u.test(t)),
    messageType: fc.integer({ min: 0, max: 255 }),
    uint8: fc.nat(255),
    uint16: fc.nat(65535),
    uint32: fc.nat(0xffffffff),
    seconds: fc.nat(0xffffffff),
    flag: fc.boolean(),
    codes: fc.array(fc.nat(255), { minLength: 1, maxLength: 20 }),
    bytes: fc.uint8Array({ maxLength: 40 }).map((b) => hex(b)),
    int32: fc.integer({ min: -(2 ** 31) + 1, max: 2 ** 31 - 1 }),
    names: fc.array(fc.constantFrom('brackwater.example', 'crew.brackwater.example', 'a-1.b'), {
      minLength: 1,
      maxLength: 3,
    }),
    routes: fc.array(
      fc
        .tuple(anyAddress, fc.nat(32), anyAddress)
        .map(([address, length, router]) => `${network(address, length)}/${length} by ${router}`),
      { minLength: 1, maxLength: 4 },
    ),
  };
  for (const [type, sample] of Object.entries(samples)) {
    it(`of type ${type} come back as they went in`, () => {
      const types = new Map([[224, { name: 'own', type: type as OptionType }]]);
      fc.assert(
        fc.property(
          sample,
          (value) =>
            void expect(mustParse(decodeOption(224, mustParse(encodeOption(224, value, types)), types))).to.deep.equal(
              value,
            ),
        ),
      );
    });
    it(`of type ${type} never throw, whatever arrives`, () => {
      const types = new Map([[224, { name: 'own', type: type as OptionType }]]);
      fc.assert(
        fc.property(
          fc.uint8Array({ maxLength: 40 }),
          (bytes) => void expect(decodeOption(224, bytes, types)).to.have.property('ok'),
        ),
      );
    });
  }

  for (const [code, value, bytes, shown] of [
    // Written out by hand from RFC 2132 (3.3, 3.5, 3.14, 8.3, 9.2, 9.5) and RFC 5859.
    [1, '255.255.255.0', 'ffffff00', '255.255.255.0'],
    [3, ['10.77.16.1'], '0a4d1001', '10.77.16.1'],
    [6, ['10.77.0.5', '10.77.0.6'], '0a4d00050a4d0006', '10.77.0.5, 10.77.0.6'],
    [12, 'ard-acc-1', '6172642d6163632d31', '"ard-acc-1"'],
    [42, ['10.77.0.5'], '0a4d0005', '10.77.0.5'],
    [51, 3600, '00000e10', '3600 s'],
    [66, '10.77.0.2', '31302e37372e302e32', '"10.77.0.2"'],
    [150, ['10.77.0.2'], '0a4d0002', '10.77.0.2'],
    // 3.4: seconds west of UTC are negative.
    [2, -3600, 'fffff1f0', '-3600'],
    // RFC 1035, 3.1: each label with its length before it.
    [119, ['eng.apple', 'a.b'], '03656e67056170706c650001610162' + '00', 'eng.apple, a.b'],
    // RFC 3442: as many bytes of a destination as its length needs.
    [
      121,
      ['10.0.0.0/8 by 10.77.16.1', '10.17.0.0/16 by 10.77.16.2', '0.0.0.0/0 by 10.77.16.3'],
      '080a0a4d1001' + '100a110a4d1002' + '000a4d1003',
      '10.0.0.0/8 by 10.77.16.1, 10.17.0.0/16 by 10.77.16.2, 0.0.0.0/0 by 10.77.16.3',
    ],
  ] as const) {
    it(`${code} (${rowOf(code).name}) is written as ${bytes}`, () => {
      const given = value as OptionValue;
      expect(hex(mustParse(encodeOption(code, given)))).to.equal(bytes);
      expect(showOption(code, given)).to.equal(shown);
    });
  }

  it('refuse what is not of their type', () => {
    expect(encodeOption(3, ['10.77.16'])).to.have.nested.property('fault.code', 'dhcp-option-type');
    expect(encodeOption(51, -1)).to.have.nested.property('fault.code', 'dhcp-option-type');
    expect(decodeOption(3, Uint8Array.of(1, 2, 3))).to.have.nested.property('fault.code', 'dhcp-option-length');
    expect(encodeOption(121, ['10.77.0.1/16 by 10.77.16.1'])).to.have.nested.property('fault.code', 'dhcp-option-type');
    expect(encodeOption(119, ['-bad-.example'])).to.have.nested.property('fault.code', 'dhcp-option-type');
    expect(decodeOption(12, Uint8Array.of(0xff, 0xfe))).to.have.nested.property('fault.code', 'dhcp-option-value');
  });
});

describe('domains to be searched', () => {
  const bytes = (text: string) => Uint8Array.from(Buffer.from(text, 'hex'));
  it('are read as RFC 3397, 3 shows them, with a name that goes on at an earlier place', () => {
    // eng.apple.com. and marketing.apple.com., the second from "apple.com" at offset 4 on.
    const example = bytes('03656e67056170706c6503636f6d00' + '096d61726b6574696e67c004');
    expect(decodeOption(119, example)).to.deep.equal({ ok: true, value: ['eng.apple.com', 'marketing.apple.com'] });
  });
  for (const [what, text] of [
    ['to itself', 'c000'],
    ['forward', '0161c0040162' + '00'],
    ['behind the end', '0161c0'],
  ] as const)
    it(`are refused where a name leads ${what}`, () => {
      expect(decodeOption(119, bytes(text))).to.have.nested.property('fault.code', 'dhcp-option-value');
    });
});

describe('DHCP replies', () => {
  const discover: Message = {
    op: 'request',
    hardwareType: 1,
    hops: 1,
    xid: 7,
    secs: 3,
    broadcast: false,
    clientAddress: '0.0.0.0',
    yourAddress: '0.0.0.0',
    serverAddress: '0.0.0.0',
    relayAddress: '10.77.16.1',
    hardwareAddress: '00:00:5e:00:53:a1',
    serverName: '',
    file: '',
    options: new Map([
      [53, Uint8Array.of(1)],
      [55, Uint8Array.of(1, 3, 42, 67)],
      [61, Uint8Array.of(1, 0, 0, 0x5e, 0, 0x53, 0xa1)],
      [82, Uint8Array.of(1, 4, 0x31, 0x2f, 0x32, 0x34)],
    ]),
  };
  const told: Told = {
    address: '10.77.16.200',
    addressFrom: 'pool of 10.77.16.0/24',
    leaseSeconds: 3600,
    leaseFrom: 'setting lease.seconds',
    serverAddress: '10.77.0.2',
    file: { name: 'ard-acc-1/3', server: '10.77.0.2', from: 'edition 3' },
    options: [
      { code: 1, value: '255.255.255.0', from: 'prefix 10.77.16.0/24' },
      { code: 3, value: ['10.77.16.1'], from: 'prefix 10.77.16.0/24, gateway' },
      { code: 12, value: 'ard-acc-1', from: 'device ard-acc-1' },
      { code: 42, value: ['10.77.0.5'], from: 'setting time.servers, everywhere' },
      { code: 67, value: 'ard-acc-1/3', from: 'edition 3' },
      { code: 150, value: ['10.77.0.2'], from: 'boot profile furrow', always: true },
    ],
  };
  const reply = mustParse(buildReply(discover, 'OFFER', told));

  it('tell what was asked for, what must be told, and what is always told; the rest is named as untold', () => {
    expect(reply.lines.map((l) => l.code)).to.deep.equal([53, 54, 51, 58, 59, 1, 3, 42, 67, 150, 61, 82]);
    expect(reply.untold).to.deep.equal([{ code: 12, name: 'host-name', why: 'the client did not ask for it' }]);
  });

  it('say where every option comes from, with its bytes', () => {
    expect(reply.lines.find((l) => l.code === 42)).to.deep.equal({
      code: 42,
      name: 'ntp-servers',
      value: '10.77.0.5',
      bytes: Uint8Array.of(10, 77, 0, 5),
      from: 'setting time.servers, everywhere',
    });
    expect(reply.lines.find((l) => l.code === 58)?.value).to.equal('1800 s');
    expect(reply.lines.find((l) => l.code === 59)?.value).to.equal('3150 s');
  });

  it('carry address, next server, file, and what belongs to relay and client', () => {
    expect(reply.message).to.deep.include({
      op: 'reply',
      xid: 7,
      hops: 0,
      yourAddress: '10.77.16.200',
      serverAddress: '10.77.0.2',
      file: 'ard-acc-1/3',
      relayAddress: '10.77.16.1',
      hardwareAddress: '00:00:5e:00:53:a1',
    });
    expect(hex(reply.message.options.get(61))).to.equal('0100005e0053a1');
    expect(hex(reply.message.options.get(82))).to.equal('0104312f3234');
  });

  it('go to the relay, to the client that has an address, or to everybody', () => {
    const everybody = { to: 'broadcast', port: 68 };
    expect(destinationOf(discover, 'OFFER', false)).to.deep.equal({ to: 'relay', address: '10.77.16.1', port: 67 });
    expect(destinationOf({ ...discover, relayAddress: '0.0.0.0' }, 'OFFER', true)).to.deep.equal(everybody);
    const renewing = { ...discover, relayAddress: '0.0.0.0', clientAddress: '10.77.16.200' };
    const itself = { to: 'client', address: '10.77.16.200', port: 68 };
    expect(destinationOf(renewing, 'ACK', true)).to.deep.equal(itself);
    expect(destinationOf(renewing, 'NAK', true)).to.deep.equal(everybody);
    // Behind a router: nobody on the wire of the service has asked.
    expect(destinationOf(renewing, 'NAK', false)).to.deep.equal(itself);
  });

  it('keep to the order in which options were asked for, the mask before the routers', () => {
    const asked = (...codes: number[]) => {
      const options = new Map([...discover.options, [55, Uint8Array.from(codes)] as const]);
      return mustParse(buildReply({ ...discover, options }, 'OFFER', told))
        .lines.map(({ code }) => code)
        .filter((code) => [1, 3, 12, 42, 67, 150].includes(code));
    };
    expect(asked(67, 42, 3, 1)).to.deep.equal([67, 42, 1, 3, 150]);
    expect(asked(42, 12)).to.deep.equal([42, 12, 1, 3, 150]);
  });

  describe('that are too large for the client', () => {
    const servers = (count: number) => Array.from({ length: count }, (_, i) => `10.77.1.${i + 1}`);
    const large = (count: number, more: Partial<Told> = {}): Told => ({
      ...told,
      ...more,
      options: [...told.options, { code: 6, value: servers(count), from: 'here' }],
    });
    const asking = (codes: number[], size?: number): Message => ({
      ...discover,
      options: new Map([
        ...discover.options,
        [55, Uint8Array.from(codes)],
        ...(size === undefined ? [] : [[57, Uint8Array.of(size >> 8, size & 255)] as const]),
      ]),
    });
    it('go on in the fields that are free (RFC 2132, 9.3)', () => {
      const { file: _, ...without } = large(60);
      const built = mustParse(buildReply(asking([1, 3, 6, 12, 42, 67]), 'OFFER', without));
      expect(built.bytes.length).to.be.at.most(548);
      const read = mustParse(decodeMessage(built.bytes));
      expect(read.options.get(52)?.[0]).to.be.oneOf([1, 2, 3]);
      expect(read.options.get(6)?.length).to.equal(240);
      expect(hex(read.options.get(12))).to.equal(Buffer.from('ard-acc-1').toString('hex'));
      expect(built.untold.filter(({ why }) => why.startsWith('no room'))).to.deep.equal([]);
    });
    it('leave out what is wanted least, and say so', () => {
      const built = mustParse(buildReply(asking([1, 3, 67, 6, 12, 42]), 'OFFER', large(80)));
      const read = mustParse(decodeMessage(built.bytes));
      expect(read.options.has(6)).to.equal(false);
      expect(read.options.has(12)).to.equal(true);
      expect(built.untold).to.deep.include({
        code: 6,
        name: 'name-servers',
        why: 'no room: the client takes messages of 576 bytes',
      });
      expect([...built.message.options.keys()]).to.not.include(6);
    });
    it('have room where the client says so (RFC 2132, 9.10), in pieces where one is too long (RFC 3396)', () => {
      const built = mustParse(buildReply(asking([1, 3, 6], 1400), 'OFFER', large(75)));
      const read = mustParse(decodeMessage(built.bytes));
      expect(read.options.get(6)?.length).to.equal(300);
      expect(read.options.has(52)).to.equal(false);
    });
    it('answer a relay whose own option is as long as one can be', () => {
      const relay = Uint8Array.from([1, 253, ...Array.from({ length: 253 }, () => 65)]);
      const message = asking([1, 3, 6, 12, 42]);
      message.options.set(82, relay);
      const built = mustParse(buildReply(message, 'OFFER', told));
      expect(hex(mustParse(decodeMessage(built.bytes)).options.get(82))).to.equal(hex(relay));
    });
  });

  it('leave out an option whose value cannot be written, and tell all others', () => {
    const built = mustParse(
      buildReply(discover, 'OFFER', { ...told, options: [...told.options, { code: 42, value: ['x'], from: 'here' }] }),
    );
    expect(built.untold).to.deep.include({
      code: 42,
      name: 'ntp-servers',
      why: 'its value cannot be written: dhcp-option-type',
    });
  });

  it('that say no say why, and nothing else', () => {
    const nak = mustParse(decodeMessage(mustParse(buildNak(discover, '10.77.0.2', 'this address is not yours here'))));
    expect([...nak.options.keys()]).to.deep.equal([53, 54, 56, 61, 82]);
    expect(nak).to.include({ yourAddress: '0.0.0.0', broadcast: true });
  });

  it('know the states of a REQUEST (RFC 2131, table 4)', () => {
    const request = (more: [number, Uint8Array][], clientAddress = '0.0.0.0'): Message => ({
      ...discover,
      clientAddress,
      options: new Map([[53, Uint8Array.of(3)], ...more]),
    });
    const wanted: [number, Uint8Array] = [codeOf('requested-address'), Uint8Array.of(10, 77, 16, 200)];
    expect(requestState(request([wanted, [codeOf('server-identifier'), Uint8Array.of(10, 77, 0, 2)]]))).to.equal(
      'selecting',
    );
    expect(requestState(request([wanted]))).to.equal('rebooting');
    expect(requestState(request([], '10.77.16.200'))).to.equal('renewing');
    expect(wantedAddress(request([wanted]))).to.equal('10.77.16.200');
    expect(wantedAddress(request([], '10.77.16.201'))).to.equal('10.77.16.201');
    expect(wantedAddress(request([]))).to.equal(undefined);
  });
});
