import { expect } from 'chai';
import fc from 'fast-check';
import { mustParse } from '../fault.ts';
import { expandSeries, shortSeries } from '../naming/series.ts';
import { readHosts } from './hosts.ts';
import { formatNumbers, parseNumbers } from './numbers.ts';
import { readScans } from './scans.ts';

const known = {
  model: (text: string) =>
    /^lf-?24$/i.test(text) ? 'larkfield/lf-24' : /^lf-?48$/i.test(text) ? 'larkfield/lf-48' : undefined,
  device: (text: string) => (/^ard-acc-\d$/.test(text) ? text : undefined),
};
const scans = (text: string) => {
  const { boxes, faults } = readScans(text, known);
  return {
    boxes: boxes.map((b) => [b.serial, b.mac, b.model, b.device].map((one) => one ?? '-').join(' ')),
    faults: faults.map((f) => `${f.line} ${f.code} ${f.value}`),
  };
};

describe('scans', () => {
  const cases: [string, string, string[], string[]?][] = [
    ['serials alone', 'LF24-1\nLF24-2\n', ['LF24-1 - - -', 'LF24-2 - - -']],
    ['a scan that came twice', 'LF24-1\nLF24-1\nLF24-2\n', ['LF24-1 - - -', 'LF24-2 - - -']],
    [
      'serial and MAC by turns, in any notation',
      'LF24-1\n0000.5e00.53a1\nLF24-2\n00-00-5E-00-53-A2\n',
      ['LF24-1 00:00:5e:00:53:a1 - -', 'LF24-2 00:00:5e:00:53:a2 - -'],
    ],
    [
      'MAC before serial',
      '00005e0053a1\nLF24-1\n00005e0053a2\nLF24-2',
      ['LF24-1 00:00:5e:00:53:a1 - -', 'LF24-2 00:00:5e:00:53:a2 - -'],
    ],
    [
      'a model that holds until the next one',
      'LF-24\nLF24-1\nLF24-2\nLF-48\nLF48-1\n',
      ['LF24-1 - larkfield/lf-24 -', 'LF24-2 - larkfield/lf-24 -', 'LF48-1 - larkfield/lf-48 -'],
    ],
    [
      'a model behind each',
      'LF24-1\nLF-24\nLF48-1\nLF-48\n',
      ['LF24-1 - larkfield/lf-24 -', 'LF48-1 - larkfield/lf-48 -'],
    ],
    ['what stickers say', 'S/N: LF24-1\nMAC 0000.5e00.53a1\n', ['LF24-1 00:00:5e:00:53:a1 - -']],
    [
      'a table in any order, with a head',
      'mac,model,serial\n00:00:5e:00:53:a1,lf24,LF24-1\n,lf-48,LF48-1\n',
      ['LF24-1 00:00:5e:00:53:a1 larkfield/lf-24 -', 'LF48-1 - larkfield/lf-48 -'],
    ],
    [
      'a table without a head, with blanks',
      'LF24-1  00:00:5e:00:53:a1  LF-24\nLF-48 LF48-1 00:00:5e:00:53:a2\n',
      ['LF24-1 00:00:5e:00:53:a1 larkfield/lf-24 -', 'LF48-1 00:00:5e:00:53:a2 larkfield/lf-48 -'],
    ],
    [
      'the device that it is for',
      'LF24-1;ard-acc-3\nLF24-2;ard-acc-4\n',
      ['LF24-1 - - ard-acc-3', 'LF24-2 - - ard-acc-4'],
    ],
    [
      'only MACs: their serials are not known yet',
      '00005e0053a1\n00005e0053a2\n',
      ['- 00:00:5e:00:53:a1 - -', '- 00:00:5e:00:53:a2 - -'],
    ],
    [
      'a MAC whose serial was not scanned',
      'LF24-1\n00005e0053a1\n00005e0053a2\n',
      ['LF24-1 00:00:5e:00:53:a1 - -'],
      ['3 scan-mac-twice 00:00:5e:00:53:a2'],
    ],
    ['words that are no scan', 'LF24-1\nplease scan below\n', ['LF24-1 - - -'], ['2 scan-row please scan below']],
    [
      'a MAC column with something else in it',
      'serial,mac\nLF24-1,00:00:5e:00:53\n',
      ['LF24-1 - - -'],
      ['2 scan-row 00:00:5e:00:53'],
    ],
  ];
  for (const [what, text, boxes, faults = []] of cases)
    it(`reads ${what}`, () => expect(scans(text)).to.deep.equal({ boxes, faults }));
});

