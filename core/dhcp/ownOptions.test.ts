import { expect } from 'chai';
import { mustParse } from '../fault.ts';
import { faultIn, filled, type Named } from './fill.ts';
import { clientOf } from './client.ts';
import { linkOf } from './link.ts';
import { optionAtText, optionValueOf, readOptionAt, toldOptions, wireOf, type OwnValue } from './ownOptions.ts';
import { readLegs } from './legs.ts';
import {
  classesOf,
  fileName,
  legOf,
  patternFault,
  profilesFor,
  strangerProfile,
  type BootProfile,
} from './profiles.ts';

const value = (
  at: string,
  wire: OwnValue['wire'],
  said: OwnValue['value'],
  tell: OwnValue['tell'] = 'asked',
): OwnValue => ({
  name: `s${at}`,
  at: mustParse(readOptionAt(at)),
  wire,
  tell,
  value: said,
  from: 'site ard',
});

describe('options that settings tell', () => {
  it('are named by number, by name, and by their part of 43 or 125', () => {
    const read = (word: string) => {
      const at = readOptionAt(word);
      return at.ok ? optionAtText(at.value) : at.fault.code;
    };
    expect(['231', '43', '43.7', '125.4711.1', 'classless-static-routes', '160'].map(read)).to.deep.equal([
      '231',
      '43',
      '43.7',
      '125.4711.1',
      '121',
      '160',
    ]);
    expect(['255', '231.1', 'colour', '', '300'].map(read)).to.deep.equal(Array(5).fill('option-unknown'));
    expect(['1', '53', '6', '67', 'host-name', '60'].map(read)).to.deep.equal(Array(6).fill('option-told'));
    expect(['43.0', '43.255', '125', '125.7', '125.4294967296.1'].map(read)).to.deep.equal(Array(5).fill('option-sub'));
  });

  it('are written as their type, or as the RFC of a registered one says', () => {
    const own = mustParse(readOptionAt('231'));
    expect(wireOf(own, 'number', null)).to.equal('uint32');
    expect(wireOf(own, 'number', 'uint8')).to.equal('uint8');
    expect(wireOf(own, 'text', 'uint8')).to.equal(undefined);
    expect(wireOf(own, 'map', null)).to.equal(undefined);
    expect(wireOf(mustParse(readOptionAt('121')), 'list-of-text', null)).to.equal('routes');
    expect(wireOf(mustParse(readOptionAt('121')), 'list-of-addresses', null)).to.equal(undefined);
    expect(optionValueOf('uint16', '1500')).to.equal(1500);
  });

  it('of the vendor go behind one another, each with its number and length (RFC 2132, 8.4)', () => {
    const { options, unwritten } = toldOptions([
      value('43.2', 'address', '10.77.0.8'),
      value('43.1', 'text', 'ab', 'unasked'),
      value('43.9', 'text', 'kept back', 'withheld'),
      { ...value('43.1', 'text', 'other'), name: 'second' },
    ]);
    expect(options).to.deep.equal([
      {
        code: 43,
        // 01 02 'a' 'b', 02 04 10.77.0.8
        value: '01026162' + '02040a4d0008',
        from: '43.1 s43.1 "ab" (site ard); 43.2 s43.2 10.77.0.8 (site ard)',
        tell: 'unasked',
      },
    ]);
    expect(unwritten).to.deep.equal([{ code: 43, name: 'second', why: 'setting s43.1 tells 43.1' }]);
  });

  it('of an enterprise stand behind its number and the length of all (RFC 3925, section 4)', () => {
    const { options } = toldOptions([
      value('125.4711.1', 'uint16', 9),
      value('125.1.5', 'flag', true),
      value('125.4711.2', 'text', 'x'),
    ]);
    expect(options.map((one) => [one.code, one.value])).to.deep.equal([
      // 0:0:0:1, length 3, 05 01 01; 0:0:18:103 (4711), length 7, 01 02 00 09, 02 01 'x'
      [125, '00000001' + '03' + '050101' + '00001267' + '07' + '01020009' + '020178'],
    ]);
    const long = toldOptions([value('125.9.1', 'text', 'a'.repeat(200)), value('125.9.2', 'text', 'b'.repeat(60))]);
    expect(long.unwritten.map(({ why }) => why)).to.deep.equal(['no room: an enterprise has 255 bytes']);
    expect(long.options[0]?.value).to.match(/^00000009ca01c8(61){200}$/);
  });

  it('that cannot be written keep no other from being told', () => {
    const { options, unwritten } = toldOptions([value('231', 'uint8', 300), value('232', 'flag', false)]);
    expect(options.map(({ code, row }) => [code, row])).to.deep.equal([[232, { name: 's232', type: 'flag' }]]);
    expect(unwritten).to.deep.equal([{ code: 231, name: 's231', why: '300 is not a number from 0 to 255' }]);
  });
});

