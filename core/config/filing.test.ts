import { expect } from 'chai';
import { fileVerdict, readPlaces } from './filing.ts';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const found = (text: string, owner: string | null = 'root:root', mode: string | null = '644') => ({
  content: bytes(text),
  owner,
  mode,
});
const anyone = { owner: null, mode: null };

describe('files of a host', () => {
  it('says what has to be done, and why', () => {
    expect(fileVerdict(anyone, bytes('a'), null)).to.deep.equal({ deed: 'new', why: [] });
    expect(fileVerdict(anyone, null, found('a'))).to.deep.equal({ deed: 'gone', why: [] });
    expect(fileVerdict(anyone, null, null)).to.equal(undefined);
    expect(fileVerdict(anyone, bytes('a'), found('a'))).to.equal(undefined);
    expect(fileVerdict(anyone, bytes('a\n'), found('a'))).to.deep.equal({ deed: 'changed', why: ['text'] });
    expect(fileVerdict({ owner: 'root', mode: '600' }, bytes('a'), found('b', 'zpine:adm', '644'))).to.deep.equal({
      deed: 'changed',
      why: ['text', 'owner', 'mode'],
    });
  });

  it('takes a user without a group for any group, and what the device does not tell for right', () => {
    expect(fileVerdict({ owner: 'root', mode: null }, bytes('a'), found('a', 'root:adm'))).to.equal(undefined);
    expect(fileVerdict({ owner: 'root:root', mode: null }, bytes('a'), found('a', 'root:adm'))?.why).to.deep.equal([
      'owner',
    ]);
    expect(fileVerdict({ owner: 'root', mode: '600' }, bytes('a'), found('a', null, null))).to.equal(undefined);
  });

  it('reads places as people write them', () => {
    expect(
      readPlaces([
        { output: 'motd', path: '/etc/motd', owner: 'root:adm', mode: '0644', changed: 'systemctl reload motd' },
        { output: 'plain', path: '/etc/plain', mode: 600 },
      ]),
    ).to.deep.equal({
      places: [
        { output: 'motd', path: '/etc/motd', owner: 'root:adm', mode: '644', changed: 'systemctl reload motd' },
        { output: 'plain', path: '/etc/plain', owner: null, mode: '600', changed: null },
      ],
      faults: [],
    });
    expect(readPlaces(null)).to.deep.equal({ places: [], faults: [] });
  });

  it('names every fault with its place', () => {
    const codes = (value: unknown) => readPlaces(value).faults.map(({ path, code }) => [path.join('.'), code]);
    expect(codes('motd')).to.deep.equal([['', 'place-form']]);
    expect(codes(['motd', { output: 'a', path: '/a' }])).to.deep.equal([['0', 'place-form']]);
    expect(codes([{ output: 'a b', path: 'etc/motd', owner: 'root root', mode: '9', change: 'x' }])).to.deep.equal([
      ['0.change', 'place-key'],
      ['0.output', 'place-value'],
      ['0.path', 'place-value'],
      ['0.owner', 'place-value'],
      ['0.mode', 'place-value'],
    ]);
    for (const path of ['/etc/../shadow', '/etc/a b', "/etc/';reboot;'", '/etc/', '/', '/etc/$HOME', '/etc/a\nb'])
      expect(codes([{ output: 'a', path }]), path).to.deep.equal([['0.path', 'place-value']]);
    expect(
      codes([
        { output: 'a', path: '/a' },
        { output: 'a', path: '/a' },
      ]),
    ).to.deep.equal([
      ['1.output', 'place-twice'],
      ['1.path', 'place-twice'],
    ]);
  });
});
