import { expect } from 'chai';
import fc from 'fast-check';
import { fits, freeStretches, slotName, slotsOf, type Extent, type RackShape } from './occupancy.ts';

const extent = (more: Partial<Extent> = {}): Extent => ({
  positionU: 5,
  heightU: 2,
  face: 'front',
  depth: 'half',
  width: 'full',
  side: 'left',
  ...more,
});
const names = (rack: RackShape, one: Extent) => slotsOf(rack, one).map(slotName);
const twelve: RackShape = { heightU: 12, numbering: 'bottom' };

describe('room in a rack', () => {
  it('is taken U by U, on the face it is mounted on', () =>
    expect(names(twelve, extent())).to.deep.equal(['5 front left', '5 front right', '6 front left', '6 front right']));
  it('is taken on the other face, too, by what is deep', () =>
    expect(names(twelve, extent({ heightU: 1, depth: 'full', face: 'rear' }))).to.deep.equal([
      '5 front left',
      '5 front right',
      '5 rear left',
      '5 rear right',
    ]));
  it('leaves the other half to a neighbour', () =>
    expect(names(twelve, extent({ heightU: 1, width: 'half', side: 'right' }))).to.deep.equal(['5 front right']));
  it('is counted from the bottom, whatever is printed on the rack', () =>
    expect(names({ heightU: 12, numbering: 'top' }, extent({ width: 'half' }))).to.deep.equal([
      '8 front left',
      '7 front left',
    ]));
  it('is not there above the top', () => {
    expect(fits(twelve, extent({ positionU: 11 }))).to.equal(true);
    expect(fits(twelve, extent({ positionU: 12 }))).to.equal(false);
    expect(names(twelve, extent({ positionU: 12 }))).to.deep.equal([]);
  });
  it('is free in stretches', () =>
    expect(
      freeStretches(twelve, [...slotsOf(twelve, extent()), ...slotsOf(twelve, extent({ positionU: 12, heightU: 1 }))]),
    ).to.deep.equal([
      { from: 1, to: 4 },
      { from: 7, to: 11 },
    ]));

  it('is shared by two things exactly when a picture of both would overlap', () => {
    const anything = fc.record({
      positionU: fc.integer({ min: 1, max: 8 }),
      heightU: fc.integer({ min: 0, max: 4 }),
      face: fc.constantFrom('front' as const, 'rear' as const),
      depth: fc.constantFrom('full' as const, 'half' as const),
      width: fc.constantFrom('full' as const, 'half' as const),
      side: fc.constantFrom('left' as const, 'right' as const),
    });
    /** As boxes in space, with nothing of the slots. */
    const overlap = (a: Extent, b: Extent): boolean => {
      const apart = (from: number, to: number, other: number, end: number) => to <= other || end <= from;
      const across = (one: Extent): [number, number] =>
        one.width === 'full' ? [0, 2] : one.side === 'left' ? [0, 1] : [1, 2];
      const inwards = (one: Extent): [number, number] =>
        one.depth === 'full' ? [0, 2] : one.face === 'front' ? [0, 1] : [1, 2];
      return !(
        apart(a.positionU, a.positionU + a.heightU, b.positionU, b.positionU + b.heightU) ||
        apart(...across(a), ...across(b)) ||
        apart(...inwards(a), ...inwards(b)) ||
        a.heightU === 0 ||
        b.heightU === 0
      );
    };
    for (const numbering of ['bottom', 'top'] as const)
      fc.assert(
        fc.property(anything, anything, (a, b) => {
          const rack = { heightU: 12, numbering };
          const taken = new Set(slotsOf(rack, a).map(slotName));
          expect(slotsOf(rack, b).some((slot) => taken.has(slotName(slot)))).to.equal(overlap(a, b));
        }),
      );
  });
});
