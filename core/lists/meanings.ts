/** What the words of other people's lists mean here: said once and remembered, or guessed by what people usually call things. */

/** What is said of a host in a list. */
export const hostWords = [
  'address',
  'name',
  'user',
  'password',
  'second',
  'port',
  'dialect',
  'site',
  'duty',
  'model',
  'labels',
  'note',
] as const;
/** What a word of structure holds: hosts, groups, what is said of all of them. */
const structureWords = ['members', 'groups', 'values'] as const;

export type Meaning =
  { is: (typeof hostWords)[number] | (typeof structureWords)[number] | 'nothing' } | { is: 'setting'; setting: string };

/** What a group is taken for. */
export type GroupMeaning = { is: 'label' | 'site' | 'duty' | 'model' | 'dialect'; of: string } | { is: 'nothing' };

const usual: [RegExp, (typeof hostWords)[number] | (typeof structureWords)[number]][] = [
  [/^(ip|ipv4|ipv6|address|addr|host|hostname|mgmt|management)$/, 'address'],
  [/^(name|device)$/, 'name'],
  [/^(user|username|login|account)$/, 'user'],
  [/^(password|passwd|pass|pwd)$/, 'password'],
  [/^(enable|enablepass|enablepassword|second)$/, 'second'],
  [/^(port|sshport)$/, 'port'],
  [/^(os|nos|dialect|platform|language)$/, 'dialect'],
  [/^(site|location|building)$/, 'site'],
  [/^(duty|role|function)$/, 'duty'],
  [/^(model|hardware|type)$/, 'model'],
  [/^(labels|tags|tag|label)$/, 'labels'],
  [/^(note|notes|comment|description|remark)$/, 'note'],
  [/^(hosts|members|devices|nodes|switches|routers)$/, 'members'],
  [/^(groups|subgroups|children)$/, 'groups'],
  [/^(values|vars|variables|settings|defaults|params|parameters|common)$/, 'values'],
];

const structure: readonly string[] = structureWords;
const secretLike = /pass|pwd|secret|token|community|private|credential|(^|[._-])(key|psk|pin|auth|enable)$|auth_?key/i;

/** What people put in front of the words for the way in. */
const whose = /^(ssh|mgmt|management|login|device|dev|net|network|sw|switch)[._ -]+/i;

/** Whether a word sounds like something that nobody shows. */
export const soundsSecret = (word: string): boolean => secretLike.test(word);

/** By what people usually call things; undefined for a word that might be anything. */
export function guessMeaning(word: string): Meaning | undefined {
  const plain = (text: string) => text.toLowerCase().replace(/[^a-z0-9]/g, '');
  const find = (text: string) => usual.find(([pattern]) => pattern.test(text));
  const whole = find(plain(word));
  if (whole) return { is: whole[1] };
  // `ssh-port` and `switch_user` are meant like that; a `gateway_ip` is another address.
  const short = find(plain(word.replace(whose, '')));
  return short && !structure.includes(short[1]) ? { is: short[1] } : undefined;
}

/** `address`, `setting time.servers`, `nothing`. */
export function readMeaning(text: string): Meaning | undefined {
  const [is = '', ...rest] = text.trim().split(/\s+/);
  if (is === 'setting') return rest.length === 1 ? { is, setting: rest[0] as string } : undefined;
  if (rest.length > 0) return undefined;
  const known: readonly string[] = [...hostWords, ...structureWords, 'nothing'];
  return known.includes(is) ? { is: is as (typeof hostWords)[number] } : undefined;
}

/** `label access`, `site har`, `nothing`. */
export function readGroupMeaning(text: string): GroupMeaning | undefined {
  const [is = '', ...rest] = text.trim().split(/\s+/);
  if (is === 'nothing' && rest.length === 0) return { is };
  const [of] = rest;
  if (rest.length !== 1 || of === undefined) return undefined;
  if (is === 'label' || is === 'site' || is === 'duty' || is === 'model' || is === 'dialect') return { is, of };
  return undefined;
}

export const wordsOf = (meaning: Meaning | GroupMeaning): string =>
  'setting' in meaning ? `setting ${meaning.setting}` : 'of' in meaning ? `${meaning.is} ${meaning.of}` : meaning.is;

/** All that a word can be said to mean, for a remedy. */
export const meanings = [...hostWords, 'setting NAME', ...structureWords, 'nothing'];
