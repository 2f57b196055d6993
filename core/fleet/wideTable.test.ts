import { expect } from 'chai';
import { isWide, wideTable } from './wideTable.ts';

describe('a wide table', () => {
  const cells = [
    ['No.', 'Switch', 'VLAN', 'Access_Port', 'Commands'],
    ['1', 'har-acc-1', '316', '1/5', 'socket 1/5\n  state live'],
    ['2', '10.77.0.41', '352', '', ''],
    ['', '', '', '', ''],
  ];

  it('is seen by its head row: one column says which device', () => {
    expect(isWide(cells)).to.equal(true);
    expect(
      isWide([
        ['har-acc-1', 'har-acc-2'],
        ['tell clock', 'tell faces'],
      ]),
    ).to.equal(false);
    expect(isWide([['name']])).to.equal(false);
  });

  it('gives each row its device, its values by their heads, and its lines', () => {
    const { heads, rows, faults } = wideTable(cells);
    expect(faults).to.deep.equal([]);
    expect(heads).to.deep.equal(['no.', 'vlan', 'access-port']);
    expect(rows).to.deep.equal([
      {
        row: 2,
        device: 'har-acc-1',
        values: { 'no.': '1', vlan: '316', 'access-port': '1/5' },
        lines: ['socket 1/5', '  state live'],
      },
      { row: 3, device: '10.77.0.41', values: { 'no.': '2', vlan: '352' }, lines: [] },
    ]);
  });

  it('tells all faults by row and column', () => {
    const { faults } = wideTable([
      ['device', 'vlan', 'VLAN', ''],
      ['', '316', '', ''],
      ['har-acc-1', '316', '', 'stray'],
    ]);
    expect(faults.map(({ code, params }) => [code, params.row, params.column])).to.deep.equal([
      ['wide-head-twice', undefined, 3],
      ['wide-device-missing', 2, 1],
      ['wide-head-missing', 3, 4],
    ]);
    expect(wideTable([['device', 'vlan']]).faults.map(({ code }) => code)).to.deep.equal(['list-empty']);
  });
});
