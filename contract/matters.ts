/**
 * What is looked for in the records and in what happens, each with its words: the doubts, and the list of today. The
 * service's own table says how each is found; the command line and the console take their words from here.
 */
export interface MatterWords {
  /** Over a list of them, where it is one of the doubts. */
  title?: string;
  /** Where it is a task for somebody, and stands on the list of today. */
  today?: {
    words: string;
    severity: 'failure' | 'attention' | 'idle' | 'plain';
    /** What leads there. */
    button: string;
  };
}

const task = (
  words: string,
  button = 'Open',
  severity: NonNullable<MatterWords['today']>['severity'] = 'attention',
): Required<Pick<MatterWords, 'today'>> => ({ today: { words, severity, button } });

/** In the order in which they are shown. */
export const matters = {
  stuck: task('arrival stuck', 'Open', 'failure'),
  stranger: task('stranger', 'See who it is'),
  vain: task('boots in vain', 'Open', 'failure'),
  relay: task('relay not believed', 'See the prefix'),
  notice: task('notice'),
  drift: task('not as described', 'See the lines'),
  unkept: task('not stored', 'See the lines'),
  'check-failure': task('a check does not hold', 'See what it found', 'failure'),
  check: task('a check does not hold', 'See what it found'),
  'not-captured': task('not captured'),
  'other-version': task('another version', 'See the devices', 'idle'),
  'no-management': { title: 'Devices without a management address', ...task('no management address') },
  'no-dialect': { title: 'Devices that nobody knows how to talk to' },
  'no-access': { title: 'Devices that nobody can sign in on' },
  'no-box': { title: 'Devices without a box', ...task('no box', 'Open', 'plain') },
  'no-rack': { title: 'Devices without a rack', ...task('no rack', 'Open', 'idle') },
  'no-management-prefix': task('no management prefix', 'Open site'),
  'nearly-full': task('nearly full', 'Open prefix'),
  'runs-out': task('runs out', 'Open prefix'),
  'pool-low': task('pool nearly used up', 'Open prefix'),
  'link-prefixes': { title: 'Cables whose two ends are in different prefixes' },
  'vlan-one-end': { title: 'VLANs that are carried on one end of a cable only' },
  'cable-in-words': { title: 'Cables that end in words which name a device of ours' },
  'boot-profile': { title: 'Boot profiles that their devices would not follow' },
  'image-content': { title: 'Images that are wanted, and that nobody can fetch' },
  'name-off-pattern': { title: 'Names off the pattern' },
  'address-alone': { title: 'Addresses without an interface, and without a word why' },
  'address-off-site': { title: 'Addresses on a device that are of a prefix at another site' },
  'cable-off-site': { title: 'Cables between two sites, of a kind that does not leave a building' },
} as const satisfies Record<string, MatterWords>;

export type MatterName = keyof typeof matters;

type With<F extends keyof MatterWords> = {
  [N in MatterName]: (typeof matters)[N] extends Record<F, unknown> ? N : never;
}[MatterName];

/** Those that are doubts, and those that stand on the list of today. */
export type Doubt = With<'title'>;
export type TodayCode = With<'today'>;

const having = (field: keyof MatterWords): string[] =>
  Object.entries<MatterWords>(matters).flatMap(([name, words]) => (words[field] ? [name] : []));
export const doubtNames = having('title') as [Doubt, ...Doubt[]];
export const todayCodes = having('today') as [TodayCode, ...TodayCode[]];