describe('names in values of options', () => {
  const link = linkOf(
    {
      id: 1,
      key: '10.77.16.0/24',
      cidr: '10.77.16.0/24',
      vrf: 1,
      site: 1,
      vlan: 1,
      gateway: null,
      relays: null,
      pool: null,
      quarantine: null,
      leaseSeconds: null,
      answers: 'all',
      nameServers: null,
      timeServers: null,
      domain: null,
    },
    'default',
  );
  if (!link) throw new Error('no prefix of IPv4');
  const named: Named = {
    device: { name: 'ard-acc-1', serial: 'LF24-1', mac: null, model: 'larkfield/lf-24', duty: null, site: 'ard' },
    client: { mac: '02:00:5e:77:00:01', vendorClass: 'larkfield', relay: null, circuit: null },
    place: { address: '10.77.16.11', source: 'fixed', from: '', link, held: undefined },
    server: '10.77.0.10',
    file: null,
    folder: null,
  };

  it('are filled in for whoever asks; what is no text stays', () => {
    expect(mustParse(filled('@{device.name}.@{device.site}', named))).to.equal('ard-acc-1.ard');
    expect(mustParse(filled(['@{address}', '10.77.0.9'], named))).to.deep.equal(['10.77.16.11', '10.77.0.9']);
    expect(mustParse(filled('@{prefix.cidr} @{prefix.mask}', named))).to.equal('10.77.16.0/24 255.255.255.0');
    expect(mustParse(filled(1500, named))).to.equal(1500);
  });

  it('are looked at before there is anybody: those that are unknown, and what is no expression', () => {
    expect(faultIn('@{device.name}')).to.equal(undefined);
    expect(faultIn('@{device.colour}')).to.match(/colour/);
    expect(faultIn('@{set.time.servers}')).to.be.a('string');
    expect(faultIn('@{device.name')).to.be.a('string');
  });

  it('say what is wrong when it shows with somebody alone', () => {
    const read = filled('@{upper(file)}', named);
    expect(read).to.have.nested.property('fault.code', 'option-fill');
    // One line: it stands in a list of what was not told.
    const none = filled('@{file}', named);
    expect(none)
      .to.have.nested.property('fault.params.first')
      .that.matches(/^nothing cannot stand in a text[^\n]*$/);
  });
});

const profile = (title: string, more: Partial<BootProfile> = {}): BootProfile => ({
  id: 1,
  title,
  dialect: null,
  model: null,
  duty: null,
  classes: [],
  transport: 'tftp',
  file: '{device}.x',
  names: [],
  legs: [],
  unasked: [],
  stranger: null,
  ...more,
});

