/** The tour of the README, typed from its first line to its last. */
import { walkDocument } from './walk.ts';

walkDocument('README.md', {
  before: {
    // The tour begins when Ardle's switch serves.
    'zpine arrival show ard-acc-1': 'zpine arrival watch ard-acc-1 --until-served --limit 60',
    // Somebody changed a title in the list.
    'zpine import site sites.csv': "sed -i 's/Skerry/Skerry Rock/' sites.csv",
  },
  asks: [
    'zpine import site sites.csv',
    'zpine device edit --where',
    'zpine device clone',
    'zpine rack fill',
    'zpine interface edit',
    'zpine cable pairs',
    'zpine site copy',
    'zpine siteplan apply',
    'zpine prefix carve',
    'zpine errand run',
    'zpine reach',
  ],
  refused: [
    'zpine arrival watch ard-acc-1 --until-served --limit 20',
    'zpine prefix add 10.77.48.7/24',
    'zpine device edit ard-acc-1 --rack ard/closett/w1',
    // Not all of them follow the time servers that were expected: that is what the status says.
    'zpine ask time',
    // So it is where there are doubts.
    'zpine doctor data',
  ],
  // Those that the demo has signed in already, and what would measure the whole machine.
  notTyped: ['zpine sign-in', './run demo', './run test', './run estate'],
});
