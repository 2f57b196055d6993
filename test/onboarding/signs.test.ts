/** Traps and log lines over real sockets, by a well-known sender of traps: of devices, of strangers, and of too many. */
import { createSocket } from 'node:dgram';
import { connect } from 'node:net';
import { expect } from 'chai';
import snmp from 'net-snmp';
import type { BodyIn } from '@zpine/contract/routes';
import { eventually } from '../../trials/eventually.ts';
import { another, onboarding, type Onboarding } from './bench.ts';

const SERVER = '10.77.0.10';
const LINK_DOWN = '1.3.6.1.6.3.1.1.5.3';
const INTERFACE = '1.3.6.1.2.1.2.2.1.2.4';

describe('signs of life', function () {
  this.timeout(60_000);
  let o: Onboarding;
  let device = '';
  let address = '';
  before(async () => {
    o = await onboarding();
    ({ device } = await another(o));
    const { management } = await o.client.call('device.overview', { params: { ref: device } });
    address = String(management?.address ?? '').split('/')[0] ?? '';
  });
  after(() => o.end());

  const put = (body: BodyIn<'value.put'>) => o.client.call('value.put', { body });
  const said = async (query: { device?: string; address?: string; prefix?: string }) =>
    (await o.client.call('sign.list', { query: { ...query, limit: '200' } })).items;
  const until = (words: string, look: () => Promise<boolean>) =>
    eventually(words, look, { limitMs: 6000, everyMs: 60 });
  const strangerAt = async (at: string) =>
    (await o.client.call('stranger.list', { query: {} })).items.find((one) => one.address === at);
  const noted = (words: string) =>
    until(`"${words}" is noted`, async () => {
      const { items } = await o.client.call('boot.records', { query: { limit: '50' } });
      return items.some(({ protocol, detail }) => protocol === 'trap' && detail.includes(words));
    });

  type Session = ReturnType<typeof snmp.createSession>;
  type Sends = Record<'trap' | 'inform', (oid: unknown, varbinds: unknown, options: object, done: Done) => void>;
  type Done = (error: Error | null) => void;
  /** From an address of the records. */
  function session(from: string, version: number, user?: object): Session {
    const to = o.at(SERVER, 162);
    const options = {
      ...{ port: to.port, trapPort: to.port, version, sourceAddress: o.at(from, 0).address, retries: 0, timeout: 1500 },
      idBitsSize: 32,
    } as object;
    return user
      ? snmp.createV3Session(to.address, user as Parameters<typeof snmp.createV3Session>[1], options)
      : snmp.createSession(to.address, 'whatever', options);
  }
  const varbinds = (name: string) => [{ oid: INTERFACE, type: snmp.ObjectType.OctetString, value: name }];
  const send = (by: Session, oid: string | number, name: string, how: 'trap' | 'inform' = 'trap') =>
    new Promise<void>((resolve, reject) =>
      (by as unknown as Sends)[how](oid, varbinds(name), {}, (error) => {
        by.close();
        if (error) reject(error);
        else resolve();
      }),
    );
  const datagram = (from: string, texts: string[]): Promise<void> =>
    new Promise((resolve) => {
      const socket = createSocket('udp4');
      const to = o.at(SERVER, 514);
      socket.bind(0, o.at(from, 0).address, () => {
        let left = texts.length;
        for (const text of texts)
          socket.send(text, to.port, to.address, () => {
            if ((left -= 1) === 0) socket.close(() => resolve());
          });
      });
    });

  it('are traps of three versions, and an inform is answered', async () => {
    await send(session(address, snmp.Version1), snmp.TrapType.ColdStart, 'socket 1/1');
    await send(session(address, snmp.Version2c), LINK_DOWN, 'socket 1/4');
    await send(session(address, snmp.Version2c), '1.3.6.1.6.3.1.1.5.4', 'socket 1/5', 'inform');
    for (const [setting, value] of [
      ['snmp.user', 'watcher'],
      ['snmp.auth-key', 'lighthouse-keeper-1'],
      ['snmp.privacy-key', 'fog-signal-every-30'],
    ] as const)
      await put({ setting, layer: 'device', of: device, value });
    const user = {
      ...{ name: 'watcher', level: snmp.SecurityLevel.authPriv },
      ...{ authProtocol: snmp.AuthProtocols.sha256, authKey: 'lighthouse-keeper-1' },
      ...{ privProtocol: snmp.PrivProtocols.aes, privKey: 'fog-signal-every-30' },
    };
    await send(session(address, snmp.Version3, user), '1.3.6.1.6.3.1.1.5.5', 'socket 1/6');
    const wanted = [
      'coldStart: interface socket 1/1',
      'linkDown: interface socket 1/4',
      'linkUp: interface socket 1/5',
      'authenticationFailure: interface socket 1/6',
    ];
    await until('all four are there', async () => {
      const texts = (await said({ device })).map(({ text }) => text);
      return wanted.every((one) => texts.includes(one));
    });
    // Somebody else's user, and somebody else's word for one's own.
    await send(session(address, snmp.Version3, { ...user, name: 'nobody' }), LINK_DOWN, 'x');
    await send(session(address, snmp.Version3, { ...user, authKey: 'not-the-right-one' }), LINK_DOWN, 'x');
    await noted('user nobody');
    expect(await said({ device })).to.have.length(4);
  });

  it('are log lines by UDP and TCP, of both forms, secrets masked, the same one counted', async () => {
    await put({ setting: 'trap.word', layer: 'device', of: device, value: 'bell-buoy-seven' });
    await datagram(address, [
      `<165>1 2026-12-02T10:00:00Z ${device} linkd - - - socket 1/4 is down`,
      `<165>1 2026-12-02T10:00:01Z ${device} linkd - - - socket 1/4 is down`,
      `<34>Dec  2 10:00:02 ${device} auth: alert to 10.77.0.8 word bell-buoy-seven`,
    ]);
    const to = o.at(SERVER, 514);
    await new Promise<void>((resolve, reject) => {
      const socket = connect({ ...{ host: to.address, port: to.port }, localAddress: o.at(address, 0).address }, () => {
        socket.write('25 <13>1 - - - - - - counted');
        socket.end('<14>by the line\n');
      });
      socket.once('error', reject);
      socket.once('close', () => resolve());
    });
    await until('all are there', async () => (await said({ device })).filter(({ kind }) => kind === 'log').length >= 4);
    const lines = (await said({ device })).filter(({ kind }) => kind === 'log');
    const down = lines.find(({ text }) => text.includes('is down'));
    expect(down).to.include({ text: `${device} linkd: socket 1/4 is down`, times: 2, severity: 5 });
    const texts = lines.map(({ text }) => text).join('\n');
    expect(texts).to.contain('counted').and.contain('by the line');
    expect(texts).not.to.contain('bell-buoy-seven');
    await put({ setting: 'trap.word', layer: 'device', of: device, value: 'bell-buoy-9' });
  });

  it('make a stranger of who is nobody, as its prefix permits', async () => {
    const from = '10.77.64.201';
    await datagram(from, ['<13>Dec  2 10:00:02 spare-9 boot: hello from the quay']);
    await until('it stands on the list', async () => (await strangerAt(from)) !== undefined);
    expect(await strangerAt(from)).to.include({
      says: 'log: spare-9 boot: hello from the quay',
      prefix: '10.77.64.0/24',
      mac: '',
      serial: null,
    });
    await send(session(from, snmp.Version2c), LINK_DOWN, 'eth0');
    await until('it is refreshed', async () => (await strangerAt(from))?.says === 'trap: linkDown: interface eth0');
    const { items } = await o.client.call('today', { query: {} });
    expect(items.some(({ code, detail }) => code === 'stranger' && detail.includes('linkDown'))).to.equal(true);
    await o.client.edit('prefix', '10.77.64.0/24', { signs: 'known' });
    await datagram('10.77.64.202', ['<13>hello']);
    await datagram(address, ['<13>a known one is heard on']);
    await until('the known one is there', async () =>
      (await said({ device })).some(({ text }) => text === 'a known one is heard on'),
    );
    expect(await strangerAt('10.77.64.202')).to.equal(undefined);
    expect(await said({ address: '10.77.64.202' })).to.deep.equal([]);
    await o.client.edit('prefix', '10.77.64.0/24', { signs: 'strangers' });
  });

  it('are bounded: long ones, many of one sender, many senders, and what is no sign at all', async () => {
    await datagram(address, [`<13>${'x'.repeat(60_000)}`, '<13>\u001b]0;owned\u0007 escape']);
    const flood = Array.from({ length: 3000 }, (_, i) => `<13>line ${i}`);
    await datagram('10.77.64.210', flood);
    for (let n = 0; n < 60; n += 1) await datagram(`10.77.65.${10 + n}`, ['<13>one of many']);
    const junk = createSocket('udp4');
    const to = o.at(SERVER, 162);
    await new Promise<void>((done) =>
      junk.bind(0, o.at(address, 0).address, () => {
        for (let i = 0; i < 200; i += 1)
          junk.send(Buffer.from([0x30, 0x80 | (i & 127), i, 2, 1, 1]), to.port, to.address);
        setTimeout(() => junk.close(() => done()), 100);
      }),
    );
    await until('a known device is heard beside them', async () => {
      const texts = (await said({ device })).map(({ text }) => text);
      return texts.some((text) => text === ']0;owned  escape') && texts.some((text) => /^x{1000}$/.test(text));
    });
    expect((await said({ address: '10.77.64.210' })).length).to.be.within(1, 200);
    await noted('a trap that is not taken');
    const { items } = await o.client.call('stranger.list', { query: {} });
    expect(items.filter((one) => one.address?.startsWith('10.77.65.')).length).to.be.below(60);
    // The service answers as before.
    expect((await o.client.show('device', device)).key).to.equal(device);
  });
});
