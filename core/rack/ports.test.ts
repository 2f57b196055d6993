import { expect } from 'chai';
import fc from 'fast-check';
import { cableKindNames, isEthernet, plugFits, portKindNames, portsFit, type PortKindName } from './ports.ts';
import { expandPorts, expandSlots, parsePorts, parseSlots, portsText, slotsText } from './portGroups.ts';
import { mustParse } from '../fault.ts';

describe('kinds of ports', () => {
  const kinds = fc.constantFrom(...portKindNames);

  it('fit whichever end is named first', () =>
    fc.assert(fc.property(kinds, kinds, (a, b) => portsFit(a, b) === portsFit(b, a))));

  it('fit those of their medium alone', () => {
    const cases: [PortKindName, PortKindName, boolean][] = [
      ['1000base-t', '10gbase-t', true],
      ['1000base-t', '100base-tx', true],
      ['1000base-t', '1000base-x', false],
      ['1000base-x', '10gbase-r', true],
      ['10gbase-r', '40gbase-r', false],
      ['40gbase-r', '100gbase-r', true],
      ['100gbase-r', '400gbase-r', false],
      ['1000base-t', 'panel-copper', true],
      ['panel-copper', 'panel-copper', true],
      ['panel-copper', 'panel-fibre', false],
      ['10gbase-r', 'panel-fibre', true],
      ['10gbase-r', 'panel-copper', false],
      ['console', 'console', true],
      ['console', 'panel-copper', true],
      ['console', 'panel-fibre', false],
      ['console', '1000base-t', false],
      ['console-usb', 'console-usb', true],
      ['console', 'console-usb', false],
      ['power-inlet', 'power-outlet', true],
      ['power-inlet', 'power-inlet', false],
      ['power-outlet', 'power-outlet', false],
      ['power-outlet', '1000base-t', false],
      ['ethernet', '1000base-t', true],
      ['ethernet', '10gbase-r', true],
      ['ethernet', 'panel-fibre', true],
      ['ethernet', 'console', false],
      ['ethernet', 'power-outlet', false],
    ];
    for (const [a, b, fits] of cases) expect(portsFit(a, b), `${a} and ${b}`).to.equal(fits);
  });

  it('take the plugs that go into them, and every cable goes into something', () => {
    expect(plugFits('cat6', '1000base-t')).to.equal(true);
    expect(plugFits('cat6', '10gbase-r')).to.equal(false);
    expect(plugFits('cat6', 'console')).to.equal(true);
    expect(plugFits('twinax', '10gbase-r')).to.equal(true);
    expect(plugFits('twinax', 'panel-fibre')).to.equal(false);
    expect(plugFits('om4', 'panel-fibre')).to.equal(true);
    expect(plugFits('power', 'power-inlet')).to.equal(true);
    expect(plugFits('power', 'ethernet')).to.equal(false);
    for (const cable of cableKindNames)
      expect(
        portKindNames.some((port) => plugFits(cable, port)),
        cable,
      ).to.equal(true);
  });

  it('have interfaces where they are Ethernet, and panels have none', () => {
    expect(portKindNames.filter((kind) => !isEthernet(kind))).to.have.members([
      'panel-copper',
      'panel-fibre',
      'console',
      'console-usb',
      'power-inlet',
      'power-outlet',
    ]);
  });
});

describe('ports by pattern', () => {
  const names = (text: string, slot: string | null = null) =>
    mustParse(expandPorts(mustParse(parsePorts(text)), slot)).map((socket) => socket.name);

  it('count, several groups behind one another', () => {
    expect(names('1/{1..3} 1000base-t; xe{0..1},con console')).to.deep.equal([
      '1/1',
      '1/2',
      '1/3',
      'xe0',
      'xe1',
      'con',
    ]);
    expect(names('{slot}/{1..2} 10gbase-r', '3/1')).to.deep.equal(['3/1/1', '3/1/2']);
  });

  it('have two sides on a panel, each the way on from the other', () => {
    expect(mustParse(expandPorts(mustParse(parsePorts('{1..2} panel-copper')), null))).to.deep.equal([
      { name: '1', kind: 'panel-copper', through: '1-rear' },
      { name: '1-rear', kind: 'panel-copper', through: '1' },
      { name: '2', kind: 'panel-copper', through: '2-rear' },
      { name: '2-rear', kind: 'panel-copper', through: '2' },
    ]);
  });

  it('are refused with the reason', () => {
    const code = (text: string) => {
      const read = parsePorts(text);
      return read.ok ? 'fine' : `${read.fault.code} ${Object.values(read.fault.params).join(' ').slice(0, 24)}`;
    };
    expect(code('1/{1..24}')).to.equal('groups-syntax 1/{1..24}');
    expect(code('1/{1..24} 1000baset')).to.match(/^port-kind-unknown 1000baset/);
    expect(code('1/{1..9999} 1000base-t')).to.match(/^series-many/);
    expect(code('{1..40}/{1..40} 1000base-t')).to.match(/^series-many/);
    expect(code('a{1..600} console; b{1..600} console')).to.equal('ports-many b{1..600} 1000');
    expect(code('1/{1..4} 1000base-t; 1/3 10gbase-r')).to.equal('port-twice 1/3');
    expect(code('GE1 1000base-t; ge1 console')).to.equal('port-twice ge1');
    expect(code('1/{1..x} console')).to.match(/^series-syntax/);
    expect(code('a$ console')).to.match(/^port-name-syntax/);
    expect(expandPorts([{ names: '{slot}/1', kind: 'console' }], null).ok).to.equal(false);
  });

  it('read what they write', () => {
    const group = fc.record({
      names: fc.constantFrom('1/{1..24}', 'cu{0..7}', 'con', 'a1,a2', '{slot}/{1..8}'),
      kind: fc.constantFrom(...portKindNames),
    });
    fc.assert(
      fc.property(fc.uniqueArray(group, { selector: (g) => g.names, maxLength: 5 }), (groups) => {
        expect(mustParse(parsePorts(portsText(groups)))).to.deep.equal(groups);
        expect(mustParse(parsePorts(groups))).to.deep.equal(groups);
      }),
    );
  });

  it('name slots likewise', () => {
    expect(
      mustParse(expandSlots(mustParse(parseSlots('{1..2} line; fan fan-tray')))).map((s) => `${s.name} ${s.takes}`),
    ).to.deep.equal(['1 line', '2 line', 'fan fan-tray']);
    expect(slotsText(mustParse(parseSlots([{ names: '{1..4}', takes: 'Line' }])))).to.equal('{1..4} line');
    for (const text of ['1/1 line', '{1..2} line; 2 line', '{1..200} line', 'a b$'])
      expect(parseSlots(text).ok, text).to.equal(false);
  });
});
