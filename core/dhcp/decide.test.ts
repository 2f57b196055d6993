import { expect } from 'chai';
import fc from 'fast-check';
import type { DialectSheet } from '../dialect/sheet.ts';
import { decide } from './decide.ts';
import type { BootBox, BootDevice, Link, Look, MacOwner } from './look.ts';
import { decodeMessage, typeOfMessage, type Message } from './message.ts';
import { codeOf, ipv4Bytes, messageTypes, type MessageType } from './options.ts';

const MAC = '02:00:5e:77:00:01';
const NOW = Date.parse('2026-03-02T10:00:00Z');
const SERVER = '10.77.0.1';
const RELAY = '10.77.16.1';

const link: Link = {
  id: 1,
  key: '10.77.16.0/24',
  cidr: '10.77.16.0/24',
  vrf: 1,
  site: 1,
  gateway: RELAY,
  relays: null,
  leaseSeconds: 600,
};
const box: BootBox = { id: 1, serial: 'FR9-0001', mac: MAC, device: { id: 7, key: 'ske-acc-1' } };
const device: BootDevice = {
  id: 7,
  key: 'ske-acc-1',
  addresses: [
    { address: '10.77.16.40', prefix: 1, interface: 'vlan 30', management: false },
    { address: '10.77.16.21', prefix: 1, interface: 'vlan 20', management: true },
    { address: '10.77.99.9', prefix: 2, interface: 'vlan 9', management: false },
  ],
  lease: null,
  settings: new Map(),
  dialectName: 'furrow',
  sheet: { title: 'Furrow', boot: { file: '{device}.cfg' } } as DialectSheet,
  edition: { id: 70, number: 3 },
  windowUntil: NOW + 1000,
};

const lookWith = (more: Partial<Look> = {}): Look => ({
  server: SERVER,
  linkAround: (address) => (address.startsWith('10.77.16.') || address === SERVER ? link : undefined),
  deviceAt: () => undefined,
  boxOfSerial: (serial) => (serial === box.serial ? box : undefined),
  ownerOf: (mac): MacOwner | undefined => (mac === MAC ? { box } : undefined),
  device: (id) => (id === 7 ? device : undefined),
  pooled: (_, source) =>
    source === 'pool'
      ? { address: '10.77.16.200', source, from: 'pool of 10.77.16.0/24' }
      : { address: '10.77.16.250', source, from: 'quarantine pool of 10.77.16.0/24' },
  holderAt: () => undefined,
  mayBeListed: () => true,
  ...more,
});

type Asked = {
  relay?: string;
  mac?: string;
  serial?: string;
  wanted?: string;
  server?: string;
  address?: string;
  options?: [number, Uint8Array][];
};

function packet(type: MessageType | undefined, asked: Asked = {}): Message {
  const { relay = RELAY, mac = MAC, serial, wanted, server, address = '0.0.0.0' } = asked;
  const options = new Map<number, Uint8Array>(asked.options ?? []);
  if (type) options.set(codeOf('message-type'), Uint8Array.of(messageTypes.indexOf(type)));
  if (serial !== undefined) options.set(61, Uint8Array.of(0, ...new TextEncoder().encode(serial)));
  if (wanted !== undefined) options.set(codeOf('requested-address'), ipv4Bytes(wanted) ?? new Uint8Array());
  if (server !== undefined) options.set(codeOf('server-identifier'), ipv4Bytes(server) ?? new Uint8Array());
  return {
    op: 'request',
    hardwareType: 1,
    hops: 0,
    xid: 1,
    secs: 0,
    broadcast: false,
    clientAddress: address,
    yourAddress: '0.0.0.0',
    serverAddress: '0.0.0.0',
    relayAddress: relay,
    hardwareAddress: mac,
    serverName: '',
    file: '',
    options,
  };
}

const decided = (message: Message, more: Partial<Look> = {}, source = message.relayAddress) =>
  decide(lookWith(more), message, source, NOW);

