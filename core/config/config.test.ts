import { expect } from 'chai';
import { describe, it } from 'mocha';
import fc from 'fast-check';
import { parseBraces, parseBrackets, parseConfig, parseIndented, walk } from './tree.ts';

describe('indented configurations', () => {
  it('are read as a tree, by columns', () => {
    const tree = parseIndented('a\n  b\n    c\n  d\n\ne\n\tf\n');
    expect([...walk(tree)].map(({ node, above }) => [...above, node.text].join('>'))).to.deep.equal([
      'a',
      'a>b',
      'a>b>c',
      'a>d',
      'e',
      'e>f',
    ]);
  });
  it('keep every line that is not empty', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.nat(6), fc.stringMatching(/^[a-z]{1,4}$/))), (lines) => {
        const text = lines.map(([indent, word]) => ' '.repeat(indent) + word).join('\n');
        expect([...walk(parseIndented(text))].map(({ node }) => node.text)).to.deep.equal(
          lines.map(([, word]) => word),
        );
      }),
    );
  });
});

describe('configurations of blocks in square brackets', () => {
  const paths = (text: string) =>
    [...walk(parseBrackets(text))].map(({ node, above }) => [...above, node.text].join(' / '));
  it('are read one entry a line, and lines that name their blocks from the top are the same', () => {
    const wide =
      'host [\n  name a\n]\nport cu1 [\n  note "to / the [crane] ["\n  vlan 3 [\n    address 1.2.3.4/24\n  ]\n]\n';
    const narrow = 'host / name a\nport cu1 / note "to / the [crane] ["\nport cu1 / vlan 3 / address 1.2.3.4/24';
    expect(paths(narrow)).to.deep.equal(paths(wide));
    expect(paths(wide)).to.deep.equal([
      'host',
      'host / name a',
      'port cu1',
      'port cu1 / note "to / the [crane] ["',
      'port cu1 / vlan 3',
      'port cu1 / vlan 3 / address 1.2.3.4/24',
    ]);
  });
  it('take the mark of what shall go to the entry, not to its blocks', () => {
    expect(paths('- clock / server 1.2.3.4')).to.deep.equal(['clock', 'clock / - server 1.2.3.4']);
    expect(paths('clock [\n- server 1.2.3.4\n]')).to.deep.equal(['clock', 'clock / - server 1.2.3.4']);
    expect(paths('- clock')).to.deep.equal(['- clock']);
  });
  it('never fail, however they are broken, and lose no entry', () => {
    fc.assert(
      fc.property(fc.stringMatching(/^[a[\]"/ \n]*$/), (text) => {
        const entries = paths(text);
        expect(entries.every((entry) => entry.trim() !== '')).to.equal(true);
        for (const line of text.split('\n'))
          if (/^a+$/.test(line.trim())) expect(entries.some((entry) => entry.endsWith(line.trim()))).to.equal(true);
      }),
    );
  });
  it('leave out remarks', () => {
    expect(paths('')).to.deep.equal([]);
    const read = parseConfig('# inked\nhost / name a\n', { blocks: 'bracket', comment: '#' });
    expect(read.map((node) => node.text)).to.deep.equal(['host']);
  });
});

describe('configurations of nested braces', () => {
  it('are read as a tree, whatever the layout, and text in quotes is left alone', () => {
    const wide =
      'host {\n  name a;\n}\nport cu1 {\n  note "to;  the {crane}";\n  vlan 3 {\n    address 1.2.3.4/24;\n  }\n}\n';
    const narrow = 'host{name a;}port cu1{note "to;  the {crane}";vlan   3{address\n1.2.3.4/24;}}';
    const paths = (text: string) =>
      [...walk(parseBraces(text))].map(({ node, above }) => [...above, node.text].join(' / '));
    expect(paths(wide)).to.deep.equal(paths(narrow));
    expect(paths(wide))
      .to.include('port cu1 / note "to;  the {crane}"')
      .and.include('port cu1 / vlan 3 / address 1.2.3.4/24');
  });
  it('never fail, however they are broken', () => {
    fc.assert(
      fc.property(fc.stringMatching(/^[a{};"\n ]*$/), (text) => {
        expect([...walk(parseBraces(text))].every(({ node }) => node.text !== '')).to.equal(true);
      }),
    );
  });
  it('leave out remarks', () => {
    expect(parseConfig('// a\nhost;\n', { blocks: 'brace', comment: '//' }).map((node) => node.text)).to.deep.equal([
      'host',
    ]);
  });
});
