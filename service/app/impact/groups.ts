/** Puts devices together to which the same would happen. Memory holds so many differences and not one a device. */
import type { DeviceDiff, ImpactGroup } from '@zpine/contract/impactShapes';
import { impactWords } from './words.ts';

/** Of differences of one shape so many are shown each for itself; the rest is one group with an example. */
const EACH = 5;
/** Beyond so many shapes all the rest is one group. */
const SHAPES = 200;

interface Shape {
  /** Groups by the text of their difference. */
  own: Map<string, ImpactGroup>;
  rest: ImpactGroup | null;
}

export class Groups {
  private readonly shapes = new Map<string, Shape>();
  private count = 0;

  /** The group of a difference, and whether it is new. */
  put(diff: DeviceDiff): { group: ImpactGroup; fresh: boolean } {
    const word = this.shapes.size < SHAPES ? shapeOf(diff) : 'rest';
    const shape = this.shapes.get(word) ??
      this.shapes.get('rest') ?? { own: new Map<string, ImpactGroup>(), rest: null };
    if (!this.shapes.has(word)) this.shapes.set(word, shape);
    const text = JSON.stringify(diff);
    const own = shape.own.get(text);
    if (own) return { group: own, fresh: false };
    if (shape.own.size < EACH) {
      const group = this.make(diff, false);
      shape.own.set(text, group);
      return { group, fresh: true };
    }
    if (shape.rest) return { group: shape.rest, fresh: false };
    shape.rest = this.make(diff, true);
    return { group: shape.rest, fresh: true };
  }

  private make(diff: DeviceDiff, each: boolean): ImpactGroup {
    this.count += 1;
    return { id: this.count, words: impactWords(diff), diff, each };
  }
}

/** Which parts, with how many lines; the lines themselves do not count. */
const shapeOf = ({ is, parts, boot, troubles, mended }: DeviceDiff): string =>
  JSON.stringify([
    is,
    parts.map((s) => [s.file, s.part, s.removed.length, s.added.length, s.more]),
    boot && [boot.removed.length, boot.added.length],
    troubles.length,
    mended.length,
  ]);
