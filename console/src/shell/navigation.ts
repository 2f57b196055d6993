/** The places of the console. Kinds stand where their group says, those that come first there in the order of their tabs. */
import { kindNames, kindOf, type KindName } from '@zpine/contract/kinds';
import type { KindDescription } from '@zpine/contract/kind';

type Group = KindDescription['group'];

export type Section = {
  title: string;
  to: string;
  /** Pressed after `g`. */
  key: string;
  /** The kinds whose lists are tabs here, the first one first. */
  kinds: KindName[];
  /** A page that stands before the lists. */
  lead?: string;
  /** Pages of its own that are no list. */
  pages?: string[];
  admin?: boolean;
};

/** The lists that come first in their groups, in this order; the first one leads to the group. All others follow. */
const FIRST: Partial<Record<Group, KindName[]>> = {
  places: ['site', 'room', 'rack'],
  hardware: ['box', 'model'],
  devices: ['device', 'interface', 'port', 'card', 'cable'],
  addressing: ['prefix', 'address', 'vlan', 'siteplan'],
  settings: ['setting'],
  templates: ['template'],
  fleet: ['check'],
};

function ofGroup(group: Group): Pick<Section, 'to' | 'kinds'> {
  const first = FIRST[group] ?? [];
  const kinds = kindNames
    .filter((kind) => kindOf(kind).group === group && !first.includes(kind))
    .toSpliced(0, 0, ...first);
  const [leading] = kinds;
  return { to: leading ? `/${kindOf(leading).path}` : '/', kinds };
}

export const sections: Section[] = [
  { title: 'Today', to: '/', key: 't', kinds: [] },
  { title: 'Places', key: 'p', ...ofGroup('places') },
  { title: 'Hardware', key: 'w', ...ofGroup('hardware') },
  { title: 'Devices', key: 'd', ...ofGroup('devices') },
  { title: 'Addressing', key: 'a', ...ofGroup('addressing'), pages: ['lookup', 'names'] },
  { title: 'Settings', key: 's', ...ofGroup('settings') },
  { title: 'Templates', key: 'l', ...ofGroup('templates') },
  { title: 'Arrivals', key: 'r', ...ofGroup('arrivals'), to: '/arrivals', lead: 'Under way', pages: ['arrivals'] },
  { title: 'Swaps', to: '/swaps', key: 'x', kinds: [], pages: ['swaps'] },
  { title: 'On site', to: '/jobs', key: 'o', kinds: [], pages: ['jobs', 'sheet'] },
  {
    title: 'Fleet',
    key: 'f',
    ...ofGroup('fleet'),
    to: '/fleet',
    pages: ['fleet', 'drift', 'checked', 'captures', 'live', 'watch'],
  },
  { title: 'History', to: '/history', key: 'h', kinds: [] },
  { title: 'Admin', to: '/admin', key: 'm', kinds: [], admin: true },
];

export const sectionOf = (kind: KindName): Section | undefined =>
  sections.find((section) => section.kinds.includes(kind));

export const sectionOfPage = (first: string): Section | undefined =>
  sections.find((section) => section.pages?.includes(first));