describe('a decision about a booting client', () => {
  it('gives a device its management address, its file, and tells its arrival', () => {
    const offer = decided(packet('DISCOVER'));
    expect(offer.outcome).to.equal('answered');
    expect(offer.told?.address).to.equal('10.77.16.21');
    expect(offer.reply?.message.file).to.equal('ske-acc-1.cfg');
    expect(offer.lease).to.deep.equal({ seconds: 600, acknowledged: false });
    expect(offer.arrival?.map(({ event }) => event.kind)).to.deep.equal(['discover', 'offered']);
    expect(offer.out?.destination).to.deep.equal({ to: 'relay', address: RELAY, port: 67 });

    const ack = decided(packet('REQUEST', { wanted: '10.77.16.21', server: SERVER }));
    expect(ack.lease).to.deep.equal({ seconds: 600, acknowledged: true });
    expect(ack.arrival?.at(-1)).to.deep.include({ address: '10.77.16.21', edition: 70 });
  });

  it('gives no file without an edition, and none when the window closes at this very moment', () => {
    const without = (more: Partial<BootDevice>) =>
      decided(packet('DISCOVER'), { device: () => ({ ...device, ...more }) }).noFile;
    expect(without({ edition: null })).to.equal('no edition of it is published');
    expect(without({ windowUntil: NOW })).to.equal('its arrival window is closed');
    expect(without({ windowUntil: NOW + 1 })).to.equal(null);
    expect(without({ sheet: undefined })).to.match(/dialect furrow boots/);
  });

  it('takes from the pool where the device has no address of its own there, and says when that is empty', () => {
    const away = { device: () => ({ ...device, addresses: device.addresses.filter((a) => a.prefix === 2) }) };
    expect(decided(packet('DISCOVER'), away).told?.address).to.equal('10.77.16.200');
    const none = decided(packet('DISCOVER'), { ...away, pooled: () => undefined });
    expect(none).to.deep.include({ outcome: 'refused' });
    expect(none.lease).to.equal(undefined);
    expect(none.arrival?.map(({ event }) => event.kind)).to.deep.equal(['discover']);
  });

  it('says no to an address that is not its own, and to nobody else’s offer', () => {
    const nak = decided(packet('REQUEST', { wanted: '10.77.16.99' }));
    expect(nak.outcome).to.equal('refused');
    const bytes = nak.out && decodeMessage(nak.out.bytes);
    expect(bytes?.ok && typeOfMessage(bytes.value)).to.deep.equal({ ok: true, value: 'NAK' });
    expect(nak.lease).to.equal(undefined);
    const other = decided(packet('REQUEST', { wanted: '10.77.16.99', server: '10.77.0.2' }));
    expect(other).to.deep.include({ outcome: 'dropped', detail: 'it takes the offer of another server, 10.77.0.2' });
    expect(other.out).to.equal(undefined);
  });

  it('renews without a word to the arrival, and tells parameters without a lease', () => {
    const renewed = decided(packet('REQUEST', { address: '10.77.16.21' }));
    expect([renewed.outcome, renewed.arrival]).to.deep.equal(['answered', []]);
    const informed = decided(packet('INFORM', { address: '10.77.16.21' }));
    expect([informed.outcome, informed.lease, informed.arrival]).to.deep.equal(['answered', undefined, []]);
    expect(informed.reply?.message.options.has(codeOf('lease-time'))).to.equal(false);
  });

  it('drops what contradicts the records, with the reason for the list of strangers', () => {
    const other: BootBox = { id: 2, serial: 'FR9-0002', mac: null, device: null };
    const both = decided(packet('DISCOVER', { serial: 'FR9-0002' }), { boxOfSerial: () => other });
    expect(both.stranger?.conflict).to.match(/serial FR9-0002 and MAC .* belong to two boxes/);
    const unknown = decided(packet('DISCOVER', { serial: 'FR9-0009' }));
    expect(unknown.stranger?.conflict).to.match(/it says serial FR9-0009, but MAC .* is that of box FR9-0001/);
    const elsewhere = decided(packet('DISCOVER', { serial: box.serial, mac: '02:00:5e:77:00:99' }));
    expect(elsewhere.stranger?.conflict).to.match(/has MAC 02:00:5e:77:00:01 in the records, and shows/);
    for (const one of [both, unknown, elsewhere]) expect(one.out).to.equal(undefined);
  });

  it('leaves a lease at another site alone until it ends', () => {
    const at = (expires: number, site: number) =>
      decided(packet('DISCOVER'), {
        device: () => ({ ...device, lease: { address: '10.77.80.5', site: { id: site, key: 'bel' }, expires } }),
      });
    expect(at(NOW + 1, 2).detail).to.match(/holds 10.77.80.5 at BEL until 2026-03-02 10:00 UTC/);
    expect(at(NOW + 1, 2).out).to.equal(undefined);
    expect(at(NOW, 2).outcome).to.equal('answered');
    expect(at(NOW + 1, 1).outcome).to.equal('answered');
  });

  it('gives strangers an address of the quarantine and no file, as long as there is room on the list', () => {
    const stranger = { mac: '02:00:5e:77:00:99' };
    const offer = decided(packet('DISCOVER', stranger));
    expect(offer.told?.address).to.equal('10.77.16.250');
    expect(offer.reply?.message.file).to.equal('');
    expect(offer.stranger).to.deep.equal({ address: '10.77.16.250', conflict: null });
    expect(decided(packet('DISCOVER', stranger), { mayBeListed: () => false }).outcome).to.equal('counted');
    const full = decided(packet('DISCOVER', stranger), { pooled: () => undefined });
    expect([full.outcome, full.stranger?.address]).to.deep.equal(['dropped', null]);
  });

  it('believes a relay that is declared, from an address of its device', () => {
    const far = { relay: '10.77.16.9' };
    expect(decided(packet('DISCOVER', far)).detail).to.match(/relay 10.77.16.9 is not declared/);
    const on = (address: string) => (['10.77.16.9', '10.77.16.10'].includes(address) ? 3 : 4);
    expect(decided(packet('DISCOVER', far), { deviceAt: on }, '10.77.16.10').outcome).to.equal('answered');
    const lie = decided(packet('DISCOVER', far), { deviceAt: on }, '10.77.16.66');
    expect(lie).to.deep.include({ outcome: 'counted' });
    expect(lie.refusedRelay).to.deep.equal({ relay: '10.77.16.9', source: '10.77.16.66' });
    expect(decided(packet('DISCOVER', { relay: '10.88.0.1' })).detail).to.match(/no prefix .* holds 10.88.0.1/);
  });

  it('takes back only what the client holds', () => {
    const back = (holder: string) => decided(packet('RELEASE', { address: '10.77.16.21' }), { holderAt: () => holder });
    expect(back(MAC).given).to.deep.equal({ verb: 'released', address: '10.77.16.21' });
    expect(back('somebody')).to.deep.include({ outcome: 'dropped' });
    const declined = decided(packet('DECLINE', { wanted: '10.77.16.21' }), { holderAt: () => MAC });
    expect(declined.given?.verb).to.equal('declined');
  });

  it('never throws, promises nothing without an answer, and answers nobody twice differently', () => {
    const types = fc.constantFrom<(MessageType | undefined)[]>(
      undefined,
      'DISCOVER',
      'REQUEST',
      'RELEASE',
      'DECLINE',
      'INFORM',
      'OFFER',
      'NAK',
    );
    const address = fc.constantFrom(
      '10.77.16.21',
      '10.77.16.1',
      '10.88.0.1',
      '0.0.0.0',
      '10.77.0.1',
      '255.255.255.255',
    );
    const asked = fc.record(
      {
        relay: address,
        mac: fc.constantFrom(MAC, '02:00:5e:77:00:99', ''),
        serial: fc.constantFrom('FR9-0001', 'x', 'FR9-0001\u0000'),
        wanted: address,
        server: address,
        address,
        options: fc.array(fc.tuple(fc.nat(255), fc.uint8Array({ maxLength: 300 })), { maxLength: 6 }),
      },
      { requiredKeys: [] },
    );
    fc.assert(
      fc.property(types, asked, address, (type, given, source) => {
        const message = packet(type, given);
        const one = decided(message, {}, source);
        expect(decided(message, {}, source)).to.deep.equal(one);
        if (one.outcome === 'answered' && type !== 'RELEASE' && type !== 'DECLINE')
          expect(one.out).to.not.equal(undefined);
        if (one.outcome === 'dropped' || one.outcome === 'counted') expect(one.lease ?? one.out).to.equal(undefined);
        if (one.lease?.acknowledged) expect(type).to.equal('REQUEST');
      }),
      { numRuns: 400 },
    );
  });
});
