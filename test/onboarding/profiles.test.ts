/** Options of one's own and boot profiles, by packets over real sockets and files that stock clients fetch. */
import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import { expect } from 'chai';
import type { Value } from '@zpine/contract/fields';
import type { BodyIn } from '@zpine/contract/routes';
import { eventually } from '../../trials/eventually.ts';
import { hexOf, kindOf, Packets, RELAY, type Asking } from './asking.ts';
import { another, newest, onboarding, prepare, type Onboarding } from './bench.ts';

const run = promisify(execFile);
const SERVER = '10.77.0.10';
const PREFIX = '10.77.64.0/24';
const text = (words: string): Uint8Array => new TextEncoder().encode(words);
const hexed = (words: string): string => Buffer.from(words).toString('hex');

describe('options and boot profiles of the records', () => {
  let o: Onboarding;
  let packets: Packets;
  before(async function () {
    this.timeout(60_000);
    o = await onboarding();
    packets = new Packets(o);
  });
  after(() => o.end());

  async function waiting(): Promise<{ device: string; mac: string }> {
    const { device } = await another(o);
    await prepare(o, device);
    const [box] = (await o.client.list('box', { device })).items;
    return { device, mac: String(box?.mac) };
  }
  const setting = (name: string, fields: Record<string, Value>) =>
    o.client.add('setting', { name, about: 'A try', ...fields });
  const put = (body: BodyIn<'value.put'>) => o.client.call('value.put', { body });
  const refused = async (work: Promise<unknown>): Promise<string> =>
    work.then(
      () => 'taken',
      (error: { problem?: { code: string; errors?: { code: string }[] } }) =>
        error.problem?.errors?.map(({ code }) => code).join(' ') || (error.problem?.code ?? String(error)),
    );

  /** The status of a fetch, and what came. */
  async function fetched(url: string, from: string, ...more: string[]): Promise<{ status: number; body: string }> {
    const there = url.startsWith('tftp:') ? o.at(SERVER, 69) : o.at(SERVER, 80);
    const dialled = url.replace(SERVER, `${there.address}:${there.port}`);
    const args = ['-sS', '--interface', o.at(from, 0).address, '-w', '\n%{response_code}', ...more, dialled];
    try {
      const { stdout } = await run('curl', args);
      const at = stdout.lastIndexOf('\n');
      return { status: Number(stdout.slice(at + 1)), body: stdout.slice(0, at) };
    } catch (error) {
      return { status: -1, body: String((error as { stderr?: string }).stderr) };
    }
  }
  async function leased(asking: Asking): Promise<string> {
    const address = (await packets.ask(asking))?.yourAddress ?? '';
    expect(kindOf(await packets.ask({ ...asking, type: 'REQUEST', wanted: address, server: SERVER }))).to.equal('ACK');
    return address;
  }

  describe('options', () => {
    it('are told to who asks, from the strongest layer: the prefix behind the site, the label before it', async () => {
      const { device, mac } = await waiting();
      await setting('boot.console', { valueType: 'address', dhcpOption: '231' });
      const told = async (asked = [231]) => hexOf(await packets.ask({ mac, asked }), 231);
      expect(await told()).to.equal('');
      const [{ site } = { site: '' }] = (await o.client.list('prefix', { cidr: PREFIX })).items;
      await put({ setting: 'boot.console', layer: 'site', of: String(site), value: '10.77.0.1' });
      expect(await told()).to.equal('0a4d0001');
      await put({ setting: 'boot.console', layer: 'prefix', of: PREFIX, value: '10.77.0.2' });
      expect(await told()).to.equal('0a4d0002');
      await o.client.add('label', { name: 'console-far' });
      await o.client.edit('device', device, { labels: ['console-far'] });
      await put({ setting: 'boot.console', layer: 'label', of: 'console-far', value: '10.77.0.3' });
      expect(await told()).to.equal('0a4d0003');
      expect(await told([1, 3])).to.equal('');
      await packets.records();
      const { items } = await o.client.call('boot.records', { query: { device, limit: '1' } });
      await o.client.edit('setting', 'boot.console', { tell: 'unasked' });
      const { changes } = await o.client.call('boot.replay', { params: { id: String(items[0]?.id) } });
      expect(changes).to.deep.equal([{ code: 231, name: 'boot.console', then: null, now: '10.77.0.3' }]);
      expect(await told([1, 3])).to.equal('0a4d0003');
      await o.client.edit('setting', 'boot.console', { tell: 'withheld' });
      expect(await told()).to.equal('');
    });

    it('have names in them that are filled in, and say what is wrong where that fails', async () => {
      const { device, mac } = await waiting();
      await setting('boot.page', {
        valueType: 'text',
        dhcpOption: '225',
        defaultValue: '@{device.name}/@{client.class}',
      });
      const asking = { mac, asked: [225], more: [[60, text('larkfield X')]] as [number, Uint8Array][] };
      expect(hexOf(await packets.ask(asking), 225)).to.equal(hexed(`${device}/larkfield X`));
      // Without a class there is nothing to be filled in; all the rest is told.
      const bare = await packets.ask({ mac, asked: [1, 225] });
      expect([hexOf(bare, 1), hexOf(bare, 225)]).to.deep.equal(['ffffff00', '']);
      const explained = await o.client.call('device.dhcp', { params: { ref: device }, query: { asked: '1, 225' } });
      expect(explained.options.find(({ code }) => code === 225)).to.include({
        name: 'boot.page',
        value: `"${device}/larkfield"`,
      });
    });

    it('of the vendor and of enterprises are put together, and what layers say of telling holds', async () => {
      const { device, mac } = await waiting();
      await setting('vendor.server', { valueType: 'address', dhcpOption: '43.1', defaultValue: '10.77.0.9' });
      await setting('enterprise.size', {
        valueType: 'number',
        wire: 'uint16',
        dhcpOption: '125.4711.1',
        defaultValue: 9,
      });
      await setting('net.routes', {
        valueType: 'list-of-text',
        dhcpOption: 'classless-static-routes',
        defaultValue: ['10.0.0.0/8 by @{prefix.gateway}'],
      });
      const all = await packets.ask({ mac, asked: [43, 121, 125] });
      expect([43, 121, 125].map((code) => hexOf(all, code))).to.deep.equal([
        '01040a4d0009',
        '080a0a4d4001',
        '00001267' + '04' + '01020009',
      ]);
      await put({ setting: 'dhcp.withheld', layer: 'prefix', of: PREFIX, value: ['vendor-specific'] });
      await put({ setting: 'dhcp.unasked', layer: 'device', of: device, value: ['net.routes', '3'] });
      const some = await packets.ask({ mac, asked: [43] });
      expect([43, 121].map((code) => hexOf(some, code))).to.deep.equal(['', '080a0a4d4001']);
      const { untold } = await o.client.call('device.dhcp', { params: { ref: device }, query: { asked: '43' } });
      expect(untold.find(({ code }) => code === 43)?.why).to.equal(
        `it is withheld: setting dhcp.withheld, prefix ${PREFIX}`,
      );
    });

    it('are refused where they are entered: what does not fit, is told already, or is a secret', async () => {
      const wrong = (fields: Record<string, Value>) => refused(setting('boot.wrong', fields));
      expect(await wrong({ dhcpOption: '300' })).to.equal('option-unknown');
      expect(await wrong({ dhcpOption: '67' })).to.equal('option-told');
      expect(await wrong({ dhcpOption: '43.0' })).to.equal('option-sub');
      expect(await wrong({ dhcpOption: '231' })).to.equal('option-twice');
      expect(await wrong({ dhcpOption: '43' })).to.equal('option-twice');
      expect(await wrong({ dhcpOption: '121' })).to.equal('option-type option-twice');
      expect(await wrong({ dhcpOption: '241', secret: true })).to.equal('option-secret');
      expect(await wrong({ dhcpOption: '26', valueType: 'number', wire: 'uint8' })).to.equal('option-registered');
      expect(await wrong({ wire: 'uint8' })).to.equal('option-none');
      expect(await wrong({ dhcpOption: '241', defaultValue: '@{device.colour}' })).to.equal('option-names');
      expect(await wrong({ dhcpOption: '241', valueType: 'number', wire: 'uint8', defaultValue: 256 })).to.equal(
        'option-value',
      );
      expect(await refused(put({ setting: 'enterprise.size', layer: 'prefix', of: PREFIX, value: 70_000 }))).to.equal(
        'option-value',
      );
      expect(
        await refused(put({ setting: 'net.routes', layer: 'everywhere', value: ['10.0.0.1/8 by 10.77.0.1'] })),
      ).to.equal('option-value');
      expect(
        await refused(put({ setting: 'time.servers', layer: 'prefix', of: PREFIX, value: ['10.77.0.5'] })),
      ).to.equal('layer-of-options');
      expect(
        await refused(put({ setting: 'dhcp.withheld', layer: 'everywhere', value: ['server-identifier'] })),
      ).to.equal('option-must');
      expect(await refused(put({ setting: 'dhcp.unasked', layer: 'everywhere', value: ['colour'] }))).to.equal(
        'option-unknown',
      );
    });
  });

  describe('boot profiles', () => {
    it('name the file, the class of the client deciding; it is given by each of its names', async () => {
      const { device, mac } = await waiting();
      await o.client.add('bootprofile', { name: 'lf', dialect: 'furrow', file: '{device}.furrow' });
      await o.client.add('bootprofile', {
        name: 'lf-loader',
        dialect: 'furrow',
        classes: 'larkfield loader',
        file: '{mac}.furrow',
        names: 'network.furrow',
        unasked: '66, net.routes',
      });
      const plain = await packets.ask({ mac, more: [[60, text('larkfield LF-24')]] });
      expect(plain?.file).to.equal(`${device}.furrow`);
      const loader = await packets.ask({ mac, asked: [1], more: [[60, text('larkfield loader 2')]] });
      expect(loader?.file).to.equal(`${mac.replaceAll(':', '')}.furrow`);
      expect([hexOf(loader, 66), hexOf(loader, 121)]).to.deep.equal([hexed(SERVER), '080a0a4d4001']);
      const address = await leased({ mac });
      for (const name of [`${device}.furrow`, `${mac.replaceAll(':', '')}.furrow`, 'network.furrow'])
        expect((await fetched(`tftp://${SERVER}/${name}`, address)).body, name).to.match(
          new RegExp(`^name ${device}\n`),
        );
      expect((await fetched(`tftp://${SERVER}/other.furrow`, address)).status).to.equal(-1);
      // A box of which nobody has entered the MAC: the name that it is told is the name that it is given the file by.
      const bare = await waiting();
      const [box] = (await o.client.list('box', { device: bare.device })).items;
      await o.client.edit('box', String(box?.serial), { mac: null });
      const asking: Asking = { mac: bare.mac, serial: String(box?.serial), more: [[60, text('larkfield loader 2')]] };
      const name = (await packets.ask(asking))?.file ?? '';
      expect(name).to.equal(`${bare.mac.replaceAll(':', '')}.furrow`);
      expect((await fetched(`tftp://${SERVER}/${name}`, await leased(asking))).body).to.match(/^name /);
      await o.client.remove('bootprofile', 'lf-loader');
      const after = await packets.ask({ mac, more: [[60, text('larkfield loader 2')]] });
      expect(after?.file).to.equal(`${device}.furrow`);
      await o.client.remove('bootprofile', 'lf');
    });

    it('by HTTP tell a URL that is good for the window, and for the device alone', async () => {
      const { device, mac } = await waiting();
      const other = await waiting();
      await o.client.add('bootprofile', {
        name: 'by-url',
        dialect: 'furrow',
        transport: 'http',
        file: 'a/{device}.furrow',
      });
      const offer = await packets.ask({ mac, asked: [66, 67, 150] });
      const url = Buffer.from(offer?.options.get(67) ?? []).toString();
      expect(url).to.match(new RegExp(`^http://10\\.77\\.0\\.10/file/[0-9a-z]+-[0-9a-f]{32}/a/${device}\\.furrow$`));
      expect([hexOf(offer, 66), hexOf(offer, 150), offer?.file]).to.deep.equal(['', '', url]);
      const address = await leased({ mac });
      const theirs = await leased({ mac: other.mac });
      expect((await fetched(url, address, '-I')).status).to.equal(200);
      const got = await fetched(url, address);
      expect([got.status, got.body.split('\n')[0]]).to.deep.equal([200, `name ${device}`]);
      // Parts, and what it has already.
      const whole = got.body;
      const begin = await fetched(url, address, '-r', '0-9');
      const rest = await fetched(url, address, '-r', '10-');
      expect([begin.status, rest.status, begin.body + rest.body]).to.deep.equal([206, 206, whole]);
      expect((await fetched(url, address, '-r', '999999-')).status).to.equal(416);
      const tag = /^etag: (\S+)/im.exec((await fetched(url, address, '-I')).body)?.[1] ?? '';
      expect((await fetched(url, address, '-H', `If-None-Match: ${tag}`)).status).to.equal(304);
      expect((await fetched(url, address, '-r', '10-', '-H', 'If-Range: "another"')).body).to.equal(whole);
      expect((await fetched(url, theirs)).status).to.equal(403);
      expect((await fetched(url, '10.77.64.99')).status).to.equal(404);
      expect((await fetched(url.replace(/-[0-9a-f]{4}/, '-0000'), address)).status).to.equal(403);
      await eventually('the arrival has the end of it', async () =>
        (await newest(o.client, device)).milestones.some(({ name }) => name === 'file complete'),
      );
      await o.client.call('arrival.close', { params: { ref: device } });
      expect((await fetched(url, address)).status).to.equal(403);
      await o.client.remove('bootprofile', 'by-url');
    });

    it('of several legs give one after the other, and say so when a device does not come back', async () => {
      const { device, mac } = await waiting();
      await o.client.add('template', { name: 'first-leg', fragment: true, source: 'stage @{device.name}\n' });
      await o.client.add('bootprofile', {
        name: 'two-legs',
        dialect: 'furrow',
        file: '{device}.furrow',
        legs: [{ file: '{device}.stage', template: 'first-leg' }],
        restartMinutes: 1,
      });
      expect((await packets.ask({ mac }))?.file).to.equal(`${device}.stage`);
      const address = await leased({ mac });
      expect((await fetched(`tftp://${SERVER}/${device}.stage`, address)).body).to.equal(`stage ${device}\n`);
      await eventually('the next file is told', async () => (await packets.ask({ mac }))?.file === `${device}.furrow`);
      const { milestones } = await newest(o.client, device);
      expect(milestones.map(({ name }) => name))
        .to.include('file asked')
        .and.not.include('file complete');
      // Before it restarts it may fetch the first one again.
      expect((await fetched(`tftp://${SERVER}/${device}.stage`, address)).body).to.equal(`stage ${device}\n`);
      expect((await fetched(`tftp://${SERVER}/${device}.furrow`, address)).body).to.match(
        new RegExp(`^name ${device}\n`),
      );
      await eventually('the last one ends it', async () =>
        (await newest(o.client, device)).milestones.some(({ name }) => name === 'file complete'),
      );
      await o.client.remove('bootprofile', 'two-legs');
    });

    it('give strangers of a class a first file, with an account of that lease alone', async () => {
      await o.client.add('template', {
        name: 'first-file',
        fragment: true,
        source: 'face front / at @{lease.address}/@{lease.length}\nperson @{lease.user} word @{lease.password}\n',
      });
      await o.client.add('bootprofile', {
        name: 'unknown-lf',
        classes: 'larkfield',
        file: '{device}.furrow',
        strangerFile: 'first-{mac}',
        strangerText: 'first-file',
      });
      const mac = '02:00:00:00:ee:01';
      const asking: Asking = { mac, more: [[60, text('larkfield LF-24')]] };
      expect((await packets.ask(asking))?.file).to.equal('first-02000000ee01');
      expect((await packets.ask({ mac: '02:00:00:00:ee:02', more: [[60, text('harrow')]] }))?.file).to.equal('');
      // Nothing is told that would not be given: of a stranger its vendor class is kept, and no other.
      expect((await packets.ask({ mac: '02:00:00:00:ee:03', more: [[77, text('larkfield')]] }))?.file).to.equal('');
      const address = await leased(asking);
      const first = await fetched(`tftp://${SERVER}/first-02000000ee01`, address);
      const [, user, password] = /^person (first-\w{6}) word (\w{20})$/m.exec(first.body) ?? [];
      expect(first.body).to.match(new RegExp(`^face front / at ${address}/24\n`));
      expect(password).to.be.a('string');
      // The same lease, the same account; nobody else is given it, and nothing shows its password.
      expect((await fetched(`tftp://${SERVER}/first-02000000ee01`, address)).body).to.equal(first.body);
      expect((await fetched(`tftp://${SERVER}/first-02000000ee01`, '10.77.64.99')).status).to.equal(-1);
      const told = JSON.stringify([
        await packets.records(),
        (await o.client.call('stranger.list', { query: {} })).items,
      ]);
      expect(told).to.not.include(password).and.not.include(user);
      await o.client.remove('bootprofile', 'unknown-lf');
      expect((await fetched(`tftp://${SERVER}/first-02000000ee01`, address)).status).to.equal(-1);
    });

    it('are refused where nobody could follow them, and say what their clients would not take', async () => {
      const wrong = (fields: Record<string, Value>) =>
        refused(o.client.add('bootprofile', { name: 'wrong', file: '{device}.furrow', ...fields }));
      expect(await wrong({ file: '../{device}' })).to.equal('profile-file');
      expect(await wrong({ names: '{colour}.x, a' })).to.equal('profile-file');
      expect(await wrong({ unasked: '300, colour' })).to.equal('option-unknown option-unknown');
      expect(await wrong({ legs: [{ file: 'x', template: 'gone' }] })).to.equal('profile-leg');
      expect(await wrong({ strangerFile: 'first' })).to.equal('profile-stranger');
      expect(await wrong({ strangerFile: '{device}', strangerText: 'first-file', classes: 'x' })).to.equal(
        'profile-file',
      );
      expect(await wrong({ strangerFile: 'first', strangerText: 'first-leg', classes: 'x' })).to.equal('profile-text');
      expect(await wrong({ strangerFile: 'first', strangerText: 'first-file' })).to.equal('profile-class');
      await o.client.add('bootprofile', { name: 'one', dialect: 'furrow', classes: 'a, b', file: '{device}.furrow' });
      expect(await wrong({ dialect: 'furrow', classes: 'b, c' })).to.equal('profile-same');
      await o.client.add('bootprofile', {
        name: 'odd',
        dialect: 'furrow',
        transport: 'http',
        classes: 'harrow',
        file: '{device}.cfg',
      });
      const { items } = await o.client.call('doctor.data', { query: { only: 'boot-profile' } });
      const rows = items.flatMap((one) => one.rows);
      expect(rows.filter(({ key }) => key === 'odd').map(({ detail }) => detail)).to.deep.equal([
        'Furrow takes files that end in .furrow, and {device}.cfg does not',
        'Furrow fetches its first file by tftp alone, and would not follow a URL',
        'devices of Furrow call themselves larkfield, and not harrow',
      ]);
      await o.client.remove('bootprofile', 'one');
      await o.client.remove('bootprofile', 'odd');
    });
  });

  it('where another server gives the addresses, nobody is answered, and files go to whom it gave one', async () => {
    const { device, mac } = await waiting();
    const other = await waiting();
    await o.client.edit('prefix', PREFIX, { answers: 'none' });
    expect(kindOf(await packets.ask({ mac }))).to.equal('silence');
    const file = (from: string) => fetched(`tftp://${SERVER}/${device}.furrow`, from);
    // Of its own address the records say whose it is.
    const [own] = (await o.client.list('address', { where: `device=${device}` })).items;
    expect((await file(String(own?.address))).body).to.match(new RegExp(`^name ${device}\n`));
    expect((await file('10.77.64.77')).status).to.equal(-1);
    // A copy of its REQUEST to the other server, by way of the relay, says which address it took.
    const copy = { mac, type: 'REQUEST' as const, wanted: '10.77.64.77', server: '10.77.64.5' };
    expect(kindOf(await packets.ask(copy))).to.equal('silence');
    expect((await file('10.77.64.77')).body).to.match(new RegExp(`^name ${device}\n`));
    expect((await file(RELAY)).status).to.equal(-1);
    expect((await fetched(`tftp://${SERVER}/${other.device}.furrow`, '10.77.64.77')).status).to.equal(-1);
    await o.client.edit('prefix', PREFIX, { answers: 'all' });
  });

  it('are given to another server as lists: fixed addresses, pools, options with their bytes', async () => {
    const { device, mac } = await waiting();
    const [own] = (await o.client.list('address', { where: `device=${device}` })).items;
    await setting('beside.server', { valueType: 'address', dhcpOption: '240', defaultValue: '10.77.0.9' });
    await put({ setting: 'beside.server', layer: 'device', of: device, value: '10.77.0.10' });
    const data = (part: 'reservations' | 'pools' | 'options', where?: string) =>
      o.client.call('dhcp.data', { query: { part, ...(where === undefined ? {} : { where }) } });
    const { reservations } = await data('reservations', `name=${device}`);
    expect(reservations).to.deep.equal([
      {
        device,
        address: own?.address,
        prefix: PREFIX,
        vrf: 'default',
        mac,
        serial: null,
        leaseSeconds: 3600,
        file: `${device}.furrow`,
        nextServer: SERVER,
      },
    ]);
    // Whoever answers there, the list is the same.
    await o.client.edit('prefix', PREFIX, { answers: 'none' });
    expect((await data('reservations', `name=${device}`)).reservations).to.deep.equal(reservations);
    await o.client.edit('prefix', PREFIX, { answers: 'all' });
    const { options } = await data('options', `name=${device}`);
    const of = (scope: string) =>
      options.filter((one) => one.scope === scope && one.code !== 121).map(({ code, bytes }) => `${code} ${bytes}`);
    expect(of('prefix')).to.include.members(['1 ffffff00', '3 0a4d4001', '240 0a4d0009']);
    expect(of('device'))
      .to.include.members([`12 ${hexed(device)}`, '240 0a4d000a', `67 ${hexed(`${device}.furrow`)}`])
      .and.not.include('1 ffffff00');
    // As the packet has them.
    const told = await packets.ask({ mac, asked: [240, 12, 3] });
    expect([240, 12, 3].map((code) => hexOf(told, code))).to.deep.equal(['0a4d000a', hexed(device), '0a4d4001']);
    const { pools } = await data('pools', `name=${device}`);
    const [prefix] = (await o.client.list('prefix', { cidr: PREFIX })).items;
    expect(pools.map(({ pool, first, last }) => `${pool} ${first}-${last}`)).to.deep.equal([
      `pool ${String(prefix?.pool)}`,
      `quarantine ${String(prefix?.quarantine)}`,
    ]);
    const viewer = await o.clients.viewer.call('dhcp.data', { query: { part: 'pools' } }).then(
      () => 'given',
      () => 'refused',
    );
    expect(viewer).to.equal('refused');
  });
});
