/** Rules of the RFCs that a network would notice, each by packets over real sockets. */
import { expect } from 'chai';
import { eventually } from '../../trials/eventually.ts';
import { hexOf, kindOf, Packets, RELAY, type Asking } from './asking.ts';
import { another, onboarding, prepare, type Onboarding } from './bench.ts';

const SERVER = '10.77.0.10';
const text = (words: string): Uint8Array => new TextEncoder().encode(words);

describe('rules that a DHCP server is held to', () => {
  let o: Onboarding;
  let packets: Packets;
  before(async function () {
    this.timeout(60_000);
    o = await onboarding();
    packets = new Packets(o);
  });
  after(() => o.end());

  /** A device with a box and an address of its own, which it was acknowledged. */
  async function booted(relay = RELAY): Promise<{ device: string; mac: string; serial: string; address: string }> {
    const { device } = await another(o, [], relay);
    await prepare(o, device);
    const [box] = (await o.client.list('box', { device })).items;
    const who = { mac: String(box?.mac), serial: String(box?.serial) };
    const address = (await packets.ask({ ...who, relay }))?.yourAddress ?? '';
    expect(kindOf(await packets.ask({ ...who, relay, type: 'REQUEST', wanted: address, server: SERVER }))).to.equal(
      'ACK',
    );
    return { device, ...who, address };
  }
  const detailOf = async (what: string) => (await packets.records()).find((one) => one.what === what)?.detail;

  it('renews by unicast from behind a router, with what belongs to the network of the client (RFC 2131, 4.3.2)', async () => {
    const { mac, address } = await booted();
    const ack = await packets.askFrom(address, { mac, type: 'REQUEST' });
    expect([kindOf(ack), ack?.yourAddress]).to.deep.equal(['ACK', address]);
    const informed = await packets.askFrom(address, { mac, type: 'INFORM' });
    expect([kindOf(informed), hexOf(informed, 3), hexOf(informed, 51)]).to.deep.equal(['ACK', '0a4d4001', '']);
    // What is not its own is told to itself, and to nobody else.
    const nak = await packets.askFrom('10.77.64.99', { mac, type: 'REQUEST' });
    expect(kindOf(nak)).to.equal('NAK');
  });

  it('says nothing to clients of other servers (4.3.2), also where there is a quarantine pool', async () => {
    const mac = '02:00:00:00:cc:01';
    expect(kindOf(await packets.ask({ mac }))).to.equal('OFFER');
    const other = { mac: '02:00:00:00:cc:02', type: 'REQUEST' as const };
    expect(kindOf(await packets.ask({ ...other, wanted: '10.77.64.77' }))).to.equal('silence');
    expect(kindOf(await packets.ask({ ...other, client: '10.77.64.77' }))).to.equal('silence');
  });

  it('leaves all strangers of a shared prefix to the other server, and answers devices', async () => {
    const { mac, serial } = await booted();
    await o.client.edit('prefix', '10.77.64.0/24', { answers: 'known' });
    expect(kindOf(await packets.ask({ mac: '02:00:00:00:cc:03' }))).to.equal('silence');
    expect(kindOf(await packets.ask({ mac, serial }))).to.equal('OFFER');
    await o.client.edit('prefix', '10.77.64.0/24', { answers: 'all' });
    expect(kindOf(await packets.ask({ mac: '02:00:00:00:cc:03' }))).to.equal('OFFER');
  });

  it('knows a MAC whatever its identifier says, and a serial with a NUL behind it', async () => {
    const { mac, serial, address } = await booted();
    const shows = async (bytes: Uint8Array, hardware = mac) =>
      (await packets.ask({ mac: hardware, more: [[61, bytes]] }))?.yourAddress;
    expect(await shows(Uint8Array.of(0, ...text('vendor-0200.5e77.0001-Vl1')))).to.equal(address);
    expect(await shows(Uint8Array.of(0, ...text(serial), 0))).to.equal(address);
    // The base MAC in the identifier, that of a port in front of it.
    const base = Uint8Array.from(mac.split(':').map((pair) => parseInt(pair, 16)));
    expect(await shows(Uint8Array.of(1, ...base), '02:00:00:00:cc:10')).to.equal(address);
  });

  it('gives a device one lease of a pool, by whichever of its identities', async () => {
    const { device, mac, serial } = await booted();
    const key = (await o.client.call('device.overview', { params: { ref: device } })).management?.address ?? '';
    await o.client.edit('prefix', '10.77.64.0/24', { pool: '10.77.64.200-10.77.64.220' });
    await o.client.remove('address', key);
    const offered = async (asking: Asking) => (await packets.ask(asking))?.yourAddress;
    const first = await offered({ mac });
    expect(first).to.match(/^10\.77\.64\.2[012]\d$/);
    const taken = await packets.ask({ mac, type: 'REQUEST', wanted: first ?? '', server: SERVER });
    expect(kindOf(taken)).to.equal('ACK');
    expect(await offered({ mac, serial })).to.equal(first);
    expect(kindOf(await packets.ask({ mac, serial, type: 'REQUEST', wanted: first ?? '' }))).to.equal('ACK');
    await o.client.edit('prefix', '10.77.64.0/24', { pool: null });
  });

  it('answers although not all that is asked for has room, and says what was left out', async () => {
    const { device, mac, serial } = await booted();
    const servers = Array.from({ length: 75 }, (_, i) => `10.77.1.${i + 1}`);
    await o.client.call('value.put', {
      body: { setting: 'name.servers', layer: 'device', of: device, mode: 'set', value: servers },
    });
    const offer = await packets.ask({ mac, serial });
    expect([kindOf(offer), hexOf(offer, 6)]).to.deep.equal(['OFFER', '']);
    expect(hexOf(offer, 67)).to.not.equal('');
    expect(await detailOf('DISCOVER')).to.contain(
      'without name-servers (6): no room: the client takes messages of 576 bytes',
    );
    const roomy = await packets.ask({ mac, serial, more: [[57, Uint8Array.of(0x05, 0xdc)]] });
    expect(hexOf(roomy, 6)).to.have.length(600);
    const long = Uint8Array.from([1, 253, ...new Array<number>(253).fill(65)]);
    expect(kindOf(await packets.ask({ mac, serial, more: [[82, long]] }))).to.equal('OFFER');
  });

  it('leaves a fixed address alone at which somebody else is, tells why, and until when', async () => {
    const { device, mac, serial, address } = await booted();
    await packets.ask({ mac, serial, type: 'DECLINE', wanted: address, server: '10.77.16.99' });
    expect((await packets.ask({ mac, serial }))?.yourAddress).to.equal(address);
    await packets.ask({ mac, serial, type: 'DECLINE', wanted: address, server: SERVER });
    expect(kindOf(await packets.ask({ mac, serial }))).to.equal('silence');
    expect(await detailOf('DISCOVER')).to.match(
      new RegExp(
        `^${device} found somebody else at ${address.replaceAll('.', '\\.')}, which is its own: it is left alone until`,
      ),
    );
    const told = await o.client.call('device.dhcp', { params: { ref: device } });
    expect(told.silent).to.contain(`zpine lease end ${address}`);
  });

  it('ignores what is given back to another server (4.4.6)', async () => {
    const mac = '02:00:00:00:cc:20';
    const address = (await packets.ask({ mac }))?.yourAddress ?? '';
    expect(kindOf(await packets.ask({ mac, type: 'REQUEST', wanted: address, server: SERVER }))).to.equal('ACK');
    await packets.ask({ mac, type: 'RELEASE', client: address, server: '10.77.16.99' });
    expect(await detailOf('RELEASE')).to.equal('it speaks to another server, 10.77.16.99');
    expect((await packets.ask({ mac, type: 'REQUEST', wanted: address }))?.yourAddress).to.equal(address);
  });

  it('tells clients without a hardware address apart', async () => {
    const offered = async (byte: number) =>
      (await packets.ask({ mac: '', more: [[61, Uint8Array.of(255, 0, 0, 0, byte)]] }))?.yourAddress;
    const [one, other] = [await offered(1), await offered(2)];
    expect(one).to.be.a('string').and.not.equal(other);
    expect(await offered(1)).to.equal(one);
  });

  it('drops packets in which an option is malformed, and says which', async () => {
    const { mac, serial } = await booted();
    const bad = await packets.ask({ mac, serial, type: 'REQUEST', more: [[50, Uint8Array.of(10, 77, 64)]] });
    expect(kindOf(bad)).to.equal('silence');
    expect(await detailOf('REQUEST')).to.equal(
      'option 50 (requested-address) cannot be read: it has 3 bytes, and should have 4',
    );
    expect(kindOf(await packets.ask({ mac, serial, more: [[82, Uint8Array.of(1, 9, 65)]] }))).to.equal('silence');
    expect(kindOf(await packets.ask({ mac, serial, type: 'LEASEACTIVE' }))).to.equal('silence');
    expect(await detailOf('LEASEACTIVE')).to.equal('a LEASEACTIVE is no question of a booting client');
  });

  it('serves a management VRF whose relay is the gateway there', async () => {
    await o.client.add('vrf', { name: 'shore' });
    const prefix = await o.client.add('prefix', {
      cidr: '10.77.98.0/24',
      vrf: 'shore',
      gateway: '10.77.98.1',
      site: 'mos',
    });
    const { device } = await another(o);
    const [box] = (await o.client.list('box', { device })).items;
    const old = (await o.client.call('device.overview', { params: { ref: device } })).management;
    await o.client.remove('address', old?.address ?? '');
    const on = String((await o.client.show('device', device)).management);
    await o.client.edit('interface', on, { vrf: 'shore' });
    await o.client.add('address', { address: '10.77.98.9', vrf: 'shore', interface: on });
    const asking = { mac: String(box?.mac), serial: String(box?.serial), relay: '10.77.98.1' };
    const offer = await eventually('the device is served there', async () => packets.ask(asking));
    expect([offer.yourAddress, hexOf(offer, 3)]).to.deep.equal(['10.77.98.9', '0a4d6201']);
    const told = await o.client.call('device.dhcp', { params: { ref: device } });
    expect([told.prefix, told.address]).to.deep.equal([prefix.key, '10.77.98.9']);
  });

  it('goes by the network that a declared relay selects, and lets it be the server (RFC 3527, RFC 5107)', async () => {
    const { mac, serial, address } = await booted();
    const bytes = [5, 4, 10, 77, 64, 0, 11, 4, 10, 77, 99, 9];
    const asking: Asking = { mac, serial, relay: '10.77.99.9', more: [[82, Uint8Array.from(bytes)]] };
    expect(kindOf(await packets.ask(asking))).to.equal('silence');
    await o.client.edit('prefix', '10.77.64.0/24', { relays: '10.77.99.9' });
    const offer = await packets.ask(asking);
    expect([offer?.yourAddress, hexOf(offer, 54)]).to.deep.equal([address, '0a4d6309']);
    const request = { ...asking, type: 'REQUEST' as const, wanted: address, server: '10.77.99.9' };
    expect(kindOf(await packets.ask(request))).to.equal('ACK');
    await o.client.edit('prefix', '10.77.64.0/24', { relays: null });
  });
});
