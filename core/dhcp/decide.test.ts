import { expect } from 'chai';
import fc from 'fast-check';
import type { DialectSheet } from '../dialect/sheet.ts';
import { decide, type Decision } from './decide.ts';
import { ipv4Bytes, ipv4Number } from './ipv4.ts';
import { LeaseTable, type Held } from './leases.ts';
import { holds, linkOf, type Link, type LinkRecord } from './link.ts';
import type { BootBox, BootDevice, Look, MacOwner } from './look.ts';
import { decodeMessage, typeOfMessage, type Message } from './message.ts';
import { codeOf, messageTypes, type MessageType } from './options.ts';
import { profileOfSheet } from './profiles.ts';

const MAC = '02:00:5e:77:00:01';
const NOW = Date.parse('2026-03-02T10:00:00Z');
const SERVER = '10.77.0.1';
const RELAY = '10.77.16.1';

const linkRecord: LinkRecord = {
  id: 1,
  key: '10.77.16.0/24',
  cidr: '10.77.16.0/24',
  vrf: 1,
  site: 1,
  vlan: 20,
  gateway: RELAY,
  relays: null,
  pool: '10.77.16.200-10.77.16.203',
  quarantine: '10.77.16.250',
  leaseSeconds: 600,
  answers: 'all',
  nameServers: null,
  timeServers: null,
  domain: null,
};
const made = (more: Partial<LinkRecord> = {}, vrf = 'default'): Link => {
  const link = linkOf({ ...linkRecord, ...more }, vrf);
  if (!link) throw new Error('no prefix of IPv4');
  return link;
};
const link = made();
/** That of the service itself. */
const home = made({ id: 9, key: '10.77.0.0/24', cidr: '10.77.0.0/24', vlan: null, gateway: null, pool: null });
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
  box,
  model: 'farrow/fr9',
  duty: null,
  site: 'ske',
  dialectName: 'furrow',
  sheet: { title: 'Furrow', boot: { file: '{device}.cfg', always: [] as number[] } } as DialectSheet,
  edition: { id: 70, number: 3 },
  window: { until: NOW + 1000, word: 'once', legs: 0 },
};

const lookWith = (more: Partial<Look> = {}, links: readonly Link[] = [link, home]): Look => ({
  server: SERVER,
  linksAround: (address) => links.filter((one) => holds(one, ipv4Number(address) ?? 0)),
  wireOf: (one) => [one, ...links.filter(({ id, vlan }) => id !== one.id && vlan !== null && vlan === one.vlan)],
  deviceAt: () => undefined,
  boxOfSerial: (serial) => (serial === box.serial ? box : undefined),
  ownerOf: (mac): MacOwner | undefined => (mac === MAC ? { box } : undefined),
  device: (id) => (id === 7 ? device : undefined),
  leases: new LeaseTable(),
  profileOf: ({ sheet }) => profileOfSheet(1, sheet),
  strangerProfile: () => undefined,
  settingsOf: () => new Map(),
  ownOptions: [],
  urlOf: (transport, word, file) => `${transport}://${SERVER}/file/${word}/${file}`,
  mayBeListed: () => true,
  serialsIn: () => [],
  away: false,
  partial: false,
  ...more,
});

const held = (address: string, more: Partial<Held> = {}): Held => ({
  vrf: 1,
  address: ipv4Number(address) ?? 0,
  prefix: 1,
  source: 'pool',
  word: MAC,
  mac: MAC,
  device: 7,
  expires: NOW + 60_000,
  acknowledged: true,
  heard: NOW - 5000,
  kept: NOW + 60_000,
  ...more,
});
const leased = (...rows: Held[]): LeaseTable => {
  const table = new LeaseTable();
  for (const row of rows) table.put(row);
  return table;
};

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

const sourceOf = (message: Message): string =>
  message.relayAddress === '0.0.0.0' ? message.clientAddress : message.relayAddress;