const hosts = (text: string) => {
  const read = readHosts(text);
  return {
    hosts: read.hosts.map((h) =>
      [
        h.line,
        h.name,
        h.addresses.join('+') || '-',
        ...h.again.map(({ line, address }) => `again ${line}:${address}`),
        h.note ?? '-',
      ].join(' '),
    ),
    faults: read.faults.map((f) => `${f.line} ${f.column} ${f.code} ${f.value}`),
  };
};

describe('pasted lists of names and addresses', () => {
  const cases: [string, string, string[], string[]?][] = [
    [
      'a hosts file',
      '127.0.0.1 localhost\n::1 ip6-localhost ip6-loopback\n# switches\n10.77.16.11 ard-acc-1.brackwater.example ard-acc-1 # quay\n',
      ['4 ard-acc-1 10.77.16.11 ard-acc-1.brackwater.example, quay'],
    ],
    [
      'a hosts file with tabs, as machines have it',
      '127.0.0.1\tlocalhost\n127.0.1.1\tquay-desk.brackwater.example quay-desk\n::1\tip6-localhost ip6-loopback\nff02::1\tip6-allnodes\n\n10.77.16.11\tard-acc-1.brackwater.example ard-acc-1\n192.0.2.7\tsw-seven\n',
      ['6 ard-acc-1 10.77.16.11 ard-acc-1.brackwater.example', '7 sw-seven 192.0.2.7 -'],
    ],
    [
      'what names its interfaces below their devices',
      '10.77.17.1\tcu2-316.ard-xr-1.brackwater.example\n10.77.18.1\tcu2-316.har-xr-1.brackwater.example\n10.77.255.2\tard-xr-1.brackwater.example ard-xr-1\n2001:db8::2\tard-xr-1.brackwater.example ard-xr-1\n10.77.255.3\thar-xr-1.brackwater.example har-xr-1\n',
      [
        '3 ard-xr-1 10.77.255.2+2001:db8::2 ard-xr-1.brackwater.example',
        '5 har-xr-1 10.77.255.3 har-xr-1.brackwater.example',
      ],
    ],
    [
      'tabs, with words behind the name',
      'ard-acc-1\t10.77.16.11\tyard switch\n',
      ['1 ard-acc-1 10.77.16.11 yard switch'],
    ],
    [
      'blanks',
      'ard-acc-1   10.77.16.11\nARD-ACC-2 10.77.16.12',
      ['1 ard-acc-1 10.77.16.11 -', '2 ard-acc-2 10.77.16.12 -'],
    ],
    [
      'tabs, with a head',
      'Hostname\tRoom\tIP Address\nard-acc-1\tcloset\t10.77.16.11\n',
      ['2 ard-acc-1 10.77.16.11 closet'],
    ],
    ['commas and a length', 'ard-acc-1, 10.77.16.11/24\n', ['1 ard-acc-1 10.77.16.11 -']],
    [
      'no address, in many words',
      'ard-acc-1;unassigned\nard-acc-2;-\nard-acc-3;n/a\n',
      ['1 ard-acc-1 - -', '2 ard-acc-2 - -', '3 ard-acc-3 - -'],
    ],
    [
      'an address of either family',
      '10.77.16.11 ard-acc-1\n2001:DB8:0::1 ard-acc-1\n',
      ['1 ard-acc-1 10.77.16.11+2001:db8::1 -'],
    ],
    [
      'a name twice',
      '10.77.16.11 ard-acc-1\n10.77.16.12 ard-acc-1\n',
      ['1 ard-acc-1 10.77.16.11 again 2:10.77.16.12 -'],
    ],
    [
      'a line twice',
      '10.77.16.11 ard-acc-1\n10.77.16.11 ard-acc-1\n',
      ['1 ard-acc-1 10.77.16.11 -'],
      ['2 name import-twice ard-acc-1'],
    ],
    ['a device before its loopback', 'har-wb-1 127.0.0.1\n', ['1 har-wb-1 127.0.0.1 -']],
    ['leading zeros', 'ard-acc-1 010.077.016.011\n', [], ['1 address address-leading-zero 010.077.016.011']],
    ['an octet too many', 'ard-acc-1 10.77.16.256\n', [], ['1 address address-octet 10.77.16.256']],
    [
      'an address without a name',
      '10.77.16.11\n2001:db8::1\n',
      ['1 at-10-77-16-11 10.77.16.11 -', '2 at-2001-db8-1 2001:db8::1 -'],
    ],
    ['whole names without addresses', 'ard-acc-1.brackwater.example\n', ['1 ard-acc-1 - ard-acc-1.brackwater.example']],
  ];
  for (const [what, text, read, faults = []] of cases)
    it(`reads ${what}`, () => expect(hosts(text)).to.deep.equal({ hosts: read, faults }));
});

