/** The smallest set of lines that brings a running configuration to the edition, in an order that a device can follow. */
import type { Uplinks } from '../dialect/sameness.ts';
import type { Step } from '../fleet/errand.ts';
import type { Difference } from './compare.ts';
import type { Reader } from './intended.ts';

/**
 * The steps of a push. What other lines need comes before them (`builds` of the sheet), what they needed goes after them; the
 * way in is touched last, its new lines before the old ones go. What may stand in one place only goes before it comes to
 * another, and so do lines whose order counts.
 *
 * @param uplinks by what the way in comes: these ports are touched late, too, and what gives a way before what takes one
 */
export function pushSteps(differences: readonly Difference[], reader: Reader, uplinks?: Uplinks): Step[] {
  const comes: Ranked[] = [];
  const goes: Ranked[] = [];
  const first: Step[] = [];
  const isWayIn = ({ above, line, inside }: Difference) =>
    reader.isWayIn(above, line, uplinks) || inside.some((path) => reader.isWayIn([...above, line], path, uplinks));
  const come = (difference: Difference, instead: string | null) => {
    const { above, line } = difference;
    const step = { above, line, away: false, instead, right: false };
    const takesWay = takesWayBy(reader, uplinks, above, line, instead);
    comes.push({
      step,
      // What takes a way in comes when every other one is there.
      rank: takesWay ? Infinity : reader.buildRank(above, line),
      wayIn: takesWay || isWayIn(difference),
      frees: [],
    });
  };
  for (const difference of differences) {
    const { kind, above, line, instead, below } = difference;
    if (kind === 'missing') {
      // A block is opened by what is in it.
      if (below === 0) come(difference, null);
      continue;
    }
    if (kind === 'extra') {
      const step = { above, line, away: true, instead: null, right: false };
      const frees = [
        reader.exclusiveOf(above, line),
        ...difference.inside.map((path) => reader.exclusiveOf([...above, line], path)),
      ].filter((what) => what !== undefined);
      goes.push({ step, rank: reader.buildRank(above, line), wayIn: isWayIn(difference), frees });
      continue;
    }
    const before = instead ?? line;
    if (kind === 'changed' && takesPlaceOf(reader, above, line, before)) {
      come(difference, before);
      continue;
    }
    const old = { above, line: before, away: true, instead: null, right: false };
    if (isWayIn(difference)) goes.push({ step: old, rank: reader.buildRank(above, before), wayIn: true, frees: [] });
    else first.push(old);
    if (below === 0) come(difference, null);
  }
  const coming = new Set(comes.flatMap(({ step }) => reader.exclusiveOf(step.above, step.line) ?? []));
  const later: Ranked[] = [];
  for (const one of goes) {
    if (!one.wayIn && one.frees.some((what) => coming.has(what))) first.push(one.step);
    else later.push(one);
  }
  return [
    ...first,
    ...ranked(comes.filter((one) => !one.wayIn)),
    ...ranked(later.filter((one) => !one.wayIn)).reverse(),
    ...ranked(comes.filter((one) => one.wayIn)),
    ...ranked(later.filter((one) => one.wayIn)).reverse(),
  ];
}

interface Ranked {
  step: Step;
  rank: number;
  wayIn: boolean;
  /** What may stand elsewhere once it is gone. */
  frees: string[];
}

/** Lines of one rank stay in their order. */
const ranked = (all: readonly Ranked[]): Step[] =>
  [...all].sort((a, b) => (a.rank === b.rank ? 0 : a.rank - b.rank)).map(({ step }) => step);

/** The line that comes is none of the way in, and the one that it takes the place of was; or it shuts a port of it. */
function takesWayBy(
  reader: Reader,
  uplinks: Uplinks | undefined,
  above: readonly string[],
  line: string,
  instead: string | null,
): boolean {
  if (!uplinks) return false;
  const shuts = reader.isWayIn(above, line, uplinks) && !reader.isWayIn(above, line, { ...uplinks, ports: [] });
  const was = instead !== null && reader.isWayIn(above, instead, uplinks);
  return shuts || (was && !reader.isWayIn(above, line, uplinks));
}

function takesPlaceOf(reader: Reader, above: readonly string[], line: string, before: string): boolean {
  const head = reader.singleHead([...above, line]);
  return head !== undefined && head === reader.singleHead([...above, before]);
}
