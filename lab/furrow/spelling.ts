/** A switch that writes its configuration its own way: in another order, in small letters, without what is so anyway. */

/** Words after which upper and lower case are one. */
const folded = /^(name|clock zone|resolve suffix) /;
/** Says what is so anyway. */
const needless = /^(state live|rank full)$/;
/** Lines that stay where they are. */
const ordered = /^(resolve via |\|)/;

export const isNeedless = (line: string): boolean => needless.test(line);

/** How it writes a line. */
export function ownSpelling(line: string): string {
  if (folded.test(line)) return line.toLowerCase();
  const [, numbers] = /^lanes ([0-9,]+)$/.exec(line) ?? [];
  return numbers === undefined ? line : `lanes ${ranges(numbers.split(',').map(Number))}`;
}

function ranges(numbers: number[]): string {
  const out: [number, number][] = [];
  for (const n of [...new Set(numbers)].sort((a, b) => b - a)) {
    const last = out.at(-1);
    if (last?.[0] === n + 1) last[0] = n;
    else out.push([n, n]);
  }
  return out.map(([from, to]) => (from === to ? `${from}` : `${from}-${to}`)).join(',');
}

/** In which order lines of one block stand: by their first word, backwards; what has an order keeps it. */
export const ownOrder = (a: string, b: string): number => {
  const word = (line: string) => (ordered.test(line) ? '' : (line.split(' ')[0] ?? ''));
  return word(a) < word(b) ? 1 : word(a) > word(b) ? -1 : 0;
};
