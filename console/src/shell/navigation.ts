import { type KindName } from '@zpine/contract/kinds';

export interface Place {
  title: string;
  to: string;
  /** Pressed after `g`. */
  key: string;
  /** The kinds whose lists are tabs here, the first one first. */
  kinds: KindName[];
  /** Pages of its own that are no list. */
  pages?: string[];
  admin?: boolean;
}

export const places: Place[] = [
  { title: 'Today', to: '/', key: 't', kinds: [] },
  { title: 'Places', to: '/sites', key: 'p', kinds: ['site', 'room', 'rack', 'filler', 'area', 'purpose', 'owner'] },
  { title: 'Hardware', to: '/boxes', key: 'w', kinds: ['box', 'model', 'vendor', 'dialect'] },
  { title: 'Devices', to: '/devices', key: 'd', kinds: ['device', 'interface', 'port', 'card', 'cable', 'duty'] },
  {
    title: 'Addressing',
    to: '/prefixes',
    key: 'a',
    kinds: ['prefix', 'address', 'vlan', 'siteplan', 'vrf', 'carrier', 'use'],
    pages: ['lookup', 'names'],
  },
  { title: 'Settings', to: '/settings', key: 's', kinds: ['setting'] },
  { title: 'Templates', to: '/templates', key: 'l', kinds: ['template'] },
  { title: 'Arrivals', to: '/arrivals', key: 'r', kinds: [] },
  { title: 'Fleet', to: '/fleet', key: 'f', kinds: [], pages: ['fleet', 'captures', 'live', 'watch'] },
  { title: 'History', to: '/history', key: 'h', kinds: [] },
  { title: 'Admin', to: '/admin', key: 'm', kinds: [], admin: true },
];

export const placeOf = (kind: KindName): Place | undefined => places.find((place) => place.kinds.includes(kind));

export const placeOfPage = (first: string): Place | undefined => places.find((place) => place.pages?.includes(first));
