/** What became of one device in a run. */
export const outcomes = [
  'reached',
  'answered',
  'captured',
  'unchanged',
  'as described',
  'as far as shown',
  'differs',
  'holds',
  'does not hold',
  'not known',
  'already right',
  'brought over',
  'done',
  'turned down',
  'never taken',
  'dark on the device',
  'not as expected',
  'no contact',
  'stopped midway',
  'left out',
] as const;
export type Outcome = (typeof outcomes)[number];

/** Those after which nothing is left to be done. */
const well: readonly Outcome[] = [
  'reached',
  'answered',
  'captured',
  'unchanged',
  'as described',
  'as far as shown',
  'holds',
  'already right',
  'brought over',
  'done',
];
export const isWell = (outcome: string): boolean => (well as readonly string[]).includes(outcome);

export const glyphOf = (outcome: string): string => (isWell(outcome) ? '●' : outcome === 'left out' ? '–' : '✕');