describe('boot profiles', () => {
  const device = { dialect: 1, model: 2, duty: 3 };
  const all = [
    profile('any'),
    profile('dialect', { dialect: 1 }),
    profile('model', { model: 2 }),
    profile('duty', { duty: 3 }),
    profile('class', { classes: ['larkfield'] }),
    profile('longer', { classes: ['larkfield LF', 'harrow'] }),
    profile('other', { dialect: 9, duty: 3 }),
  ];

  it('hold by the most particular match: class, duty, model, dialect', () => {
    const best = (profiles: BootProfile[], classes: string[]) => profilesFor(profiles, device, classes)[0]?.title;
    expect(best(all, ['larkfield LF-24'])).to.equal('longer');
    expect(best(all, ['larkfield X'])).to.equal('class');
    expect(best(all, ['4711:loader'])).to.equal('duty');
    expect(best(all.slice(0, 3), [])).to.equal('model');
    expect(best(all.slice(0, 2), [])).to.equal('dialect');
    expect(best(all.slice(5), [])).to.equal(undefined);
  });

  it('give strangers something by their class alone', () => {
    const stranger = { file: 'first-{mac}', template: 'first' };
    const open = [profile('everybody', { stranger }), profile('loaders', { classes: ['lark'], stranger }), ...all];
    expect(strangerProfile(open, ['larkfield'])?.title).to.equal('loaders');
    expect(strangerProfile(open, ['harrow'])).to.equal(undefined);
    expect(strangerProfile(open, [])).to.equal(undefined);
  });

  it('name files by what the device has, and by nothing that is not known', () => {
    const names = { device: 'a-1', serial: null, mac: '02:00:5e:77:00:01', model: 'larkfield/lf-24' };
    expect(fileName('{model}/{mac}-{device}.cfg', names)).to.equal('lf-24/02005e770001-a-1.cfg');
    expect(fileName('{serial}.cfg', names)).to.equal(undefined);
    for (const bad of ['', '{colour}.x', '/x', 'x/', 'a//b', '../x', 'a b', 'x\u0000'])
      expect(patternFault(bad), bad).to.be.a('string');
    for (const good of ['{device}.furrow', 'boot/{mac}', 'a+b_c.1'])
      expect(patternFault(good), good).to.equal(undefined);
  });

  it('lead through legs by what was fetched, or by what a client calls itself', () => {
    const legs = [
      { file: 'one', template: 't' },
      { file: 'two', template: 't' },
    ];
    const plain = profile('p', { legs });
    expect([0, 1, 2].map((done) => legOf(plain, done, [])?.file)).to.deep.equal(['one', 'two', undefined]);
    const said = profile('q', { legs: [{ file: 'loader', template: 't', class: 'lark-loader' }] });
    expect(legOf(said, 0, ['lark-system'])).to.equal(undefined);
    expect(legOf(said, 3, ['lark-loader 2'])?.file).to.equal('loader');
  });

  it('are told what is wrong with their legs', () => {
    const faults = (legs: unknown) => readLegs(legs).faults.map(({ path, why }) => `${path.join('.')} ${why}`);
    expect(faults(null)).to.deep.equal([]);
    expect(faults([{ file: '{device}.a', template: 't' }])).to.deep.equal([]);
    expect(faults('x')).to.deep.equal([' they are a list']);
    expect(faults([{ file: '../a', name: 'x' }, 7])).to.deep.equal([
      '0.name "name" is not known',
      '0.file a part of it is empty, or of dots alone',
      '0.template no template is named',
      '1 each is a map',
    ]);
  });
});

describe('classes that a client calls itself', () => {
  const classes = (options: [number, number[]][]) =>
    classesOf(
      clientOf({
        op: 'request',
        hardwareType: 1,
        hops: 0,
        xid: 1,
        secs: 0,
        broadcast: false,
        clientAddress: '0.0.0.0',
        yourAddress: '0.0.0.0',
        serverAddress: '0.0.0.0',
        relayAddress: '0.0.0.0',
        hardwareAddress: '02:00:5e:77:00:01',
        serverName: '',
        file: '',
        options: new Map(options.map(([code, bytes]) => [code, Uint8Array.from(bytes)])),
      }),
    );
  const bytes = (text: string) => [...new TextEncoder().encode(text)];

  it('are its vendor class, its user classes (RFC 3004, 4), and those of enterprises (RFC 3925, 3)', () => {
    expect(classes([[60, bytes('larkfield')]])).to.deep.equal(['larkfield']);
    expect(classes([[77, [2, ...bytes('ab'), 1, ...bytes('c')]]])).to.deep.equal(['ab', 'c']);
    // Plain text, as much as many send it.
    expect(classes([[77, bytes('loader')]])).to.deep.equal(['loader']);
    expect(classes([[77, [9, 1]]])).to.deep.equal(['0x0901']);
    // 4711 is 00 00 12 67; two classes, then another enterprise with one.
    const enterprises = [0, 0, 0x12, 0x67, 6, 2, ...bytes('ab'), 2, ...bytes('cd'), 0, 0, 0, 1, 2, 1, ...bytes('x')];
    expect(classes([[124, enterprises]])).to.deep.equal(['4711:ab', '4711:cd', '1:x']);
    expect(classes([[124, [0, 0, 0]]])).to.deep.equal([]);
    expect(classes([[124, [0, 0, 0, 1, 200, 100, ...bytes('cut')]]])).to.deep.equal(['1:cut']);
  });
});
