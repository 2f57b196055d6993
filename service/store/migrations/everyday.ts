/** What the fleet's everyday needs: runs that can be begun again as they were typed, errands with a name. */
import { column, type Step } from './steps.ts';

export const everydaySteps: Step[] = [
  // What somebody asked for, under seal: lines may hold secrets.
  column('run', 'typed', 'mediumtext CHARACTER SET ascii COLLATE ascii_bin'),
];
