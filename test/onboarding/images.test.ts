/** Images on the way into service, and configurations that come the other way: by stock clients, over real sockets. */
import { execFile } from 'node:child_process';
import { createHash } from 'node:crypto';
import { createSocket } from 'node:dgram';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { get, type IncomingMessage } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { promisify } from 'node:util';
import { expect } from 'chai';
import { decodePacket, encodePacket } from '@zpine/core/tftp/packet';
import type { BodyIn } from '@zpine/contract/routes';
import { contentOf } from '../../demo/load.ts';
import { transact } from '../../service/store/transact.ts';
import { actor } from '../service.ts';
import { eventually } from '../../trials/eventually.ts';
import { kindOf, Packets } from './asking.ts';
import { another, diagnosed, newest, onboarding, prepare, reachedIn, serves, until, type Onboarding } from './bench.ts';

const run = promisify(execFile);
const SERVER = '10.77.0.10';
const STAFF = '10.77.33.1';
const BYTES = 2_500_001;

describe('images and configurations on the wire', function () {
  this.timeout(60_000);
  let o: Onboarding;
  let packets: Packets;
  let folder = '';
  before(async () => {
    o = await onboarding();
    packets = new Packets(o);
    folder = mkdtempSync(join(tmpdir(), 'zpine-fetched-'));
    const image = { dialect: 'furrow', release: '3.0.0' };
    await o.client.add('image', { ...image, name: 'furrow-3.0.0', file: 'furrow-3.0.0.img' });
    await o.client.putImage('furrow-3.0.0', {}, new Blob([contentOf('image furrow * 3.0.0', BYTES)]));
    await o.client.add('image', { ...image, name: 'furrow-odd', file: 'furrow-odd.img' });
    await o.client.putImage('furrow-odd', {}, new Blob([contentOf('image furrow LF-99 3.0.0', 5000)]));
  });
  after(async () => {
    rmSync(folder, { recursive: true, force: true });
    await o.end();
  });

  const put = (body: BodyIn<'value.put'>) => o.client.call('value.put', { body });
  const wants = (device: string, ...images: string[]) =>
    put({ setting: 'image.wanted', layer: 'device', of: device, value: images });
  /** `relay`: where its simulated hardware boots, apart from where packets are sent by hand. */
  async function waiting(image: string, relay?: string): Promise<{ device: string; box: string; mac: string }> {
    const made = await another(o, [], relay);
    await wants(made.device, image);
    await prepare(o, made.device);
    const [box] = (await o.client.list('box', { device: made.device })).items;
    return { ...made, mac: String(box?.mac) };
  }
  /** Behind the relay of another site, it waits for somebody to say that this is right. */
  async function servesThere(device: string) {
    const { id } = await until(o.client, device, (one) => one.elsewhere !== null);
    await o.client.call('arrival.confirm', { params: { id: String(id) }, body: {} });
    return serves(o.client, device);
  }
  async function leased(mac: string): Promise<string> {
    const address = (await packets.ask({ mac }))?.yourAddress ?? '';
    expect(kindOf(await packets.ask({ mac, type: 'REQUEST', wanted: address, server: SERVER }))).to.equal('ACK');
    return address;
  }
  /** Where it fetches its image by HTTP. */
  async function urlOf(device: string): Promise<string> {
    const arrival = await transact(o.store, actor, 'test', (tx) =>
      tx.one<{ token: string }>('SELECT token FROM arrival WHERE device_key = ? ORDER BY id DESC LIMIT 1', [device]),
    );
    return `http://${SERVER}/file/${arrival?.token ?? ''}/furrow-3.0.0.img`;
  }
  /** By a stock client, from an address of the records. */
  async function curl(from: string, url: string, ...more: string[]): Promise<{ status: number; words: string }> {
    const to = o.at(SERVER, url.startsWith('tftp') ? 69 : 80);
    const args = ['-sS', '--interface', o.at(from, 0).address, '-w', '%{response_code}', ...more];
    return run('curl', [...args, url.replace(SERVER, `${to.address}:${to.port}`)]).then(
      ({ stdout }) => ({ status: Number(stdout), words: '' }),
      (error: unknown) => ({ status: -1, words: String((error as { stderr?: string }).stderr) }),
    );
  }
  const digest = (path: string) => createHash('sha256').update(readFileSync(path)).digest('hex');
  const sha256 = async () => String((await o.client.show('image', 'furrow-3.0.0')).sha256);

  it('come before the configuration: fetched, started with, and proved by what the device says', async () => {
    const { device, box } = await waiting('furrow-3.0.0', STAFF);
    o.lab.device(box).on();
    const arrival = await servesThere(device);
    expect(reachedIn(arrival)).to.include.members(['image', 'file complete', 'called home', 'serving']);
    const evidence = arrival.milestones.find(({ name }) => name === 'image')?.evidence;
    expect(evidence).to.include({ image: 'furrow-3.0.0', bytes: BYTES });
    expect(arrival.milestones.find(({ name }) => name === 'reached')?.evidence.version).to.equal('3.0.0');
    const { items } = await o.client.call('arrival.list', { query: { device, limit: '5' } });
    expect(items, 'the restart with it is no other arrival').to.have.length(1);
    const { devices } = await o.client.call('image.devices', { params: { ref: 'furrow-3.0.0' } });
    expect(devices.find((one) => one.device === device)).to.include({ version: '3.0.0', runs: true });
  });

  it('keep a device from serving that runs another version, unless somebody says that it may', async () => {
    const { device, box } = await waiting('furrow-odd', STAFF);
    o.lab.device(box).on();
    const stuck = await diagnosed(o.client, device, 'wrong-image');
    expect(stuck.diagnosis?.detail).to.equal(
      'it runs version 2.4.1, and image furrow-odd with version 3.0.0 is wanted',
    );
    await put({ setting: 'image.insist', layer: 'device', of: device, value: false });
    await servesThere(device);
  });

  it('go to who wants them and holds its address, in its window, by TFTP in any size of block and by parts of HTTP', async () => {
    const { device, mac } = await waiting('furrow-3.0.0');
    const address = await leased(mac);
    const path = join(folder, 'fetched');
    const name = 'furrow-3.0.0.img';
    for (const more of [['--tftp-blksize', '1428'], ['--tftp-no-options']]) {
      await curl(address, `tftp://${SERVER}/${name}`, ...more, '-o', path);
      expect(digest(path)).to.equal(await sha256());
    }
    expect((await curl('10.77.64.77', `tftp://${SERVER}/${name}`, '-o', path)).words).to.contain('(68)');
    expect((await curl(address, `tftp://${SERVER}/furrow-2.5.0.img`, '-o', path)).words).not.to.equal('');
    const url = await urlOf(device);
    expect((await curl(address, url, '-o', path)).status).to.equal(200);
    expect(digest(path)).to.equal(await sha256());
    const part = join(folder, 'part');
    expect((await curl(address, url, '-r', '1000000-1999999', '-o', part)).status).to.equal(206);
    expect(readFileSync(part).equals(readFileSync(path).subarray(1_000_000, 2_000_000))).to.equal(true);
    const tag = ['-H', `If-None-Match: "${await sha256()}"`];
    expect((await curl(address, url, ...tag, '-o', part)).status).to.equal(304);
    expect((await curl('10.77.64.77', url, '-o', part)).status).to.equal(404);
    expect((await newest(o.client, device)).milestones.some(({ name: stone }) => stone === 'image')).to.equal(true);
    await o.client.call('arrival.close', { params: { ref: device } });
    expect((await curl(address, url, '-o', part)).status, 'the URL is of that window').to.equal(403);
  });

  it('are read as slowly as somebody likes, while others are served', async () => {
    const { device, mac } = await waiting('furrow-3.0.0');
    const address = await leased(mac);
    const other = await waiting('furrow-3.0.0', STAFF);
    const url = new URL(await urlOf(device));
    const { address: host, port } = o.at(SERVER, 80);
    const reading = await new Promise<IncomingMessage>((answered) =>
      get({ host, port, path: url.pathname, localAddress: o.at(address, 0).address }, answered),
    );
    o.lab.device(other.box).on();
    await servesThere(other.device);
    const read = createHash('sha256');
    for await (const piece of reading) {
      read.update(piece as Buffer);
      await pause(20);
    }
    expect(read.digest('hex')).to.equal(await sha256());
    expect((await newest(o.client, device)).milestones.map(({ name }) => name)).to.include('image');
  });

  it('come by HTTPS, too, with a certificate of the service’s own', async () => {
    await o.client.edit('bootprofile', 'shale-url', { transport: 'https' });
    const told = await o.client.call('device.dhcp', { params: { ref: 'cob-acc-2' }, query: {} });
    expect(told.file).to.match(/^https:\/\/10\.77\.0\.10\/file\//);
    const { address, port } = o.at(SERVER, 443);
    const [, path = ''] = /^https:\/\/[^/]+(\/.*)$/.exec(told.file ?? '') ?? [];
    const status = async (...more: string[]) =>
      run('curl', ['-s', '-o', '/dev/null', '-w', '%{http_code}', ...more, `https://${address}:${port}${path}`]).then(
        ({ stdout }) => Number(stdout),
        (error: unknown) => Number((error as { code?: number }).code),
      );
    // 60: nobody has said that the certificate is to be believed. The file is another address's.
    expect(await status()).to.equal(60);
    expect(await status('-k')).to.equal(404);
    await o.client.edit('bootprofile', 'shale-url', { transport: 'http' });
  });

  it('are refused in words where the content is not there', async () => {
    await o.client.add('image', { name: 'furrow-none', dialect: 'furrow', release: '3', file: 'furrow-none.img' });
    const { device, mac } = await waiting('furrow-none');
    const address = await leased(mac);
    const { words } = await curl(address, `tftp://${SERVER}/furrow-none.img`, '-o', join(folder, 'none'));
    expect(words).to.contain('(68)');
    const stuck = await newest(o.client, device);
    expect(stuck.diagnosis?.detail).to.contain('image furrow-none has no content yet');
  });

  describe('a configuration that a device sends', () => {
    let device = '';
    let address = '';
    const sent = async () =>
      (await o.client.call('capture.list', { query: { device, file: 'sent' } })).items.map(({ id }) => id);
    const write = (from: string, path: string, ...more: string[]) =>
      curl(from, `tftp://${SERVER}/${device}.cfg`, ...more, '-T', path);
    const noted = (words: string) =>
      eventually(
        `"${words}" is noted`,
        async () => {
          const { items } = await o.client.call('boot.records', { query: { limit: '50' } });
          return items.some(({ what, detail }) => what === 'write' && detail.includes(words));
        },
        { limitMs: 5000, everyMs: 100 },
      );
    before(async () => {
      ({ device } = await another(o));
      const overview = await o.client.call('device.overview', { params: { ref: device } });
      address = String(overview.management?.address ?? '').split('/')[0] ?? '';
    });

    it('is refused where nothing is expected, and from whoever is somebody else', async () => {
      const path = join(folder, 'config');
      writeFileSync(path, `name ${device}\njournal to 10.77.0.5\n`);
      expect((await write(address, path)).words).not.to.equal('');
      await put({ setting: 'capture.sent', layer: 'device', of: device, value: true });
      expect((await write('10.77.64.77', path)).words).not.to.equal('');
      expect(await sent()).to.deep.equal([]);
      await noted(`nothing is expected of ${device}: capture.sent is not set for it`);
      await noted('10.77.64.77 is the address of no device');
    });

    it('becomes a capture, secrets masked, in any size of block', async () => {
      const path = join(folder, 'config');
      const lines = Array.from({ length: 900 }, (_, i) => `lane ${i + 1}\n  title "lane ${i + 1}"`).join('\n');
      writeFileSync(path, `name ${device}\naccount netops\n  phrase plain hard-a-lee-55\n${lines}\n`);
      expect((await write(address, path, '--tftp-blksize', '1428')).words).to.equal('');
      const [id] = await sent();
      const shown = await o.client.call('capture.show', { params: { id: String(id) } });
      expect(shown.text).to.contain('lane 900').and.not.to.contain('hard-a-lee-55');
      const whole = await o.client.call('capture.reveal', { params: { id: String(id) }, body: {} });
      expect(whole.text).to.equal(readFileSync(path, 'utf8'));
      // A device that sends without end is not heard each time.
      expect((await write(address, path)).words).not.to.equal('');
    });

    it('is refused where it is no text, or larger than is taken; and a lost acknowledgement harms nothing', async () => {
      const path = join(folder, 'config');
      const rest = () => new Promise((resolve) => setTimeout(resolve, 5200));
      await rest();
      writeFileSync(path, Buffer.from([1, 2, 0, 255, 254]));
      expect((await write(address, path)).words).not.to.equal('');
      await noted('it is no text');
      writeFileSync(path, Buffer.alloc(4 * 1024 * 1024 + 1, 'x'));
      expect((await write(address, path, '--tftp-blksize', '1428')).words).not.to.equal('');
      await noted('more than the 4194304 bytes that are taken');
      expect(await sent()).to.have.length(1);
      const acks = await slowWriter(`name ${device}\n`);
      // The last block was said twice, as by a client that did not hear the answer.
      expect(acks).to.deep.equal([0, 1, 1]);
      await eventually('it is kept', async () => (await sent()).length === 2, { limitMs: 3000, everyMs: 50 });
    });

    /** A client of our own that says its last block once more: the numbers that were acknowledged. */
    function slowWriter(text: string): Promise<number[]> {
      const to = o.at(SERVER, 69);
      const socket = createSocket('udp4');
      const acks: number[] = [];
      return new Promise((resolve, reject) => {
        const limit = setTimeout(() => reject(new Error(`only ${acks.join(', ')}`)), 5000);
        socket.on('message', (bytes, peer) => {
          const packet = decodePacket(bytes);
          if (!packet.ok || packet.value.kind !== 'ack') return reject(new Error('that is no acknowledgement'));
          acks.push(packet.value.block);
          const data = encodePacket({ kind: 'data', block: 1, bytes: new TextEncoder().encode(text) });
          if (acks.length <= 2) return socket.send(data, peer.port, peer.address);
          clearTimeout(limit);
          socket.close();
          resolve(acks);
        });
        socket.bind(0, o.at(address, 0).address, () =>
          socket.send(
            encodePacket({ kind: 'write', name: `${device}.cfg`, mode: 'octet', options: {} }),
            to.port,
            to.address,
          ),
        );
      });
    }
  });
});