const decided = (message: Message, more: Partial<Look> = {}, source = sourceOf(message), links?: readonly Link[]) =>
  decide(lookWith(more, links), message, { source, broadcast: false }, NOW);
/** The option of a reply, in hexadecimal. */
const hexIn = (decision: Decision, code: number): string =>
  Buffer.from(decision.reply?.message.options.get(code) ?? []).toString('hex');

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
    expect(without({ window: { until: NOW, word: 'once', legs: 0 } })).to.equal('its arrival window is closed');
    expect(without({ window: { until: NOW + 1, word: 'once', legs: 0 } })).to.equal(null);
    expect(without({ sheet: undefined })).to.match(/dialect furrow boots/);
  });

  it('takes from the pool where the device has no address of its own there, and says when that is empty', () => {
    const away = { device: () => ({ ...device, addresses: device.addresses.filter((a) => a.prefix === 2) }) };
    expect(decided(packet('DISCOVER'), away).told?.address).to.match(/^10\.77\.16\.20[0-3]$/);
    const full = leased(...[200, 201, 202, 203].map((n) => held(`10.77.16.${n}`, { word: `x${n}`, device: null })));
    const none = decided(packet('DISCOVER'), { ...away, leases: full });
    expect(none).to.deep.include({ outcome: 'refused' });
    expect(none.lease).to.equal(undefined);
    expect(none.arrival?.map(({ event }) => event.kind)).to.deep.equal(['discover', 'unanswered']);
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
    const unknown = decided(packet('DISCOVER', { serial: 'FR9-0009' }), { serialsIn: () => ['FR9-0009'] });
    expect(unknown.stranger?.conflict).to.match(/it says serial FR9-0009, but MAC .* is that of box FR9-0001/);
    const elsewhere = decided(packet('DISCOVER', { serial: 'FR9-0001', mac: '02:00:5e:77:00:99' }));
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
    const taken = leased(held('10.77.16.250', { word: 'y', device: null, source: 'quarantine' }));
    const full = decided(packet('DISCOVER', stranger), { leases: taken });
    expect([full.outcome, full.stranger?.address]).to.deep.equal(['dropped', null]);
  });

  it('believes a relay that is declared, from an address of its device', () => {
    const far = { relay: '10.77.16.9' };
    expect(decided(packet('DISCOVER', far)).detail).to.match(/relay 10.77.16.9 is not declared/);
    const on = (address: string) => (['10.77.16.9', '10.77.16.10'].includes(address) ? 3 : undefined);
    expect(decided(packet('DISCOVER', far), { deviceAt: on }, '10.77.16.10').outcome).to.equal('answered');
    const lie = decided(packet('DISCOVER', far), { deviceAt: on }, '10.77.16.66');
    expect(lie).to.deep.include({ outcome: 'counted' });
    expect(lie.refusedRelay).to.deep.equal({ relay: '10.77.16.9', source: '10.77.16.66' });
    expect(decided(packet('DISCOVER', { relay: '10.88.0.1' })).detail).to.match(/no prefix .* holds 10.88.0.1/);
  });

  it('takes back only what the client holds', () => {
    const back = (row: Held) => decided(packet('RELEASE', { address: '10.77.16.21' }), { leases: leased(row) });
    const his = held('10.77.16.21', { source: 'fixed' });
    const given = { verb: 'released', address: '10.77.16.21', vrf: 1, prefix: 1, source: 'fixed' };
    expect(back(his).given).to.deep.equal(given);
    expect(back({ ...his, device: 8 })).to.deep.include({ outcome: 'dropped' });
    expect(back({ ...his, acknowledged: false })).to.deep.include({ outcome: 'dropped' });
    const declined = decided(packet('DECLINE', { wanted: '10.77.16.21' }));
    expect(declined.given).to.deep.equal({ ...given, verb: 'declined' });
    // RFC 2131, 4.4.4 and 4.4.6: what another server gave is nothing of ours.
    for (const type of ['RELEASE', 'DECLINE'] as const) {
      const to = packet(type, { address: '10.77.16.21', wanted: '10.77.16.21', server: '10.77.0.9' });
      const other = decided(to, { leases: leased(his) });
      expect([other.outcome, other.given, other.detail]).to.deep.equal([
        'dropped',
        undefined,
        'it speaks to another server, 10.77.0.9',
      ]);
    }
  });

  it('leaves an address alone at which its device found somebody else, and says how that is ended', () => {
    const somebody = held('10.77.16.21', { source: 'declined', word: '', device: null });
    const next = decided(packet('DISCOVER'), { leases: leased(somebody) });
    expect(next.told?.address).to.equal('10.77.16.40');
    const both = leased(somebody, held('10.77.16.40', { source: 'declined', word: '', device: null }));
    const alone = { device: () => ({ ...device, addresses: device.addresses.slice(0, 2) }) };
    const pooled = decided(packet('DISCOVER'), { ...alone, leases: both });
    expect(pooled.offer?.source).to.equal('pool');
    const dry = [made({ pool: null }), home];
    const none = decided(packet('DISCOVER'), { leases: both }, RELAY, dry);
    expect([none.outcome, none.detail]).to.deep.equal([
      'refused',
      'ske-acc-1 found somebody else at 10.77.16.21, which is its own: it is left alone until 10:01 UTC; zpine lease end 10.77.16.21',
    ]);
    const later = decide(
      lookWith({ leases: both }),
      packet('DISCOVER'),
      { source: RELAY, broadcast: false },
      NOW + 60_000,
    );
    expect(later.told?.address).to.equal('10.77.16.21');
  });

  it('renews what comes straight from behind a router, by the address that the client has (RFC 2131, 4.3.2)', () => {
    const renewal = packet('REQUEST', { relay: '0.0.0.0', address: '10.77.16.21' });
    const ack = decided(renewal);
    expect([ack.outcome, ack.link?.key]).to.deep.equal(['answered', link.key]);
    expect(ack.out?.destination).to.deep.equal({ to: 'client', address: '10.77.16.21', port: 68 });
    // The routers are those of its own network, also where it only asks for parameters.
    const informed = decided(packet('INFORM', { relay: '0.0.0.0', address: '10.77.16.66' }));
    expect([hexIn(informed, 3), hexIn(informed, 1)]).to.deep.equal(['0a4d1001', 'ffffff00']);
    const wrong = decided(packet('REQUEST', { relay: '0.0.0.0', address: '10.77.16.99' }));
    expect(wrong.outcome).to.equal('refused');
    expect(wrong.out?.destination).to.deep.equal({ to: 'client', address: '10.77.16.99', port: 68 });
    expect(decided(renewal, {}, '10.77.16.50').outcome).to.equal('counted');
    const nowhere = decided(packet('REQUEST', { relay: '0.0.0.0', address: '10.99.0.1' }));
    expect(nowhere.detail).to.equal('no prefix of the records holds 10.99.0.1, which it says it has');
  });

  it('takes a broadcast on its own wire for one of that wire, whatever address the client says it has', () => {
    const rebinding = packet('REQUEST', { relay: '0.0.0.0', address: '10.77.16.21' });
    const heard = { source: '0.0.0.0', broadcast: true };
    const decision = decide(lookWith(), rebinding, heard, NOW);
    expect([decision.link?.key, decision.outcome]).to.deep.equal([home.key, 'refused']);
  });

  it('is silent to clients that nothing is known of (RFC 2131, 4.3.2)', () => {
    const stranger = { mac: '02:00:5e:77:00:99' };
    for (const asked of [{ wanted: '10.77.16.77' }, { address: '10.77.16.77' }]) {
      const decision = decided(packet('REQUEST', { ...stranger, ...asked }));
      expect([decision.outcome, decision.out]).to.deep.equal(['counted', undefined]);
    }
    const own = held('10.77.16.250', { source: 'quarantine', word: stranger.mac, device: null });
    const keeps = (wanted: string) =>
      decided(packet('REQUEST', { ...stranger, wanted }), { leases: leased(own) }).outcome;
    expect([keeps('10.77.16.250'), keeps('10.77.16.77')]).to.deep.equal(['answered', 'refused']);
  });

  it('takes nobody for a stranger as long as not all devices are read', () => {
    const stranger = decided(packet('DISCOVER', { mac: '02:00:5e:77:00:99' }), { partial: true });
    expect([stranger.outcome, stranger.out]).to.deep.equal(['counted', undefined]);
    expect(decided(packet('DISCOVER'), { partial: true }).outcome).to.equal('answered');
  });

  it('leaves strangers of a shared prefix to the other server, and answers devices', () => {
    const shared = [made({ answers: 'known' }), home];
    const stranger = decided(packet('DISCOVER', { mac: '02:00:5e:77:00:99' }), {}, RELAY, shared);
    expect([stranger.outcome, stranger.out]).to.deep.equal(['counted', undefined]);
    expect(decided(packet('DISCOVER'), {}, RELAY, shared).outcome).to.equal('answered');
  });

  it('takes a known MAC for its device, whatever text its identifier holds', () => {
    for (const serial of ['vendor-0200.5e77.0001-Vl1', 'FR9-0001\u0000'])
      expect(decided(packet('DISCOVER', { serial })).device?.key, serial).to.equal('ske-acc-1');
    const bySerial = decided(packet('DISCOVER', { serial: 'FR9-0001\u0000\u0000' }), {
      ownerOf: () => undefined,
      boxOfSerial: (serial) => (serial === 'FR9-0001' ? { ...box, mac: null } : undefined),
    });
    expect(bySerial.device?.key).to.equal('ske-acc-1');
    // The base MAC in the identifier, that of a port in front of it.
    const port = packet('DISCOVER', {
      mac: '02:00:5e:77:00:55',
      options: [[61, Uint8Array.of(1, 2, 0, 0x5e, 0x77, 0, 1)]],
    });
    expect(decided(port).device?.key).to.equal('ske-acc-1');
  });

  it('gives a device one lease of a pool, whichever of its identities it shows', () => {
    const pooled = { device: () => ({ ...device, addresses: [] }), leases: leased(held('10.77.16.202')) };
    const byMac = decided(packet('DISCOVER'), pooled);
    const bySerial = decided(packet('REQUEST', { serial: 'FR9-0001', wanted: '10.77.16.202' }), pooled);
    expect([byMac.told?.address, bySerial.told?.address, bySerial.outcome]).to.deep.equal([
      '10.77.16.202',
      '10.77.16.202',
      'answered',
    ]);
  });

  it('tells clients without a hardware address apart by their identifiers', () => {
    const id = (byte: number): [number, Uint8Array][] => [[61, Uint8Array.of(255, 0, 0, 0, byte)]];
    const words = [1, 2].map((byte) => decided(packet('DISCOVER', { mac: '', options: id(byte) })).client.word);
    expect(words).to.deep.equal(['id ff00000001', 'id ff00000002']);
  });

  it('gives the address that was asked for, where it is free in the pool', () => {
    const none = { device: () => ({ ...device, addresses: [] }) };
    const asking = packet('DISCOVER', { wanted: '10.77.16.203' });
    expect(decided(asking, none).told?.address).to.equal('10.77.16.203');
    const taken = leased(held('10.77.16.203', { word: 'z', device: 8 }));
    expect(decided(asking, { ...none, leases: taken }).told?.address).to.not.equal('10.77.16.203');
  });

  it('believes nothing of a packet in which an option is malformed', () => {
    for (const [code, bytes, words] of [
      [50, [10, 77, 16], 'option 50 (requested-address) cannot be read: it has 3 bytes, and should have 4'],
      [52, [4], 'option 52 (overload) cannot be read: it is 1, 2 or 3'],
      [61, [7], 'option 61 (client-identifier) cannot be read: it has two bytes at least'],
      [82, [1, 9, 65], 'option 82 (relay-agent-information) cannot be read: its sub-options do not come out even'],
    ] as const) {
      const decision = decided(packet('DISCOVER', { options: [[code, Uint8Array.from(bytes)]] }));
      expect([decision.outcome, decision.detail]).to.deep.equal(['dropped', words]);
    }
    expect(decided(packet('LEASEACTIVE')).detail).to.equal('a LEASEACTIVE is no question of a booting client');
  });

  it('finds the VRF of a relay by the prefix whose gateway it is', () => {
    const mgmt = made(
      { id: 2, key: '10.77.64.0/24@mgmt', cidr: '10.77.64.0/24', vrf: 4, gateway: '10.77.64.1' },
      'mgmt',
    );
    const around = made({ id: 3, key: '10.77.0.0/16', cidr: '10.77.0.0/16', gateway: null, pool: null });
    const own = {
      device: () => ({
        ...device,
        addresses: [{ address: '10.77.64.9', prefix: 2, interface: 'm', management: true }],
      }),
    };
    const links = [around, mgmt];
    const ack = decided(packet('DISCOVER', { relay: '10.77.64.1' }), own, '10.77.64.1', links);
    expect([ack.link?.key, ack.told?.address, ack.out?.vrf]).to.deep.equal([mgmt.key, '10.77.64.9', 'mgmt']);
    // A renewal from there comes without its relay: the address that is the device's own tells which VRF.
    const renewed = decided(packet('REQUEST', { relay: '0.0.0.0', address: '10.77.64.9' }), own, undefined, links);
    expect([renewed.link?.key, renewed.outcome]).to.deep.equal([mgmt.key, 'answered']);
  });

  it('looks for addresses in all prefixes of the wire, and tells what belongs to the one it found', () => {
    const second = made({ id: 5, key: '10.77.33.0/24', cidr: '10.77.33.0/24', gateway: '10.77.33.1', pool: null });
    const own = {
      device: () => ({
        ...device,
        addresses: [{ address: '10.77.33.60', prefix: 5, interface: 'm', management: true }],
      }),
    };
    const offer = decided(packet('DISCOVER'), own, RELAY, [link, second]);
    expect([offer.told?.address, hexIn(offer, 3)]).to.deep.equal(['10.77.33.60', '0a4d2101']);
  });

  it('goes by the network that a relay selects, and is known by the address that a relay gives it', () => {
    const relayed = (sub: number[], more: Asked = {}) =>
      packet('DISCOVER', {
        relay: '10.77.99.9',
        ...more,
        options: [[82, Uint8Array.from(sub)], ...(more.options ?? [])],
      });
    const listedRelay = [made({ relays: '10.77.99.9' }), home];
    // RFC 3527: sub-option 5.
    const selects = [5, 4, 10, 77, 16, 0];
    const offer = decided(relayed(selects), {}, '10.77.99.9', listedRelay);
    expect([offer.link?.key, offer.told?.address]).to.deep.equal([link.key, '10.77.16.21']);
    // RFC 3011, and that RFC 3527 goes before it.
    const subnet: [number, Uint8Array] = [118, Uint8Array.of(10, 77, 0, 0)];
    expect(decided(relayed(selects, { options: [subnet] }), {}, '10.77.99.9', listedRelay).link?.key).to.equal(
      link.key,
    );
    // RFC 5107: sub-option 11.
    const override = [...selects, 11, 4, 10, 77, 99, 9];
    const known = decided(relayed(override), {}, '10.77.99.9', listedRelay);
    expect(hexIn(known, 54)).to.equal('0a4d6309');
    const taken = { ...relayed(override, { server: '10.77.99.9', wanted: '10.77.16.21' }) };
    taken.options.set(53, Uint8Array.of(3));
    expect(decided(taken, {}, '10.77.99.9', listedRelay).outcome).to.equal('answered');
    // What a relay that nobody declared selects is nothing to go by.
    expect(decided(relayed(selects), {}, '10.77.99.9').detail).to.match(/relay 10.77.99.9 is not declared/);
  });

  it('promises nothing new while the database is away, and no more of a lease than what was kept of it', () => {
    expect(decided(packet('DISCOVER'), { away: true }).lease).to.deep.equal({ seconds: 600, acknowledged: false });
    const none = { device: () => ({ ...device, addresses: [] }), away: true };
    expect(decided(packet('DISCOVER'), none).outcome).to.equal('refused');
    const kept = { ...none, leases: leased(held('10.77.16.201', { kept: NOW + 45_500 })) };
    const ack = decided(packet('REQUEST', { address: '10.77.16.201' }), kept);
    expect([ack.lease?.seconds, hexIn(ack, 51)]).to.deep.equal([45, '0000002d']);
    const over = { ...none, leases: leased(held('10.77.16.201', { kept: NOW })) };
    expect(decided(packet('REQUEST', { address: '10.77.16.201' }), over).out).to.equal(undefined);
  });

  describe('of a relay that asks who has a lease (RFC 4388)', () => {
    const table = leased(
      held('10.77.16.201', { mac: MAC }),
      held('10.77.16.202', { mac: MAC, heard: NOW - 9000 }),
      held('10.77.16.203', { word: 'over', device: null, expires: NOW - 1 }),
    );
    const query = (asked: Asked, source = RELAY) => {
      const decision = decided(packet('LEASEQUERY', { mac: '', ...asked }), { leases: table }, source);
      const reply = decision.out && decodeMessage(decision.out.bytes);
      const message = reply?.ok ? reply.value : undefined;
      const type = message && typeOfMessage(message);
      const hex = (code: number) => Buffer.from(message?.options.get(code) ?? []).toString('hex');
      return { decision, message, type: type?.ok ? type.value : undefined, hex };
    };
    it('tells by address how long it is leased, to whom, and when that was heard of last', () => {
      const { message, type, hex, decision } = query({ address: '10.77.16.201' });
      expect(type).to.equal('LEASEACTIVE');
      expect([message?.hardwareAddress, message?.clientAddress]).to.deep.equal([MAC, '10.77.16.201']);
      // 60 s are left; heard 5 s ago.
      expect([hex(51), hex(91), hex(92)]).to.deep.equal(['0000003c', '00000005', '']);
      expect(decision.out?.destination).to.deep.equal({ to: 'relay', address: RELAY, port: 67 });
    });
    it('tells by hardware address the newest, with all others', () => {
      const { message, type, hex } = query({ mac: MAC });
      expect([type, message?.clientAddress]).to.deep.equal(['LEASEACTIVE', '10.77.16.201']);
      expect(hex(92)).to.equal('0a4d10c9' + '0a4d10ca');
    });
    it('keeps apart what is leased to nobody, and what is not known here', () => {
      expect(query({ address: '10.77.16.203' }).type).to.equal('LEASEUNASSIGNED');
      expect(query({ address: '10.99.1.1' }).type).to.equal('LEASEUNKNOWN');
      expect(query({ mac: '02:00:5e:77:00:99' }).type).to.equal('LEASEUNKNOWN');
      expect(query({ serial: 'nobody' }).type).to.equal('LEASEUNKNOWN');
    });
    it('answers nothing to who asks for two things, is no relay, or none that is declared', () => {
      expect(query({ mac: MAC, address: '10.77.16.201' }).decision.out).to.equal(undefined);
      expect(query({ relay: '0.0.0.0', address: '10.77.16.201' }, '10.77.16.201').decision.out).to.equal(undefined);
      expect(query({ relay: '10.77.16.9', address: '10.77.16.201' }, '10.77.16.9').decision.out).to.equal(undefined);
    });
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
      'LEASEQUERY',
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
