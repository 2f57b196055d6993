/** Which room in a rack a thing takes: U by U, front and rear, left and right. */

export type Face = 'front' | 'rear';
export type Side = 'left' | 'right';

export interface RackShape {
  heightU: number;
  /** Where U 1 is. */
  numbering: 'bottom' | 'top';
}

export interface Extent {
  /** The lowest of the numbers that it takes, as they are printed on the rack. */
  positionU: number;
  /** 0 takes no room. */
  heightU: number;
  face: Face;
  /** What is deep as the rack takes the other face, too. */
  depth: 'full' | 'half';
  width: 'full' | 'half';
  /** Of what is half as wide as the rack; as seen from the front, whatever the face. */
  side: Side;
}

/** A quarter of one U. */
export interface Slot {
  /** Counted from the bottom, whatever is printed on the rack. */
  u: number;
  face: Face;
  half: Side;
}

const faces: Face[] = ['front', 'rear'];
const sides: Side[] = ['left', 'right'];

/** From the number on the rack to the count from the bottom; the same way back. */
export const fromBottom = (rack: RackShape, number: number): number =>
  rack.numbering === 'bottom' ? number : rack.heightU + 1 - number;

export const fits = (rack: RackShape, { positionU, heightU }: Pick<Extent, 'positionU' | 'heightU'>): boolean =>
  positionU >= 1 && positionU + Math.max(1, heightU) - 1 <= rack.heightU;

/** The slots that it takes; none where it does not fit. */
export function slotsOf(rack: RackShape, extent: Extent): Slot[] {
  if (!fits(rack, extent)) return [];
  const out: Slot[] = [];
  for (let n = extent.positionU; n < extent.positionU + extent.heightU; n += 1)
    for (const face of extent.depth === 'full' ? faces : [extent.face])
      for (const half of extent.width === 'full' ? sides : [extent.side])
        out.push({ u: fromBottom(rack, n), face, half });
  return out;
}

export const slotName = ({ u, face, half }: Slot): string => `${u} ${face} ${half}`;

/** Stretches of numbers at which nothing is in the way of something as high, deep and wide as the rack. */
export function freeStretches(rack: RackShape, taken: Iterable<Slot>): { from: number; to: number }[] {
  const used = new Set([...taken].map((slot) => fromBottom(rack, slot.u)));
  const out: { from: number; to: number }[] = [];
  for (let n = 1; n <= rack.heightU; n += 1) {
    if (used.has(n)) continue;
    const last = out.at(-1);
    if (last?.to === n - 1) last.to = n;
    else out.push({ from: n, to: n });
  }
  return out;
}