describe('tables of hosts whose heads say what else they tell', () => {
  const read = (text: string) =>
    readHosts(text).hosts.map(({ name, addresses, said, note }) => [
      name,
      addresses.join(),
      said.map(({ word, value }) => `${word}=${value}`).join(' '),
      note,
    ]);

  it('give each host what stands in its line', () => {
    const text = 'ssh port;Name;IP;OS;Floor\n2222;ard-acc-1;10.77.16.11;furrow;2\n;ard-acc-2;10.77.16.12;;3\n';
    expect(read(text)).to.deep.equal([
      ['ard-acc-1', '10.77.16.11', 'ssh port=2222 os=furrow', '2'],
      ['ard-acc-2', '10.77.16.12', '', '3'],
    ]);
  });

  it('need no name, where each is called by its address', () =>
    expect(read('ip,user\n10.77.16.11,netops\n')).to.deep.equal([
      ['at-10-77-16-11', '10.77.16.11', 'user=netops', null],
    ]));

  it('are told from lines that only look alike', () =>
    expect(read('switch user 10.77.16.11\n')).to.deep.equal([['switch', '10.77.16.11', '', 'user']]));
});

describe('lists of numbers', () => {
  it('are written as people write them', () => {
    const read = (text: string) => parseNumbers(text, { min: 1, max: 4094 });
    expect(read('328, 316 340-343')).to.deep.equal({ ok: true, value: [316, 328, 340, 341, 342, 343] });
    expect(formatNumbers([316, 328, 329, 340, 341, 342])).to.equal('316, 328, 329, 340-342');
    for (const text of ['0', '4095', '12-9', 'x', '1..4', '-4']) expect(read(text).ok, text).to.equal(false);
  });

  it('come back from their text', () =>
    fc.assert(
      fc.property(fc.uniqueArray(fc.integer({ min: 1, max: 4094 })), (some) => {
        const numbers = some.sort((a, b) => a - b);
        expect(parseNumbers(formatNumbers(numbers), { min: 1, max: 4094 })).to.deep.equal({ ok: true, value: numbers });
      }),
    ));
});

describe('names in a row, made short', () => {
  it('are one word where their last numbers follow one another', () => {
    expect(shortSeries(['1/1', '1/2', '1/3', '1/5', 'con', 'cu1.0', '2/07', '2/08'])).to.deep.equal([
      '1/{1..3}',
      '1/5',
      'con',
      'cu1.0',
      '2/07',
      '2/08',
    ]);
  });

  it('stand for the same names', () =>
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.constantFrom('1/', 'cu', '3/1/', 'x'), fc.integer({ min: 0, max: 30 }))),
        (some) => {
          const names = some.map(([before, n]) => `${before}${n}`);
          const back = shortSeries(names).flatMap((word) => mustParse(expandSeries(word)));
          expect(back).to.deep.equal(names);
        },
      ),
    ));
});
