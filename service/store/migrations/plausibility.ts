/** How many records were doubtful when they were last looked at: the list of today shows it without looking again. */
import { plainTable, type Step } from './steps.ts';

export const plausibilitySteps: Step[] = [
  plainTable(
    'doubt_count',
    'doubt varchar(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY, count int(11) NOT NULL, at datetime(3) NOT NULL',
  ),
];
