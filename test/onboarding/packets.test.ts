import { createSocket } from 'node:dgram';
import { execFile } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { expect } from 'chai';
import { encodeMessage, type MessageType } from '@zpine/core/dhcp/message';
import { mustParse } from '@zpine/core/fault';
import { ipv4Text } from '@zpine/core/dhcp/ipv4';
import { decodePacket, encodePacket } from '@zpine/core/tftp/packet';
import { kindOf, message, Packets, RELAY, type Asking } from './asking.ts';
import { another, newest, onboarding, prepare, type Onboarding } from './bench.ts';

const run = promisify(execFile);

describe('packets of booting clients', () => {
  let o: Onboarding;
  let packets: Packets;
  before(async function () {
    this.timeout(60_000);
    o = await onboarding();
    packets = new Packets(o);
  });
  after(() => o.end());

  const tell: Packets['tell'] = (...told) => packets.tell(...told);
  const ask = (asking: Asking) => packets.ask(asking);
  const hardwareOf = async (device: string): Promise<{ mac: string; serial: string }> => {
    const [box] = (await o.client.list('box', { device })).items;
    return { mac: String(box?.mac), serial: String(box?.serial) };
  };
  const records = () => packets.records();
  /** The last packet that was read; packets that were counted are told of some seconds later, between others. */
  const lastRecord = async () => (await records()).find(({ what }) => what !== 'packet');
  const lastCounted = async () => (await records()).find(({ what }) => what === 'packet');

  it('get every option that was asked for, by the bytes of the RFCs', async () => {
    const { device } = await another(o);
    await prepare(o, device);
    const box = (await o.client.list('box', { device })).items[0];
    const offer = await ask({ mac: String(box?.mac), serial: String(box?.serial) });
    expect(kindOf(offer)).to.equal('OFFER');
    const hex = (code: number) => Buffer.from(offer?.options.get(code) ?? []).toString('hex');
    const management = (await o.client.call('device.overview', { params: { ref: device } })).management?.address;
    expect(offer?.yourAddress).to.equal(management);
    expect(hex(1)).to.equal('ffffff00');
    expect(hex(3)).to.equal('0a4d4001');
    expect(hex(6)).to.equal('0a4d0006');
    expect(Buffer.from(hex(12), 'hex').toString()).to.equal(device);
    expect(Buffer.from(hex(15), 'hex').toString()).to.equal('brackwater.example');
    expect(hex(42)).to.equal('0a4d00050a4d0006');
    expect(hex(51)).to.equal('00000e10');
    expect(hex(54)).to.equal('0a4d000a');
    expect(Buffer.from(hex(66), 'hex').toString()).to.equal('10.77.0.10');
    expect(Buffer.from(hex(67), 'hex').toString()).to.equal(`${device}.furrow`);
    expect(hex(150)).to.equal('0a4d000a');
    // RFC 6842: the identifier comes back; the fixed fields carry server and file, too.
    expect(hex(61)).to.equal(Buffer.from([0, ...Buffer.from(String(box?.serial))]).toString('hex'));
    expect(offer).to.include({ serverAddress: '10.77.0.10', file: `${device}.furrow`, relayAddress: RELAY });
    const told = await o.client.call('device.dhcp', { params: { ref: device } });
    for (const code of [1, 3, 6, 12, 15, 42, 51, 54, 66, 67, 150]) {
      expect(told.options.find((t) => t.code === code)?.bytes.replaceAll(' ', ''), `option ${code}`).to.equal(
        hex(code),
      );
    }
  });

  it('that cannot be read are dropped, and the reason is kept', async () => {
    expect(await tell(Uint8Array.of(1, 2, 3), RELAY, 200)).to.equal(undefined);
    expect(await lastCounted()).to.include({ protocol: 'dhcp', outcome: 'dropped', address: RELAY });
    expect((await lastCounted())?.detail).to.equal('3 bytes are no DHCP message: the least is 240');
    const bytes = encodeMessage(message({}));
    if (!bytes.ok) throw new Error(bytes.fault.code);
    // The option field ends in the middle of an option.
    const cut = Uint8Array.from([...bytes.value.subarray(0, 240), 12, 200, 1]);
    expect(await tell(cut, RELAY, 200)).to.equal(undefined);
    expect((await lastCounted())?.detail).to.equal('option 12 is longer than what is left');
  });

  it('from a relay that nobody declared get no answer', async () => {
    expect(await ask({ relay: '10.77.64.77' })).to.equal(undefined);
    expect((await lastRecord())?.detail).to.match(/relay 10.77.64.77 is not declared/);
  });

  it('that say they are from a relay and come from elsewhere take nothing away, and are told of with a remedy', async () => {
    const { device } = await another(o);
    await prepare(o, device);
    const hardware = await hardwareOf(device);
    const say = (type: MessageType, more: Asking = {}) =>
      encodeMessage(message({ type, mac: hardware.mac, serial: hardware.serial, ...more }));
    const offer = await tell(mustParse(say('DISCOVER')));
    const wanted = offer?.yourAddress ?? '';
    expect(await tell(mustParse(say('REQUEST', { wanted, server: '10.77.0.10' })))).to.include({ yourAddress: wanted });
    const spoofer = '10.77.99.9';
    for (const type of ['DISCOVER', 'RELEASE'] as const)
      expect(await tell(mustParse(say(type, { client: type === 'RELEASE' ? wanted : '0.0.0.0' })), spoofer)).to.equal(
        undefined,
      );
    const file = await o.client.call('device.dhcp', { params: { ref: device }, query: {} });
    expect(file.device).to.equal(device);
    const again = await tell(mustParse(say('REQUEST', { wanted, server: '10.77.0.10' })));
    expect(again?.yourAddress).to.equal(wanted);
    const item = async () =>
      (await o.client.call('today')).items.find(({ code, detail }) => code === 'relay' && detail.includes(spoofer));
    const told = await item();
    expect(told?.detail).to.contain(spoofer).and.to.contain(RELAY);
    expect(told?.command).to.equal(`zpine prefix edit 10.77.64.0/24 --relays '${spoofer}'`);
    await o.client.edit('prefix', '10.77.64.0/24', { relays: spoofer });
    expect(await item()).to.equal(undefined);
    // The answer goes to the relay that it names.
    await tell(mustParse(say('DISCOVER')), spoofer);
    expect(await lastRecord()).to.include({ outcome: 'answered', device });
    await o.client.edit('prefix', '10.77.64.0/24', { relays: null });
  });

  it('that show the identity of a device which holds its lease at another site get none, and take none away', async () => {
    const { device } = await another(o);
    await prepare(o, device);
    const { mac, serial } = await hardwareOf(device);
    const ask = (type: MessageType, more: Asking = {}) =>
      mustParse(encodeMessage(message({ type, mac, serial, ...more })));
    const wanted = (await tell(ask('DISCOVER')))?.yourAddress ?? '';
    await tell(ask('REQUEST', { wanted, server: '10.77.0.10' }));
    expect(await tell(ask('DISCOVER', { relay: '10.77.16.1' }), '10.77.16.1')).to.equal(undefined);
    const { items } = await o.client.call('stranger.list', { query: {} });
    expect(items.find((one) => one.serial === serial)?.conflict)
      .to.contain(`the identity of ${device}`)
      .and.to.contain(wanted);
    expect((await tell(ask('REQUEST', { wanted, server: '10.77.0.10' })))?.yourAddress).to.equal(wanted);
  });

  it('of two devices with one MAC get no configuration, and the contradiction is shown', async () => {
    const { device } = await another(o);
    await prepare(o, device);
    const box = (await o.client.list('box', { device })).items[0];
    expect(kindOf(await ask({ mac: String(box?.mac), serial: String(box?.serial) }))).to.equal('OFFER');
    expect(await ask({ mac: String(box?.mac), serial: 'LF24-0000-00' })).to.equal(undefined);
    const { items } = await o.client.call('stranger.list', { query: {} });
    const stranger = items.find((s) => s.serial === 'LF24-0000-00');
    expect(stranger?.conflict).to.contain(`is that of box ${String(box?.serial)}`);
    await o.client.call('stranger.dismiss', { params: { id: String(stranger?.id) }, body: {} });
  });

  it('that want another address than their own are told no', async () => {
    const { device } = await another(o);
    const box = (await o.client.list('box', { device })).items[0];
    const who = { mac: String(box?.mac), serial: String(box?.serial) };
    const nak = await ask({ ...who, type: 'REQUEST', wanted: '10.77.64.99', server: '10.77.0.10' });
    expect(kindOf(nak)).to.equal('NAK');
    expect(Buffer.from(nak?.options.get(56) ?? []).toString()).to.match(/^10\.77\.64\.99 is not its address here/);
    expect(await ask({ ...who, type: 'REQUEST', wanted: '10.77.64.99', server: '10.77.0.99' })).to.equal(undefined);
  });

  it('of strangers get an address of the quarantine, a short lease, and no boot file', async () => {
    const offer = await ask({ mac: '02:00:00:00:aa:77' });
    expect(offer?.yourAddress).to.match(/^10\.77\.64\.2(4[0-9]|50)$/);
    expect(offer?.options.has(67)).to.equal(false);
    expect(offer?.options.has(15)).to.equal(false);
    const ack = await ask({
      mac: '02:00:00:00:aa:77',
      type: 'REQUEST',
      wanted: String(offer?.yourAddress),
      server: '10.77.0.10',
    });
    expect(kindOf(ack)).to.equal('ACK');
    expect(ack?.yourAddress).to.equal(offer?.yourAddress);
    // The same client gets the same address again.
    expect((await ask({ mac: '02:00:00:00:aa:77' }))?.yourAddress).to.equal(offer?.yourAddress);
  });

  it('in a quarantine that is full get no answer, with the reason kept', async () => {
    const macs = Array.from({ length: 12 }, (_, i) => `02:00:00:00:bb:${i.toString(16).padStart(2, '0')}`);
    const given = new Set<string>();
    for (const mac of macs) {
      const offer = await ask({ mac, relay: '10.77.32.1' });
      if (offer) given.add(offer.yourAddress);
    }
    // Eleven addresses from .240 to .250: the twelfth finds nothing.
    expect(given.size).to.equal(11);
    expect(
      (await o.client.call('boot.records', { query: { outcome: 'dropped', limit: '5' } })).items.some((i) =>
        i.detail.includes('no quarantine pool with room'),
      ),
    ).to.equal(true);
  });

  it('that give back or find a doubled address are heard', async () => {
    const mac = '02:00:00:00:aa:78';
    const offer = await ask({ mac });
    const address = String(offer?.yourAddress);
    await ask({ mac, type: 'REQUEST', wanted: address, server: '10.77.0.10' });
    await ask({ mac, type: 'RELEASE', client: address });
    expect((await lastRecord())?.detail).to.equal(`it gave back ${address}`);
    await ask({ mac, type: 'REQUEST', wanted: address, server: '10.77.0.10' });
    await ask({ mac, type: 'DECLINE', wanted: address, server: '10.77.0.10' });
    expect((await lastRecord())?.detail).to.equal(`it found somebody else at ${address}`);
    expect((await ask({ mac }))?.yourAddress).not.to.equal(address);
  });

  it('that only ask for parameters get those, and no lease (RFC 2131, 4.3.5)', async () => {
    const { device } = await another(o);
    const box = (await o.client.list('box', { device })).items[0];
    const asking = { mac: String(box?.mac), serial: String(box?.serial), type: 'INFORM' as const };
    const bytes = mustParse(encodeMessage(message({ ...asking, client: '10.77.64.66' })));
    // The answer goes to the address that the client says it has.
    const ack = await tell(bytes, RELAY, 700, '10.77.64.66');
    expect(kindOf(ack)).to.equal('ACK');
    expect(ack?.yourAddress).to.equal('0.0.0.0');
    expect(ack?.options.has(51)).to.equal(false);
    expect(ipv4Text(ack?.options.get(6) ?? new Uint8Array(4))).to.equal('10.77.0.6');
  });

  describe('for files', () => {
    let device = '';
    let address = '';
    before(async () => {
      const made = await another(o);
      device = made.device;
      await prepare(o, device);
      const box = (await o.client.list('box', { device })).items[0];
      const who = { mac: String(box?.mac), serial: String(box?.serial) };
      address = String((await ask(who))?.yourAddress);
      expect(kindOf(await ask({ ...who, type: 'REQUEST', wanted: address, server: '10.77.0.10' }))).to.equal('ACK');
    });

    /** One request from an address; gives what comes back first. */
    async function request(from: string, bytes: Uint8Array): Promise<string> {
      const socket = createSocket('udp4');
      await new Promise<void>((resolve) => socket.bind(0, o.at(from, 0).address, () => resolve()));
      const to = o.at('10.77.0.10', 69);
      try {
        return await new Promise((resolve, reject) => {
          const timer = setTimeout(() => reject(new Error('no answer')), 2000);
          socket.on('message', (reply) => {
            clearTimeout(timer);
            const packet = decodePacket(reply);
            if (!packet.ok) return resolve(packet.fault.code);
            const { value } = packet;
            resolve(value.kind === 'error' ? `error ${value.code} ${value.message}` : value.kind);
          });
          socket.send(bytes, to.port, to.address);
        });
      } finally {
        socket.close();
      }
    }
    const read = (name: string) => encodePacket({ kind: 'read', name, mode: 'octet', options: {} });

    it('are answered by an ERROR and a record, never by silence, where they are refused', async () => {
      expect(await request(address, read('startup.txt'))).to.equal('error 1 there is no such file');
      // Who it is not for hears the same as of a name that no device has.
      expect(await request('10.77.64.99', read(`${device}.furrow`))).to.equal('error 1 there is no such file');
      // What was told of its lease is written down beside the answers, and may come behind.
      const { items } = await o.client.call('boot.records', { query: { limit: '10' } });
      expect(items.map(({ detail }) => detail)).to.include(`${device}.furrow: 10.77.64.99 is not leased to ${device}`);
      expect(await request('10.77.64.99', read('../../etc/passwd'))).to.equal('error 1 there is no such file');
      expect(await request(address, encodePacket({ kind: 'write', name: 'x', mode: 'octet', options: {} }))).to.equal(
        'error 2 nothing is expected from you',
      );
      expect(await request(address, Uint8Array.of(0, 1, 65))).to.match(/^error 4 /);
      expect(await request(address, Uint8Array.of(0, 4, 0, 1))).to.equal('error 5 there is no such transfer');
      expect((await newest(o.client, device)).diagnosis?.code).to.equal('file-refused');
    });

    it('are served to stock clients, with and without options', async function () {
      const folder = mkdtempSync(join(tmpdir(), 'zpine-tftp-'));
      const { address: host, port } = o.at('10.77.0.10', 69);
      const from = o.at(address, 0).address;
      const url = `tftp://${host}:${port}/${device}.furrow`;
      try {
        for (const [name, more] of [
          ['large', ['--tftp-blksize', '1428']],
          ['small', ['--tftp-blksize', '16']],
          ['plain', ['--tftp-no-options']],
        ] as const) {
          await run('curl', ['-sS', '--interface', from, ...more, '-o', join(folder, name), url]);
        }
        const text = readFileSync(join(folder, 'large'), 'utf8');
        expect(text).to.match(new RegExp(`^name ${device}\n`));
        expect(text).to.match(/report to http:\/\/10\.77\.0\.10\/life\/[A-Za-z0-9_-]{43}\n/);
        expect(readFileSync(join(folder, 'small'), 'utf8')).to.equal(text);
        expect(readFileSync(join(folder, 'plain'), 'utf8')).to.equal(text);
        const arrival = await newest(o.client, device);
        // As large as it is shown: the true size would tell of the secrets in it.
        const shown =
          (await o.client.call('edition.show', { params: { ref: device, number: '1' } })).files[0]?.text ?? '';
        expect(text).to.not.equal(shown);
        const life = text.length - text.replace(/\/life\/[A-Za-z0-9_-]{43}/, '').length;
        expect(life).to.be.greaterThan(0);
        expect(Number(arrival.milestones.find((m) => m.name === 'file complete')?.evidence.bytes)).to.be.closeTo(
          Buffer.byteLength(shown),
          60,
        );
      } finally {
        rmSync(folder, { recursive: true, force: true });
      }
    });

    it('begin anew where a loader lost its power, and asks from the same port', async () => {
      const socket = createSocket('udp4');
      await new Promise<void>((resolve) => socket.bind(0, o.at(address, 0).address, () => resolve()));
      const to = o.at('10.77.0.10', 69);
      const heard: { block: number; port: number }[] = [];
      socket.on('message', (bytes, from) => {
        const packet = decodePacket(bytes);
        if (packet.ok && packet.value.kind === 'data') heard.push({ block: packet.value.block, port: from.port });
      });
      const first = () =>
        socket.send(
          encodePacket({ kind: 'read', name: `${device}.furrow`, mode: 'octet', options: {} }),
          to.port,
          to.address,
        );
      const blocks = async (count: number) => {
        for (let i = 0; heard.length < count && i < 100; i += 1)
          await new Promise((resolve) => setTimeout(resolve, 20));
        return heard.map(({ block }) => block);
      };
      try {
        first();
        expect(await blocks(1)).to.deep.equal([1]);
        const { port = 0 } = heard[0] ?? {};
        socket.send(encodePacket({ kind: 'ack', block: 1 }), port, to.address);
        expect(await blocks(2)).to.deep.equal([1, 2]);
        // Far sooner than the transfer before would have given up.
        first();
        expect(await blocks(3)).to.deep.equal([1, 2, 1]);
        expect(heard[2]?.port).to.not.equal(port);
      } finally {
        socket.close();
      }
    });

    it('are refused once the window is closed', async () => {
      await o.client.call('arrival.close', { params: { ref: device } });
      expect(await request(address, read(`${device}.furrow`))).to.equal('error 2 it is not for you, or not now');
      expect((await lastRecord())?.detail).to.equal(`${device}.furrow: the arrival window of ${device} is closed`);
    });
  });

  it('that give a sign of life elsewhere, or one that cannot be read, change nothing', async () => {
    const { address, port } = o.at('10.77.0.10', 80);
    // The host's own fetch refuses this port; a stock client does not.
    const status = async (path: string, ...more: string[]) =>
      Number(
        (
          await run('curl', [
            '-s',
            '-o',
            '/dev/null',
            '-w',
            '%{http_code}',
            ...more,
            `http://${address}:${port}${path}`,
          ])
        ).stdout,
      );
    expect(await status('/life/nobody', '-d', JSON.stringify({ serial: 'x' }))).to.equal(404);
    expect((await lastRecord())?.detail).to.equal('a sign of life to an address that is not, or no longer, open');
    expect(await status('/life/nobody', '-d', 'nonsense')).to.equal(400);
    expect(await status('/')).to.equal(404);
  });
});
